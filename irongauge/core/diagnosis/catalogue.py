"""The faults, and what each changes in a circuit's parameters.

Parameters are arrays with one entry per sample. A healthy circuit is drawn first, as the scatter of real ones; then
every fault rewrites its own block of samples, over the range of sizes that it is met in.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import (
    MINUS,
    PLUS,
    REFERENCE,
    RETURN,
    SIGNAL,
    TEMPERATURE,
    CircuitUnderTest,
    InputKind,
    KnownInput,
)
from irongauge.core.diagnosis.faults import DOUBLE_JOIN, HEALTHY
from irongauge.core.diagnosis.role_points import Array, Flags
from irongauge.core.diagnosis.shown_value import reader_parameters
from irongauge.core.sensors.families import Family

__all__ = ["CUT", "HEALTHY", "NOT_THERE", "Parameters", "change", "crossing_of", "draw", "faults_of", "log_uniform"]

CUT = 1e9  # ohms of a wire that is not connected
NOT_THERE = 1e12  # ohms of a branch that does not exist
_NO_LIMIT_V = 99.0
_FROM_BATTERY_V = 12.0  # an input that pulls this high pulls to the battery
Parameters = dict[str, Array]
Generator = np.random.Generator

_CROSSED = {
    "reference_signal_crossed": (REFERENCE, SIGNAL),
    "return_signal_crossed": (RETURN, SIGNAL),
    "reference_return_crossed": (REFERENCE, RETURN),
}
CROSSINGS = dict(enumerate(_CROSSED.values(), start=1))


def crossing_of(fault: str) -> dict[str, str]:
    """Which wire lies where another belongs under a crossing, each to each; empty for other faults."""
    pairs = [_CROSSED[one] for one in fault.split(DOUBLE_JOIN) if one in _CROSSED]
    return {a: b for pair in pairs for a, b in (pair, pair[::-1])}


def log_uniform(rng: Generator, low: float, high: float, n: int) -> Array:
    """`n` draws that are as likely in every decade."""
    return np.exp(_spread_out(rng, np.log(low), np.log(high), n))


def _spread_out(rng: Generator, low: float, high: float, n: int) -> Array:
    """`n` uniform draws, one in each of `n` equal strata, in no order: few samples then leave no gap."""
    return np.asarray(low + (high - low) * (rng.permutation(n) + rng.random(n)) / n)


def _coin(rng: Generator, n: int) -> Flags:
    return np.asarray(rng.integers(0, 2, n), dtype=bool)


def faults_of(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults that a circuit of this family can have, `healthy` first."""
    family = subject.family
    if subject.is_two_leg:
        return (HEALTHY, *_two_leg_faults(subject))
    codes = [HEALTHY, *(f"{pin}_{fault}" for pin in subject.pins for fault in ("open", "resistance"))]
    if subject.has_reference:
        codes += [f"{REFERENCE}_short_ground", *_CROSSED]
        if not subject.supply_from_battery:
            codes += [
                f"{REFERENCE}_short_battery",
                "reference_wrong",
                *(["sharer_short"] if subject.others_on_reference else []),
            ]
    codes += [f"{signal}_short_{to}" for signal in subject.signals for to in ("ground", "battery", REFERENCE)]
    codes += ["return_on_body", "controller_off"]
    for signal in subject.signals:
        codes += [f"{signal}_live_channel"]
        if not subject.switches and family is not Family.SWITCH:
            codes += [f"{signal}_live_scaling", f"{signal}_live_pegged"]
        known = subject.inputs.get(signal)
        needs_one = subject.is_thermistor(signal) or subject.switches or family is Family.SWITCH
        if known is None:  # what differs from a size that nobody knows is no fault
            codes += [f"{signal}_pull_up_missing"] if needs_one else []
        elif known.kind is InputKind.PULL_UP:
            codes += [f"{signal}_pull_up_missing", f"{signal}_pull_up_doubled"]
        elif not subject.is_thermistor(signal):
            codes += [f"{signal}_pull_up_left"]
        if subject.is_thermistor(signal):
            codes += ["thermistor_open", "thermistor_short", "thermistor_curve"]
    return (*codes, *_sensor_faults(subject))


def _two_leg_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    wires = [f"{pin}_{fault}" for pin in (PLUS, MINUS) for fault in ("open", "resistance")]
    shield = ["shield_both_ends", "shield_nowhere"] if subject.shielded else []
    if subject.family is Family.THERMOCOUPLE:
        wires = [f"{PLUS}_open", f"{MINUS}_open"]
        return (*wires, "pair_crossed", "controller_off", f"{SIGNAL}_live_channel", f"{SIGNAL}_live_scaling",
                "junction_open", "junction_reversed", "junction_kind", "junction_grounded", *shield)  # fmt: skip
    return (*wires, f"{PLUS}_short_ground", f"{PLUS}_short_battery", "controller_off", f"{SIGNAL}_live_channel",
            "coil_open", "coil_turns", "coil_reversed", "coil_leg_ground", "gap_wide", "ring_uneven", "ring_joints",
            *shield)  # fmt: skip


def _sensor_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    if subject.family is Family.HALL:
        return ("sensor_low", "sensor_high", "sensor_short", "target_far")
    if subject.family is Family.FREQUENCY:
        return (
            "sensor_low",
            "sensor_high",
            "sensor_short",
            "frequency_wrong",
            "fuel_contaminated",
            f"{SIGNAL}_live_scaling",
        )
    if subject.family is Family.SWITCH:
        return ("contact_open", "contact_closed", "contact_resistance")
    if subject.curve is None:
        return ()
    codes = ["sensor_low", "sensor_high", "sensor_short", "sensor_stuck", "sensor_offset"]
    if subject.family is Family.CONTROLLER_OUT:
        return (*codes, "output_scaling")
    gauge = ["gauge_for_absolute"] if subject.atmosphere is not None else []
    return (*codes, "sensor_gain", "sensor_range", "signal_clamped", *gauge)


def draw(subject: CircuitUnderTest, faults: Sequence[str], per_fault: int, rng: Generator) -> Parameters:
    """Parameters for `per_fault` samples of each fault, in the order of `faults`: arrays of `(len(faults)·per_fault,)`.

    Every fault is put into the same `per_fault` healthy circuits, and its sizes come from the same random numbers, so that
    two faults are compared on equal ground (common random numbers; Glasserman 2003, *Monte Carlo Methods*, 4.2).
    """
    makers = {Family.RELUCTANCE: _healthy_reluctance, Family.THERMOCOUPLE: _healthy_thermocouple}
    healthy = makers.get(subject.family, _healthy)(subject, per_fault, rng)
    p = {name: np.tile(values, len(faults)) for name, values in healthy.items()}
    p |= reader_parameters(subject, per_fault, len(faults))
    seed = int(rng.integers(2**32))
    for place, fault in enumerate(faults):
        block = slice(place * per_fault, (place + 1) * per_fault)
        change(p, fault, block, per_fault, np.random.default_rng(seed))
    return p


def _common(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    p = {
        "battery_v": _battery_v(subject, n, rng),
        "earth_v": np.abs(rng.normal(0.0, 0.013, n)),
        "earth_ohm": rng.uniform(0.04, 0.5, n),
        "on": np.ones(n),
        "constant_feed": _coin(rng, n).astype(float),
        "shield_controller_ohm": rng.uniform(0.1, 1.0, n),
        "shield_sensor_ohm": np.full(n, NOT_THERE),
    }
    for pin in subject.pins:
        p |= {
            f"wire.{pin}": rng.uniform(0.03, 0.15, n),
            f"to_ground.{pin}": np.full(n, NOT_THERE),
            f"to_battery.{pin}": np.full(n, NOT_THERE),
        }
    return p


def _battery_v(subject: CircuitUnderTest, n: int, rng: Generator) -> Array:
    """As found, give or take what it does while one works; else anything that a battery at rest is met at."""
    if subject.battery_v is not None:
        return subject.battery_v + rng.uniform(-0.1, 0.1, n)
    return rng.uniform(11.4, 13.5, n) * subject.system_v / 12


def _healthy_reluctance(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    coil = subject.coil
    assert coil is not None  # a reluctance subject has one
    spread = coil.tolerance_pct / 100
    return _common(subject, n, rng) | {
        "coil_ohm": coil.ohm * (1 + rng.uniform(-spread, spread, n)),
        "loose_vac": rng.uniform(*coil.loose_vac, n),
        f"leg.{PLUS}": np.full(n, NOT_THERE),
        f"leg.{MINUS}": np.full(n, NOT_THERE),
        "other_channel": np.zeros(n),
        "direction": np.ones(n),
        "input_ohm": log_uniform(rng, 6000, 60_000, n),
        "uneven_pct": np.abs(rng.normal(0, 1.2, n)),
        "uneven_places": np.ones(n),
    }


def _healthy_thermocouple(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    return _common(subject, n, rng) | {
        "wire_ohm": rng.uniform(0.3, 6.0, n),
        "loop_ohm": rng.uniform(1.0, 25.0, n),
        "leg_ohm": log_uniform(rng, 2e8, 2e9, n),
        "kind": 1 + rng.normal(0, 0.006, n),
        "direction": np.ones(n),
        "crossed": np.zeros(n),
        "room_degc": rng.uniform(12, 30, n),
        "terminal_degc": rng.uniform(12, 40, n),
        "other_channel": np.zeros(n),
        "other_degc": rng.uniform(-20, 600, n),
        "scale": np.ones(n),
        "shift": np.zeros(n),
    }


def _healthy(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    nominal_v = subject.supply_v or 5.0
    heavy = subject.family is Family.CONTROLLER_OUT
    p = (
        _common(subject, n, rng)
        | _without_supply(subject, n, rng)
        | {
            "supply_v": nominal_v * (1 + rng.normal(0, 0.008, n)),
            "internal_v": 5.0 * (1 + rng.normal(0, 0.006, n)),
            "supply_ohm": rng.uniform(0.2, 0.8, n),
            # A reference that is good holds the lamp, so its limit lies above the lamp's current; what is left of that limit once
            # it is overloaded differs by make: all of it (straight), a part (fold-back), or next to nothing (hiccup, latched).
            "supply_limit_a": log_uniform(rng, 0.13, 0.6, n),
            "supply_fold": rng.choice([1.0, 0.4, 0.25, 0.1, 0.02], n, p=[0.3, 0.2, 0.2, 0.2, 0.1]),
            "supply_off_ohm": rng.uniform(1900, 2100, n),
            "fuse": np.ones(n),
            "sharers_ohm": rng.uniform(700, 1400, n) / subject.others_on_reference
            if subject.others_on_reference
            else np.full(n, CUT),
            "sharer_short_ohm": np.full(n, NOT_THERE),
            "crossed": np.zeros(n),
            "body_v": np.full(n, np.nan),
            "leak_ohm": log_uniform(rng, 1.5e7, 6e7, n),
            # Whether the sensor's output has a diode to its ground is not in a data sheet; a Hall output's switch is one.
            "output_diode": (rng.random(n) < (1.0 if subject.switches else 0.5)).astype(float),
            "sensor_ohm": log_uniform(rng, 20, 4000, n) if heavy else log_uniform(rng, 600, 24_000, n),
            "output_ohm": rng.uniform(20, 150, n),
            "offset": rng.normal(0, 0.004, n),
            "gain": 1 + rng.normal(0, 0.004, n),
            "stuck_at": np.full(n, np.nan),
            "range_low": np.zeros(n),
            "range_span": np.ones(n),
            "ntc_factor": 1 + rng.normal(0, 0.012, n),
            "ntc_beta": rng.normal(0, 0.004, n),
            "ntc_open": np.zeros(n),
            "ntc_short_ohm": np.full(n, NOT_THERE),
            "target_far": np.zeros(n),
            "switch_ohm": rng.uniform(5, 25, n),
            "clamp_share": np.full(n, 9.0),
            "contact_ohm": rng.uniform(0.05, 1.5, n),
            "contact_stuck": np.full(n, np.nan),
            "frequency_shift_hz": rng.normal(0, 0.6, n),
            "frequency_over_hz": np.full(n, np.nan),
        }
    )
    if subject.curve is not None:
        p["atmosphere_share"] = np.full(n, (subject.atmosphere or 0.0) / subject.curve.span)
    if heavy:  # what takes an ampere has a ground that is made for it
        p["earth_ohm"] = rng.uniform(0.01, 0.06, n)
    if subject.pot_ohm is not None:
        p["pot_ohm"] = subject.pot_ohm * (1 + rng.normal(0, 0.03, n))
    for signal in subject.signals:
        p |= _input(subject, signal, p["battery_v"], rng)
    return p


def _without_supply(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """What a sensor's output does below the supply that it needs: it differs by make, and no data sheet says it.

    Nothing (megohms), a load to its return, tied towards its supply pin, or low; and it may have a diode to its supply pin.
    """
    least_v = {Family.CONTROLLER_OUT: (4.5, 8.0), Family.HALL: (2.2, 4.4), Family.FREQUENCY: (3.0, 6.5)}
    kind = rng.choice(4, n, p=[0.2, 0.4, 0.2, 0.2])
    load, low, tied = (log_uniform(rng, a, b, n) for a, b in ((800, 1e5), (60, 6000), (500, 5e4)))
    return {
        "least_supply_v": rng.uniform(*least_v.get(subject.family, (1.8, 4.4)), n),
        "idle_return_ohm": np.choose(kind, [np.full(n, 5e6), load, np.full(n, 5e6), low]),
        "idle_supply_ohm": np.where(kind == 2, tied, NOT_THERE),  # noqa: PLR2004  the third of the four
        "supply_diode": _coin(rng, n).astype(float),
        # Above its nominal supply an output goes on following it, or stops where the maker's own regulator or clamp holds.
        "supply_most_v": np.where(_coin(rng, n), (subject.supply_v or 5.0) * rng.uniform(1.0, 1.35, n), _NO_LIMIT_V),
    }


def _input(subject: CircuitUnderTest, signal: str, battery_v: Array, rng: Generator) -> Parameters:
    """A controller input: as the diagram says, else any that this family is met with."""
    n = len(battery_v)
    known = subject.inputs.get(signal)
    if known is not None:
        pulled_up = np.full(n, float(known.kind is InputKind.PULL_UP))
        pulled_down = np.full(n, float(known.kind is InputKind.PULL_DOWN))
        if known.kind is InputKind.UNPULLED:
            pulled_down = _coin(rng, n).astype(float)
            known = KnownInput(known.kind, None, known.to_v)
        ohm = np.full(n, known.ohm or NOT_THERE) * (1 + rng.normal(0, 0.01, n))
        ohm = np.where((pulled_down > 0) & (ohm > CUT), log_uniform(rng, 9e4, 1e6, n), ohm)
        to_v = np.full(n, known.to_v or 5.0)
    elif subject.is_thermistor(signal):
        pulled_up, pulled_down = np.ones(n), np.zeros(n)
        ohm, to_v = log_uniform(rng, 1000, 11_000, n), np.full(n, 5.0)
    else:
        kind = rng.choice([InputKind.PULL_UP, InputKind.PULL_DOWN, InputKind.NONE], n, p=[0.4, 0.3, 0.3])
        pulled_up = (kind == InputKind.PULL_UP).astype(float)
        pulled_down = (kind == InputKind.PULL_DOWN).astype(float)
        least_ohm = 900 if subject.switches else 4700  # an amplified output needs none, so what there is is weak
        ohm = np.where(pulled_up > 0, log_uniform(rng, least_ohm, 2e5, n), log_uniform(rng, 9e4, 1e6, n))
        to_v = rng.choice([5.0, 3.3, subject.system_v] if subject.switches else [5.0, 3.3], n)
    from_battery = to_v >= _FROM_BATTERY_V
    return {
        f"pulled_up.{signal}": pulled_up,
        f"pulled_down.{signal}": pulled_down,
        f"input_ohm.{signal}": ohm,
        f"input_v.{signal}": np.where(from_battery, battery_v, to_v * (1 + rng.normal(0, 0.006, n))),
        f"from_battery.{signal}": from_battery.astype(float),
        f"second_pull_up_ohm.{signal}": np.full(n, NOT_THERE),
        f"to_reference.{signal}": np.full(n, NOT_THERE),
        f"other_channel.{signal}": np.zeros(n),
        f"other_channel_v.{signal}": rng.uniform(0.1, 4.9, n),
        f"converter_gain.{signal}": 1 + rng.normal(0, 0.005, n),
        f"scale.{signal}": np.ones(n),
        f"shift.{signal}": np.zeros(n),
        f"pegged.{signal}": np.full(n, np.nan),
    }


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
    at = 2 * _spread_out(rng, 0.0, 1.0, count)
    ends = (below[0] + (below[1] - below[0]) * at, above[0] + (above[1] - above[0]) * (at - 1))
    return np.where(at < 1, *ends)


AtPin = Callable[[Parameters, str, slice, int, Generator], None]
Whole = Callable[[Parameters, slice, int, Generator], None]


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
    p[f"second_pull_up_ohm.{pin}"][block] = p[f"input_ohm.{pin}"][block] * log_uniform(rng, 0.3, 2.2, count)


def _live_scaling(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"scale.{pin}"][block] = _two_sided(rng, count, (0.4, 0.93), (1.07, 2.2))
    p[f"shift.{pin}"][block] = rng.choice([-0.15, *[0.0] * 6, 0.15], count) * rng.uniform(0.3, 1.0, count)


def _live_pegged(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"pegged.{pin}"][block] = _coin(rng, count).astype(float)


def _pull_up_left(p: Parameters, pin: str, block: slice, count: int, rng: Generator) -> None:
    p[f"second_pull_up_ohm.{pin}"][block] = log_uniform(rng, 900, 12_000, count)


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
    "pull_up_missing": _constant_at("pulled_up", 0.0),
    "pull_up_doubled": _doubled,
    "live_channel": _constant_at("other_channel", 1.0),
    "live_scaling": _live_scaling,
    "live_pegged": _live_pegged,
    "pull_up_left": _pull_up_left,
}


def _constant(name: str, value: float) -> Whole:
    def change(p: Parameters, block: slice, _count: int, _rng: Generator) -> None:
        p[name][block] = value

    return change


def _uniform(name: str, low: float, high: float) -> Whole:
    def change(p: Parameters, block: slice, count: int, rng: Generator) -> None:
        p[name][block] = _spread_out(rng, low, high, count)

    return change


def _sized(name: str, low: float, high: float) -> Whole:
    def change(p: Parameters, block: slice, count: int, rng: Generator) -> None:
        p[name][block] = log_uniform(rng, low, high, count)

    return change


def _reference_wrong(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["supply_v"][block] *= np.maximum(_two_sided(rng, count, (-0.12, 0.92), (1.08, 1.45)), 0.0)  # an eighth are dead


def _sensor_short(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    name = "pot_ohm" if "pot_ohm" in p else "sensor_ohm"
    p[name][block] = log_uniform(rng, 0.5, 40, count)


def _sensor_offset(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["offset"][block] += _two_sided(rng, count, (-0.2, -0.03), (0.03, 0.2))


def _sensor_gain(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["gain"][block] = _two_sided(rng, count, (0.6, 0.92), (1.08, 1.4))


def _frequency_wrong(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["frequency_shift_hz"][block] = _two_sided(rng, count, (-60, -8), (8, 50))


def _other_range(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    p["range_low"][block] = np.where(_coin(rng, count), 0.0, rng.uniform(-0.12, 0.22, count))
    p["range_span"][block] = np.exp(
        _two_sided(rng, count, (math.log(0.35), math.log(0.8)), (math.log(1.22), math.log(3.2)))
    )


def _other_curve(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    low, high = log_uniform(rng, 0.15, 0.75, count), log_uniform(rng, 1.3, 6, count)
    p["ntc_factor"][block] = np.where(_coin(rng, count), low, high)
    p["ntc_beta"][block] = rng.normal(0, 0.08, count)


def _shorted_turns(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    left = rng.uniform(0.2, 0.8, count)
    p["coil_ohm"][block] *= left
    p["loose_vac"][block] *= left


def _leg_to_ground(p: Parameters, block: slice, count: int, rng: Generator) -> None:
    ohm, plus = log_uniform(rng, 0.3, 30, count), _coin(rng, count)
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
    **{fault: _constant("crossed", float(place)) for place, fault in enumerate(_CROSSED, start=1)},
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
