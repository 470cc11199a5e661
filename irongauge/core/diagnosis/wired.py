"""What the diagnosis knows of the families whose circuit is a network of wires: their faults, checks, proofs and samples."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from irongauge.core.diagnosis.changes import CROSSED
from irongauge.core.diagnosis.circuit_under_test import (
    REFERENCE,
    RETURN,
    SIGNAL,
    CircuitUnderTest,
    InputKind,
    KnownInput,
)
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.parameters import CUT, NOT_THERE, Generator, Parameters, coin, log_uniform
from irongauge.core.diagnosis.role_points import Array, RolePoint
from irongauge.core.diagnosis.vehicle_samples import vehicle_samples
from irongauge.core.sensors.families import Family

__all__ = [
    "amplified_faults",
    "frequency_faults",
    "frequency_required",
    "frequency_role_points",
    "hall_faults",
    "hall_required",
    "hall_role_points",
    "output_faults",
    "switch_faults",
    "switch_role_points",
    "thermistor_faults",
    "wired_faults",
    "wired_required",
    "wired_role_points",
    "wired_samples",
]

_NO_LIMIT_V = 99.0  # above any vehicle's volts
_BIPOLAR = 0.4  # of switching outputs; 0.4 V is what their data sheets give at most
# Of a pull-up, a pull-down and neither, at an input of which the card says nothing. Few inputs for sensors are left to float,
# since an open wire could not be told from a value then; what takes a controller's output often is.
_MAY_HAVE_ONE, _NEEDS_ONE, _OF_OUTPUT = (0.5, 0.4, 0.1), (1.0, 0.0, 0.0), (0.4, 0.3, 0.3)
# Times its track: a weaker pull-up lifts the middle of a potentiometer by an eightieth of its span at most, which is half of
# what its data sheet leaves. Few are chosen stronger; only one that is stronger by far speaks for two side by side.
_WEAK_TO_TRACK, _CHOSEN_WEAK, _STRONG_TO_TRACK = 10.0, 0.9, 6.0
_FROM_BATTERY_V = 12.0  # an input that pulls this high pulls to the battery


# Faults


def wired_faults(subject: CircuitUnderTest, of_sensor: Sequence[str] = ()) -> tuple[str, ...]:
    """The faults of supply, wires and inputs, `healthy` first, and those of the sensor behind them."""
    codes = [HEALTHY, *(f"{pin}_{fault}" for pin in subject.pins for fault in ("open", "resistance"))]
    codes += _supply_faults(subject) if subject.has_reference else ()
    codes += [f"{signal}_short_{to}" for signal in subject.signals for to in ("ground", "battery", REFERENCE)]
    codes += ["return_on_body", "controller_off"] if RETURN in subject.pins else ["controller_off"]
    for signal in subject.signals:
        codes += _channel_faults(subject, signal)
    return (*codes, *of_sensor)


def _supply_faults(subject: CircuitUnderTest) -> list[str]:
    crossings = [code for code, pair in CROSSED.items() if set(pair) <= set(subject.pins)]
    codes = [f"{REFERENCE}_short_ground", *crossings]
    if subject.supply_from_battery:
        return codes
    sharers = ["sharer_short"] if subject.others_on_reference else []
    return [*codes, f"{REFERENCE}_short_battery", "reference_wrong", *sharers]


def _channel_faults(subject: CircuitUnderTest, signal: str) -> list[str]:
    codes = [f"{signal}_live_channel"]
    if not subject.switches and subject.family is not Family.SWITCH:
        codes += [f"{signal}_live_scaling", f"{signal}_live_pegged"]
    codes += _input_faults(subject, signal)
    if subject.is_thermistor(signal):
        codes += ["thermistor_open", "thermistor_short", "thermistor_curve"]
    return codes


def _input_faults(subject: CircuitUnderTest, signal: str) -> list[str]:
    known = subject.inputs.get(signal)
    if known is None:
        return _unknown_input_faults(subject, signal)
    if known.kind is InputKind.PULL_UP:
        return [f"{signal}_pull_up_missing", f"{signal}_pull_up_doubled"]
    if subject.is_thermistor(signal) or subject.is_loop:  # beside a shunt nothing of it would show
        return []
    return [f"{signal}_pull_up_left"]


def _unknown_input_faults(subject: CircuitUnderTest, signal: str) -> list[str]:
    """What differs from a size that nobody knows is no fault; but an input that floats may be one."""
    if subject.is_loop or subject.family is Family.CONTROLLER_OUT:
        return []
    sized = subject.is_thermistor(signal) or subject.pot_ohm is not None
    return [f"{signal}_pull_up_missing", *([f"{signal}_pull_up_doubled"] if sized else [])]


def _needs_pull_up(subject: CircuitUnderTest, signal: str) -> bool:
    """True where nothing but a pull-up makes a signal of what the sensor does: without one, no such circuit is good."""
    return subject.is_thermistor(signal) or subject.switches or subject.family is Family.SWITCH


_OF_AN_OUTPUT = ("sensor_low", "sensor_high", "sensor_short", "sensor_stuck", "sensor_offset")


def amplified_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a circuit whose sensor makes volts of its supply."""
    gauge = ("gauge_for_absolute",) if subject.atmosphere is not None else ()
    of_sensor = (*_OF_AN_OUTPUT, "sensor_gain", "sensor_range", "signal_clamped", *gauge)
    return wired_faults(subject, of_sensor if subject.curve is not None else ())


def output_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a controller's own output."""
    return wired_faults(subject, (*_OF_AN_OUTPUT, "output_scaling") if subject.curve is not None else ())


def hall_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a circuit whose sensor switches as a target comes near."""
    return wired_faults(subject, ("sensor_low", "sensor_high", "sensor_short", "target_far"))


def frequency_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a circuit whose sensor makes pulses by what the fuel holds."""
    own = ("sensor_low", "sensor_high", "sensor_short", "frequency_wrong", "fuel_contaminated")
    return wired_faults(subject, (*own, f"{SIGNAL}_live_scaling"))


def switch_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a contact to ground."""
    return wired_faults(subject, ("contact_open", "contact_closed", "contact_resistance"))


def thermistor_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a thermistor on two wires."""
    return wired_faults(subject)


# Checks


def wired_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check of such a circuit, the plugged-in ones at each state that it has."""
    pins, states = subject.pins, subject.states
    role_points = [*_unplugged(subject), *(RolePoint("mated_v", pin, state) for pin in pins for state in states)]
    role_points += [RolePoint("mated_live", signal, state) for signal in subject.signals for state in states]
    if subject.has_reference:
        role_points.append(RolePoint("sensor_ohm", REFERENCE))
    if subject.others_on_reference and subject.has_reference:
        role_points.append(RolePoint("sharers_off_v", REFERENCE))
    return (*role_points, *(RolePoint("sensor_ohm", s) for s in subject.signals if subject.is_thermistor(s)))


def _unplugged(subject: CircuitUnderTest) -> list[RolePoint]:
    kinds = ("open_v", "lamp_negative", "lamp_positive", "off_ohm")
    drives = ["unplugged", "lamp_positive", "jumped_battery", "jumped_return"]
    if subject.has_reference and not subject.supply_from_battery:
        drives.append("jumped_reference")
    at_pins = [RolePoint(kind, pin) for kind in kinds for pin in subject.pins]
    driven = [RolePoint("live", signal, drive) for signal in subject.signals for drive in drives]
    return [*at_pins, RolePoint("return_drop"), *driven]


def hall_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """The same, and both levels while the target goes past."""
    return (*wired_role_points(subject), RolePoint("rotating"))


def switch_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """The same, and the loose contact in both of its states."""
    return (*wired_role_points(subject), *(RolePoint("sensor_ohm", SIGNAL, state) for state in subject.states))


def frequency_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check of a sensor whose pulses are counted."""
    runs = [RolePoint(kind, "", state) for kind in ("running", "running_live") for state in subject.states]
    return (*_unplugged(subject), RolePoint("mated_v", REFERENCE, subject.states[0]), *runs)


# Proofs of a good circuit


def wired_required(subject: CircuitUnderTest, driven: Collection[str]) -> tuple[RolePoint, ...]:
    """What proves such a circuit; a wire in `driven` carries volts unplugged, and is proved by pulling it down."""
    role_points = [*_required_wires(subject, driven)]
    for signal in subject.signals:
        role_points += [RolePoint("mated_v", signal, state) for state in subject.states]
        role_points += [RolePoint("mated_live", signal, state) for state in subject.states]
    return tuple(role_points)


def _required_wires(subject: CircuitUnderTest, driven: Collection[str]) -> list[RolePoint]:
    supply = [RolePoint("open_v", REFERENCE), RolePoint("lamp_negative", REFERENCE)] if subject.has_reference else []
    role_points = [*supply, RolePoint("lamp_positive", RETURN)]
    for signal in subject.signals:
        way = "jumped_return" if _is_biased(subject, signal, driven) else "lamp_positive"
        role_points += [RolePoint("open_v", signal), RolePoint("live", signal, way)]
    plugged = [RolePoint("mated_v", REFERENCE, subject.states[0])] if subject.has_reference else []
    return [*role_points, *plugged, RolePoint("return_drop")]


def _is_biased(subject: CircuitUnderTest, signal: str, driven: Collection[str]) -> bool:
    pulled = signal in subject.inputs and subject.inputs[signal].kind is InputKind.PULL_UP
    return pulled or signal in driven or subject.is_thermistor(signal) or subject.switches


def hall_required(subject: CircuitUnderTest, driven: Collection[str]) -> tuple[RolePoint, ...]:
    """The same, and both levels while the target goes past."""
    return (*wired_required(subject, driven), RolePoint("rotating"))


def frequency_required(subject: CircuitUnderTest, driven: Collection[str]) -> tuple[RolePoint, ...]:
    """What proves a sensor whose pulses are counted."""
    runs = [RolePoint(kind, "", state) for kind in ("running", "running_live") for state in subject.states]
    return (*_required_wires(subject, driven), *runs)


# Samples


def wired_samples(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """`n` good circuits on a network of wires, each parameter `(n,)`."""
    nominal_v = subject.supply_v or 5.0
    heavy = subject.family is Family.CONTROLLER_OUT
    p = (
        vehicle_samples(subject, n, rng)
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
        p["wiper_ohm"] = log_uniform(rng, 10, 1000, n)  # its contact, up to the resistor that many makers put behind it
    for signal in subject.signals:
        p |= _input(subject, signal, p["battery_v"], rng)
    if subject.switches:
        # A field-effect output is a few ohms when it is on; a bipolar one keeps its saturation volts whatever it carries.
        p["switch_sat_v"] = np.where(rng.random(n) < _BIPOLAR, rng.uniform(0.05, 0.4, n), 0.0)
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
    chosen_from_ohm = np.full(n, NOT_THERE)
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
        other = _OF_OUTPUT if subject.family is Family.CONTROLLER_OUT else _MAY_HAVE_ONE
        chances = _NEEDS_ONE if _needs_pull_up(subject, signal) else other
        kind = rng.choice([InputKind.PULL_UP, InputKind.PULL_DOWN, InputKind.NONE], n, p=chances)
        pulled_up = (kind == InputKind.PULL_UP).astype(float)
        pulled_down = (kind == InputKind.PULL_DOWN).astype(float)
        least_ohm = 900 if subject.switches else 4700  # an amplified output needs none, so what there is is weak
        pull_up_ohm = log_uniform(rng, least_ohm, 2e5, n)
        if subject.pot_ohm is not None:
            weak = log_uniform(rng, _WEAK_TO_TRACK * subject.pot_ohm, max(2e5, 4 * _WEAK_TO_TRACK * subject.pot_ohm), n)
            pull_up_ohm = np.where(rng.random(n) < _CHOSEN_WEAK, weak, pull_up_ohm)
            chosen_from_ohm = np.full(n, _STRONG_TO_TRACK * subject.pot_ohm)
        ohm = np.where(pulled_up > 0, pull_up_ohm, log_uniform(rng, 9e4, 1e6, n))
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
        f"chosen_from_ohm.{signal}": chosen_from_ohm,
        f"to_reference.{signal}": np.full(n, NOT_THERE),
        f"other_channel.{signal}": np.zeros(n),
        f"other_channel_v.{signal}": _of_another_channel(n, rng),
        f"converter_gain.{signal}": 1 + rng.normal(0, 0.005, n),
        f"scale.{signal}": np.ones(n),
        f"shift.{signal}": np.zeros(n),
        f"pegged.{signal}": np.full(n, np.nan),
    }
