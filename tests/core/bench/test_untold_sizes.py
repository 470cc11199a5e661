"""Sensors that differ by what no card says: a thermistor of another slope, a wiper with ohms of its own. By hand sums."""

import math
from dataclasses import replace

import pytest

from irongauge.core.bench.assessment import VerdictLevel, assess, conclude
from irongauge.core.bench.case import current_readings
from irongauge.demo.shelf import N10, T90
from tests.cards import empty, reading

OHM_25, BETA, PULL_UP_OHM = 10_000.0, 3435.0, 4700.0  # of the sensor's data and of the card
SHARE_OF_A_DEGREE = 1  # decimals that a reader shows


def ohm_at(degc: float, beta: float) -> float:
    return OHM_25 * math.exp(beta * (1 / (degc + 273.15) - 1 / 298.15))


def shown_degc(volts: float) -> float:
    """What a controller makes of volts that has the sensor's data."""
    ohm = PULL_UP_OHM * volts / (5 - volts)
    return 1 / (math.log(ohm / OHM_25) / BETA + 1 / 298.15) - 273.15


def concluded(beta: float):
    values = {
        "battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 4.99, "open_v:B": 0.004, "lamp_positive:B": "bright",
        "live_jumped_v:A": 0.0, "mated_v:B": 0.006, "sensor_ohm:A": round(ohm_at(18.0, beta)),
    }  # fmt: skip
    for place, degc in enumerate((18.0, 80.0)):
        volts = 5 * ohm_at(degc, beta) / (ohm_at(degc, beta) + PULL_UP_OHM)
        values |= {f"mated_v:A:{place}": round(volts, 3), f"live_v::{place}": round(volts, 3)}
        values[f"live_value::{place}"] = round(shown_degc(volts), SHARE_OF_A_DEGREE)
    readings = [reading(point, value, place) for place, (point, value) in enumerate(values.items())]
    return conclude(assess(replace(empty(N10), readings=current_readings(readings))))


@pytest.mark.parametrize("share", [0.85, 0.9, 1.1, 1.15])
def test_another_slope_is_found_though_the_ohms_at_25_are_right(share):
    found = concluded(BETA * share)
    assert found.verdict.level is VerdictLevel.FAULT
    assert found.diagnosis.leader.fault == "thermistor_curve"
    assert "0.99" not in found.verdict.headline  # of its ohms there is nothing to say


@pytest.mark.parametrize("share", [0.99, 1.0, 1.01])
def test_the_right_slope_within_its_tolerance_is_good(share):
    assert concluded(BETA * share).verdict.level is VerdictLevel.GOOD


def test_a_slope_between_the_two_is_not_called_good():
    assert concluded(BETA * 0.95).verdict.level is not VerdictLevel.GOOD


@pytest.mark.parametrize("wiper_ohm", [0, 20, 100, 400, 1000])
def test_a_wiper_of_any_ohms_does_not_make_two_faults_of_crossed_pins(wiper_ohm):
    """Reference and signal crossed feed the wiper; the pin of the reference then sees the track behind the wiper's own ohms."""
    values = {
        "battery_v": 12.6, "battery_lamp": "bright", "open_v:A": 0.001, "open_v:B": 0.004, "open_v:C": 4.97,
        "lamp_negative:C": "dim", "lamp_negative_v:C": 4.90, "live_unplugged_v:C": 0.0, "mated_v:B": 0.006,
    }  # fmt: skip
    for place, share in enumerate((0.1, 0.1 + 0.8 * 80 / 90)):
        below = share * 5000.0
        volts = 4.96 * below / (below + wiper_ohm)
        values |= {f"mated_v:C:{place}": 4.96, f"live_v::{place}": round(volts, 3)}
        values.setdefault("mated_v:A", round(volts, 3))
    made = empty(T90)
    readings = current_readings([reading(point, value, place) for place, (point, value) in enumerate(values.items())])
    card = replace(made.circuit, pull_up=None, unpulled=True)
    found = conclude(assess(replace(made, circuit=card, readings=readings)))
    assert found.verdict.headline == "Reference and signal swapped in the plug"
