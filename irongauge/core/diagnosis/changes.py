"""What each fault changes in a circuit's parameters: a fault rewrites its own block of samples.

Its sizes are drawn over the range that it is met in.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import MINUS, PLUS, REFERENCE, RETURN, SIGNAL, TEMPERATURE
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY
from irongauge.core.diagnosis.parameters import CUT, NOT_THERE, Generator, Parameters, coin, log_uniform, spread_out
from irongauge.core.diagnosis.role_points import Array
from irongauge.core.sensors.transfer import LOOP_MA

__all__ = ["CROSSED", "CROSSINGS", "change", "crossing_of"]

CROSSED = {
    "reference_signal_crossed": (REFERENCE, SIGNAL),
    "return_signal_crossed": (RETURN, SIGNAL),
    "reference_return_crossed": (REFERENCE, RETURN),
}
CROSSINGS = dict(enumerate(CROSSED.values(), start=1))


def crossing_of(fault: str) -> dict[str, str]:
    """Which wire lies where another belongs under a crossing, each to each; empty for other faults."""
    pairs = [CROSSED[one] for one in fault.split(DOUBLE_JOIN) if one in CROSSED]
    return {a: b for pair in pairs for a, b in (pair, pair[::-1])}


def change(p: Parameters, fault: str, block: slice, count: int, rng: Generator) -> None:
    """Write one fault into its block of samples; `KeyError` for a fault that there is not."""
    if fault in _WHOLE:
        _WHOLE[fault](p, block, count, rng)
        return
    for pin in (REFERENCE, RETURN, SIGNAL, TEMPERATURE, PLUS, MINUS):
        kind = fault.removeprefix(f"{pin}_")
        if kind in _AT_PIN and kind != fault:
            _AT_PIN[kind](p, pin, block, count, rng)
            return
    if fault != HEALTHY:
        msg = f"there is no fault {fault!r}"
        raise KeyError(msg)


def _two_sided(rng: Generator, count: int, below: tuple[float, float], above: tuple[float, float]) -> Array:
    """Half of the draws in either range, spread out evenly in it."""
    at = 2 * spread_out(rng, 0.0, 1.0, count)
    ends = (below[0] + (below[1] - below[0]) * at, above[0] + (above[1] - above[0]) * (at - 1))
    return np.where(at < 1, *ends)


def _from_least(rng: Generator, least: Array, most: float, room_from: float) -> Array:
    """Draws from what is no tolerance any more to `most`; from a `least` above `room_from` on over the same width."""
    return np.asarray(least + (most - np.minimum(least, room_from)) * rng.uniform(0, 1, len(least)))


AtPin = Callable[[Parameters, str, slice, int, Generator], None]
Whole = Callable[[Parameters, slice, int, Generator], None]


_DEAD_SHARE = 0.4  # of regulators that are wrong give nothing
_BEYOND = 1.2  # times its tolerance, from which on a sensor is called off


def _set_at(name: str, low: float, high: float) -> AtPin:
    """A fault that gives one parameter of a pin a size, as likely in every decade of its range."""

    def change(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
        p[f"{name}.{pin}"][block] = log_uniform(rng, low, high, count)

    return change


def _short_ground(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"to_ground.{pin}"][block] = log_uniform(rng, 0.1, 80, count)
    if pin == REFERENCE:
        p["fuse"][block] = 0.0  # of a feed from the battery; a regulator limits instead


def _doubled(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    one_ohm = p[f"input_ohm.{pin}"][block]
    both_ohm = one_ohm / (1 + 1 / log_uniform(rng, 0.3, 2.2, count))
    # Of an input that nobody knows only what is stronger than anybody would have chosen can be told from one pull-up.
    most_ohm = p[f"chosen_from_ohm.{pin}"][block]
    both_ohm = np.where(both_ohm < most_ohm, both_ohm, most_ohm * log_uniform(rng, 0.25, 1.0, count))
    p[f"second_pull_up_ohm.{pin}"][block] = one_ohm * both_ohm / (one_ohm - both_ohm)


def _floating(p: Parameters, pin: str, block: slice, _count: int, _rng: Generator) -> None:
    for name in ("pulled_up", "pulled_down"):
        p[f"{name}.{pin}"][block] = 0.0


def _live_scaling(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    # Of a thermistor mostly another one's table: its ohms are then off by a factor, in every decade as likely.
    other = coin(rng, count) if f"other_ntc.{pin}" in p else np.full(count, False)
    p[f"scale.{pin}"][block] = np.where(other, 1.0, _two_sided(rng, count, (0.4, 0.93), (1.07, 2.2)))
    if f"other_ntc.{pin}" in p:
        p[f"other_ntc.{pin}"][block] = np.where(other, np.exp(_two_sided(rng, count, (-3.2, -0.2), (0.2, 3.2))), 1.0)
    p[f"shift.{pin}"][block] = rng.choice([-0.15, *[0.0] * 6, 0.15], count) * rng.uniform(0.3, 1.0, count)


def _live_pegged(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"pegged.{pin}"][block] = coin(rng, count).astype(float)


def _pull_up_left(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"second_pull_up_ohm.{pin}"][block] = log_uniform(rng, 900, 12_000, count)


def _other_shunt(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"input_ohm.{pin}"][block] *= _two_sided(rng, count, (0.3, 0.85), (1.18, 3.0))


def _constant_at(name: str, value: float) -> AtPin:
    def change(p: Parameters, pin: str, block: slice, _count: int, _rng: Generator) -> None:
        p[f"{name}.{pin}"][block] = value

    return change


_AT_PIN: dict[str, AtPin] = {
    "open": _set_at("wire", 3e9, 3e10),
    "resistance": _set_at("wire", 4, 9e4),
    "short_ground": _short_ground,
    "short_battery": _set_at("to_battery", 0.1, 30),
    "short_reference": _set_at("to_reference", 0.1, 30),
    "pull_up_missing": _floating,
    "pull_up_doubled": _doubled,
    "live_channel": _constant_at("other_channel", 1.0),
    "live_scaling": _live_scaling,
    "live_pegged": _live_pegged,
    "pull_up_left": _pull_up_left,
    "shunt_missing": _constant_at("pulled_down", 0.0),
    "shunt_wrong": _other_shunt,
}


def _constant(name: str, value: float) -> Whole:
    def change(p: Parameters, block: slice, _count: int, _rng: Generator) -> None:
        p[name][block] = value

    return change


def _uniform(name: str, low: float, high: float) -> Whole:
    def change(p: Parameters, block: slice, count: int, rng: Generator) -> None:
        p[name][block] = spread_out(rng, low, high, count)

    return change


def _sized(name: str, low: float, high: float) -> Whole:
    def change(p: Parameters, block: slice, count: int, rng: Generator) -> None:
        p[name][block] = log_uniform(rng, low, high, count)

    return change


def _reference_wrong(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    off = _two_sided(rng, count, (0.05, 0.92), (1.08, 1.45))
    p["supply_v"][block] *= np.where(rng.uniform(0, 1, count) < _DEAD_SHARE, 0.0, off)


def _sensor_short(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    name = "pot_ohm" if "pot_ohm" in p else "sensor_ohm"
    p[name][block] = log_uniform(rng, 0.5, 40, count)


def _sensor_offset(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    least = np.maximum(0.03, _BEYOND * p["tolerance_share"][block])  # what a good one may be off by is no fault
    p["offset"][block] += np.sign(rng.uniform(-1, 1, count)) * _from_least(rng, least, 0.2, 0.15)


def _sensor_gain(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    least = np.maximum(0.08, 2 * _BEYOND * p["tolerance_share"][block])
    off = _from_least(rng, least, 0.4, 0.3)
    p["gain"][block] = 1 + np.sign(rng.uniform(-1, 1, count)) * off


def _frequency_wrong(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["frequency_shift_hz"][block] = _two_sided(rng, count, (-60, -8), (8, 50))


def _other_range(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["range_low"][block] = np.where(coin(rng, count), 0.0, rng.uniform(-0.12, 0.22, count))
    p["range_span"][block] = np.exp(
        _two_sided(rng, count, (math.log(0.35), math.log(0.8)), (math.log(1.22), math.log(3.2)))
    )


_SAME_OHM = 1 / 3  # of the wrong thermistors that are fitted


def _other_curve(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    """Other ohms at 25 °C, either way; or the same there and another slope, as makers sell them side by side."""
    low, high = log_uniform(rng, 0.15, 0.75, count), log_uniform(rng, 1.3, 6, count)
    same_ohm = rng.random(count) < _SAME_OHM
    other = np.where(coin(rng, count), low, high)
    p["ntc_factor"][block] = np.where(same_ohm, p["ntc_factor"][block], other)
    p["ntc_beta"][block] = np.where(
        same_ohm, _two_sided(rng, count, (-0.2, -0.04), (0.04, 0.2)), rng.normal(0, 0.08, count)
    )


def _shorted_turns(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    left = rng.uniform(0.2, 0.8, count)
    p["coil_ohm"][block] *= left
    p["loose_vac"][block] *= left


def _leg_to_ground(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    ohm, plus = log_uniform(rng, 0.3, 30, count), coin(rng, count)
    p[f"leg.{PLUS}"][block] = np.where(plus, ohm, NOT_THERE)
    p[f"leg.{MINUS}"][block] = np.where(plus, NOT_THERE, ohm)


def _wide_gap(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["loose_vac"][block] *= rng.uniform(0.08, 0.45, count)


def _two_leg_channel(p: Parameters, block: slice, _count: int, _rng: Generator) -> None:
    name = "other_channel" if "other_channel" in p else f"other_channel.{SIGNAL}"
    p[name][block] = 1.0


def _two_leg_scaling(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    if "scale" not in p:
        _live_scaling(p, SIGNAL, block, count, rng)
        return
    p["scale"][block] = _two_sided(rng, count, (0.4, 0.92), (1.08, 2.2))
    p["shift"][block] = rng.choice([0.0, 0.0, 32.0, -18.0], count)


def _gauge_for_absolute(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    # A gauge sensor of the same span gives, at a value counted from vacuum, what an absolute one gives one atmosphere lower.
    p["range_low"][block] = p["atmosphere_share"][block] * rng.uniform(0.97, 1.03, count)


def _loop_offset(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    low_ma, high_ma = LOOP_MA
    least_ma = np.maximum(0.4, _BEYOND * p["tolerance_share"][block] * (high_ma - low_ma))
    off_ma = _from_least(rng, least_ma, 3.0, 2.0)
    p["offset_ma"][block] += np.sign(rng.uniform(-1, 1, count)) * off_ma


def _uneven(places: float) -> Whole:
    def change(p: Parameters, block: slice, count: int, rng: Generator) -> None:
        p["uneven_pct"][block] = log_uniform(rng, 8, 90, count)
        p["uneven_places"][block] = places

    return change


def _nowhere(p: Parameters, block: slice, _count: int, _rng: Generator) -> None:
    p["shield_controller_ohm"][block] = NOT_THERE


def _other_junction(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["kind"][block] = rng.choice([0.25, 0.6, 0.68, 1.28, 1.48, 1.95], count) * rng.uniform(0.96, 1.04, count)


_WHOLE: dict[str, Whole] = {
    **{fault: _constant("crossed", float(place)) for place, fault in enumerate(CROSSED, start=1)},
    "return_on_body": _sized("body_v", 0.03, 1.0),
    "sharer_short": _sized("sharer_short_ohm", 0.1, 80),
    "reference_wrong": _reference_wrong,
    "controller_off": _constant("on", 0.0),
    "sensor_low": _uniform("stuck_at", 0.0, 0.03),
    "sensor_short": _sensor_short,
    "sensor_high": _uniform("stuck_at", 0.96, 1.0),
    "sensor_stuck": _uniform("stuck_at", 0.12, 0.88),
    "sensor_offset": _sensor_offset,
    "sensor_gain": _sensor_gain,
    "sensor_range": _other_range,
    "output_scaling": _other_range,
    "loop_low": _uniform("stuck_ma", 0.0, 3.65),
    "loop_high": _uniform("stuck_ma", 21.0, 26.0),
    "loop_short": _sized("bypass_ohm", 0.5, 40),
    "loop_stuck": _uniform("stuck_ma", 4.5, 20.0),
    "loop_offset": _loop_offset,
    "thermistor_open": _constant("ntc_open", 1.0),
    "thermistor_short": _sized("ntc_short_ohm", 0.3, 60),
    "thermistor_curve": _other_curve,
    "target_far": _constant("target_far", 1.0),
    "coil_open": _sized("coil_ohm", 1e7, CUT),
    "coil_turns": _shorted_turns,
    "coil_reversed": _constant("direction", -1.0),
    "coil_leg_ground": _leg_to_ground,
    "gap_wide": _wide_gap,
    f"{SIGNAL}_live_channel": _two_leg_channel,
    f"{SIGNAL}_live_scaling": _two_leg_scaling,
    "gauge_for_absolute": _gauge_for_absolute,
    "signal_clamped": _uniform("clamp_share", 0.3, 0.8),
    "contact_open": _constant("contact_stuck", 0.0),
    "contact_closed": _constant("contact_stuck", 1.0),
    "contact_resistance": _sized("contact_ohm", 60, 5e4),
    "frequency_wrong": _frequency_wrong,
    "fuel_contaminated": _uniform("frequency_over_hz", 170, 260),
    "ring_uneven": _uneven(1.0),
    "ring_joints": _uneven(2.0),
    "shield_both_ends": _sized("shield_sensor_ohm", 0.2, 20),
    "shield_nowhere": _nowhere,
    "pair_crossed": _constant("crossed", 1.0),
    "junction_open": _sized("loop_ohm", 1e8, CUT),
    "junction_reversed": _constant("direction", -1.0),
    "junction_kind": _other_junction,
    "junction_grounded": _sized("leg_ohm", 0.3, 50),
}
