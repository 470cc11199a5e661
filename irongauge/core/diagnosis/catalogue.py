"""The faults that a circuit can have, and the samples of each.

A healthy circuit is drawn first, as the scatter of real ones; then every fault rewrites its own block of samples.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irongauge.core.diagnosis.changes import CROSSED, change
from irongauge.core.diagnosis.circuit_under_test import (
    MINUS,
    PLUS,
    REFERENCE,
    RETURN,
    SIGNAL,
    CircuitUnderTest,
    InputKind,
    KnownInput,
)
from irongauge.core.diagnosis.current_loop import LOOP_FAULTS, loop_parameters
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.parameters import CUT, NOT_THERE, Generator, Parameters, coin, log_uniform, spread_out
from irongauge.core.diagnosis.role_points import Array
from irongauge.core.diagnosis.shown_value import reader_parameters
from irongauge.core.sensors.families import Family

__all__ = ["draw", "faults_of"]

_WAY_SEED = 11  # a place that is read must change no other draw
_NO_LIMIT_V = 99.0  # above any vehicle's volts
_EARTH_V, _EARTH_TAIL_V = 0.013, 0.03  # 13 mV in two of three, 56 mV in one of twenty
_BIPOLAR = 0.4  # of switching outputs; 0.4 V is what their data sheets give at most
_FROM_BATTERY_V = 12.0  # an input that pulls this high pulls to the battery


def faults_of(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults that a circuit of this family can have, `healthy` first."""
    family = subject.family
    if subject.is_two_leg:
        return (HEALTHY, *_two_leg_faults(subject))
    codes = [HEALTHY, *(f"{pin}_{fault}" for pin in subject.pins for fault in ("open", "resistance"))]
    if subject.has_reference:
        crossings = [code for code, pair in CROSSED.items() if set(pair) <= set(subject.pins)]
        codes += [f"{REFERENCE}_short_ground", *crossings]
        if not subject.supply_from_battery:
            codes += [
                f"{REFERENCE}_short_battery",
                "reference_wrong",
                *(["sharer_short"] if subject.others_on_reference else []),
            ]
    codes += [f"{signal}_short_{to}" for signal in subject.signals for to in ("ground", "battery", REFERENCE)]
    codes += ["return_on_body", "controller_off"] if RETURN in subject.pins else ["controller_off"]
    for signal in subject.signals:
        codes += [f"{signal}_live_channel"]
        if not subject.switches and family is not Family.SWITCH:
            codes += [f"{signal}_live_scaling", f"{signal}_live_pegged"]
        known = subject.inputs.get(signal)
        needs_one = subject.is_thermistor(signal) or subject.switches or family is Family.SWITCH
        if known is None:  # what differs from a size that nobody knows is no fault, but where the controller knows it
            codes += [f"{signal}_pull_up_missing"] if needs_one else []
            codes += [f"{signal}_pull_up_doubled"] if subject.is_thermistor(signal) else []
        elif known.kind is InputKind.PULL_UP:
            codes += [f"{signal}_pull_up_missing", f"{signal}_pull_up_doubled"]
        elif not subject.is_thermistor(signal) and not subject.is_loop:  # beside a shunt nothing of it would show
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
    if subject.is_loop or subject.curve is None:
        return LOOP_FAULTS if subject.is_loop else ()
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
    p |= _where_on_the_way(subject, per_fault, len(faults))
    seed = int(rng.integers(2**32))
    for place, fault in enumerate(faults):
        block = slice(place * per_fault, (place + 1) * per_fault)
        change(p, fault, block, per_fault, np.random.default_rng(seed))
    return p


def _where_on_the_way(subject: CircuitUnderTest, per_fault: int, faults: int) -> Parameters:
    """Where on its way what is wrong with a wire lies, as a share from the controller; drawn apart, so that a place that is
    read changes no other draw.
    """
    rng = np.random.default_rng(_WAY_SEED)
    drawn = {f"fault_at.{pin}": spread_out(rng, 0.0, 1.0, per_fault) for pin in subject.ways}
    return {name: np.tile(values, faults) for name, values in drawn.items()}


def _common(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    p = {
        "battery_v": _battery_v(subject, n, rng),
        "earth_v": _earth_v(np.abs(rng.normal(0.0, 1.0, n))),
        "earth_ohm": rng.uniform(0.04, 0.5, n),
        "on": np.ones(n),
        "constant_feed": coin(rng, n).astype(float),
        "jumper_ohm": log_uniform(rng, 0.03, 0.5, n),  # a short lead, and what two clips make on it
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


def _earth_v(deviates: Array) -> Array:
    """How far a good controller's own ground lies above battery negative: what its own current makes in its own ground wire.

    Two thirds are within some millivolts; one in twenty has 40 to 80 mV, which is ordinary where the controller drives much.
    """
    return np.asarray(_EARTH_V * deviates + _EARTH_TAIL_V * np.maximum(deviates - 1.0, 0.0))


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
            "sensor_ohm": log_uniform(rng, 20, 4000, n) if heavy else log_uniform(rng, 300, 24_000, n),
            "output_ohm": rng.uniform(20, 150, n),
            # Half of what the data sheet allows is the scatter of both together, at two standard deviations.
            "offset": rng.normal(0, subject.tolerance_share / 4, n),
            "gain": 1 + rng.normal(0, subject.tolerance_share / 4, n),
            "tolerance_share": np.full(n, subject.tolerance_share),
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
    if subject.switches:
        # A field-effect output is a few ohms when it is on; a bipolar one keeps its saturation volts whatever it carries.
        p["switch_sat_v"] = np.where(rng.random(n) < _BIPOLAR, rng.uniform(0.05, 0.4, n), 0.0)
    return p | loop_parameters(subject.tolerance_share, n, rng) if subject.is_loop else p


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
        "supply_diode": coin(rng, n).astype(float),
        # Above its nominal supply an output goes on following it, or stops where the maker's own regulator or clamp holds.
        "supply_most_v": np.where(coin(rng, n), (subject.supply_v or 5.0) * rng.uniform(1.0, 1.35, n), _NO_LIMIT_V),
    }


def _of_another_channel(n: int, rng: Generator) -> Array:
    """Volts of a channel that is not this one: of a sensor, or of an input with nothing on it, at either end."""
    kind = rng.choice(3, n, p=[0.5, 0.25, 0.25])
    at_rest, pulled_up = np.abs(rng.normal(0.0, 0.012, n)), 5.0 - np.abs(rng.normal(0.0, 0.02, n))
    return np.choose(kind, [rng.uniform(0.05, 4.95, n), at_rest, pulled_up])


def _input(subject: CircuitUnderTest, signal: str, battery_v: Array, rng: Generator) -> Parameters:
    """A controller input: as the diagram says, else any that this family is met with."""
    n = len(battery_v)
    known = subject.inputs.get(signal)
    if known is not None:
        pulled_up = np.full(n, float(known.kind is InputKind.PULL_UP))
        pulled_down = np.full(n, float(known.kind is InputKind.PULL_DOWN))
        if known.kind is InputKind.UNPULLED:
            pulled_down = coin(rng, n).astype(float)
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
    heat = {f"other_ntc.{signal}": np.ones(n)} if subject.is_thermistor(signal) else {}
    return heat | {
        f"pulled_up.{signal}": pulled_up,
        f"pulled_down.{signal}": pulled_down,
        f"input_ohm.{signal}": ohm,
        f"input_v.{signal}": np.where(from_battery, battery_v, to_v * (1 + rng.normal(0, 0.006, n))),
        f"from_battery.{signal}": from_battery.astype(float),
        # A pull-up that somebody fitted sits in the harness, at the sensor's end of the wire; no card says which it is.
        f"in_harness.{signal}": (pulled_up > 0) * (rng.random(n) < (0.4 if subject.switches else 0.1)),
        f"second_pull_up_ohm.{signal}": np.full(n, NOT_THERE),
        f"to_reference.{signal}": np.full(n, NOT_THERE),
        f"other_channel.{signal}": np.zeros(n),
        f"other_channel_v.{signal}": _of_another_channel(n, rng),
        f"converter_gain.{signal}": 1 + rng.normal(0, 0.005, n),
        f"scale.{signal}": np.ones(n),
        f"shift.{signal}": np.zeros(n),
        f"pegged.{signal}": np.full(n, np.nan),
    }
