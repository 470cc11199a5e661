"""A reference that sags under several sensors: volts by Ohm's law over a drive that moves, and what only looks like it."""

import numpy as np
import pytest

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FindingKind
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.senses import Sense

TIME_S = np.arange(0, 600, 0.05)
# name, sense, quantity, unit, value at no and at full signal
SENSORS = (
    ("Oil pressure", Sense.OIL_PRESSURE, Quantity.PRESSURE, "kPa", (0.0, 1000.0), "reference A"),
    ("Coolant pressure", Sense.COOLANT_PRESSURE, Quantity.PRESSURE, "kPa", (0.0, 250.0), "reference A"),
    ("Throttle", Sense.LOAD, Quantity.SHARE, "%", (0.0, 100.0), "reference A"),
    ("Fuel pressure", Sense.FUEL_PRESSURE, Quantity.PRESSURE, "kPa", (0.0, 700.0), "reference B"),
    ("Second throttle", Sense.OTHER, Quantity.SHARE, "%", (0.0, 100.0), "reference B"),
)


def within(begin, end):
    return (begin < TIME_S) & (end > TIME_S)


def drive(*, sags=(), to_v=4.4, snaps=(), seed=1):
    """A drive in which reference A goes from 5 V to `to_v` at these moments; the signal stands, the controller divides by 5 V."""
    rng = np.random.default_rng(seed)
    load = 0.35 + 0.2 * np.sin(TIME_S / 17) + 0.1 * np.sin(TIME_S / 5.3)
    for begin, end in snaps:  # the driver's foot, in both tracks
        load = np.where(within(begin, end), load + 0.3, load)
    course = {
        "Oil pressure": 0.35 + 0.1 * np.sin(TIME_S / 23),
        "Coolant pressure": 0.4 + 0.05 * np.sin(TIME_S / 61),
        "Throttle": load,
        "Fuel pressure": 0.5 + 0.02 * np.sin(TIME_S / 11),
        "Second throttle": load,
    }
    reference_v = np.full(len(TIME_S), 5.0)
    for begin, end in sags:
        reference_v[within(begin, end)] = to_v
    rpm = np.round(1500 + 900 * np.sin(TIME_S / 29) + rng.normal(0, 4, len(TIME_S))).astype(np.float32)
    channels = [
        Channel(name="Engine speed", unit="rpm", quantity=None, sense=Sense.ENGINE_SPEED, time_s=TIME_S, value=rpm)
    ]
    for name, sense, quantity, unit, (low, high), shares in SENSORS:
        share = course[name] * (reference_v / 5.0 if shares == "reference A" else 1.0)
        value = low + (high - low) * (share + rng.normal(0, 0.0015, len(TIME_S)))
        channels.append(
            Channel(name=name, unit=unit, quantity=quantity, sense=sense, time_s=TIME_S, value=value.astype(np.float32),
                    span=(low, high), shares=shares)
        )  # fmt: skip
    return Log(tuple(channels))


def shared(log):
    return [finding for finding in judge_log(log) if finding.kind is FindingKind.SHARED]


@pytest.mark.parametrize("to_v", [3.5, 4.0, 4.4])
def test_sensors_that_step_together_and_back_are_their_references(to_v):
    sags = ((100, 101.5), (250, 250.8), (400, 403))
    (found,) = shared(drive(sags=sags, to_v=to_v))
    assert {found.channel, *found.others} == {"Oil pressure", "Coolant pressure", "Throttle"}
    assert "that is reference A, which feeds them, not the sensors" in found.sentence
    assert [span[0] for span in found.at_s] == pytest.approx([100, 250, 400], abs=0.2)
    assert [span[1] for span in found.at_s] == pytest.approx([101.5, 250.8, 403], abs=0.2)


@pytest.mark.parametrize("seed", range(6))
def test_a_drivers_foot_and_a_quiet_drive_are_no_sag(seed):
    assert shared(drive(seed=seed)) == []
    assert shared(drive(snaps=((100, 101.5), (250, 250.8), (400, 403)), seed=seed)) == []


def test_one_sag_alone_is_not_said():
    assert shared(drive(sags=((100, 101.5),))) == []
