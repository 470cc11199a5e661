"""What each reading should be: the shop's limits where they say it, else what good circuits of the card read.

An expectation is worked out from the circuit and the other readings (a ratiometric signal is expected from the *measured*
reference), never from memory.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from irongauge.core.bench.actions import ACTIONS, Action, AnswerKind
from irongauge.core.bench.case import BenchCase
from irongauge.core.bench.healthy import healthy_glows, healthy_window, healthy_words
from irongauge.core.bench.loading import loaded_v
from irongauge.core.measure.quantities import Glow, Limits, Reading, TestPoint
from irongauge.core.measure.uncertainty import UNKNOWN_METER, combine
from irongauge.core.measure.units import show_volts
from irongauge.core.sensors.circuits import Role
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.transfer import CurveKind

__all__ = [
    "Expectation",
    "GlowExpectation",
    "WindowExpectation",
    "WordExpectation",
    "Words",
    "expect",
    "instrument_u",
    "spoken",
]

_ADC_COUNTS = 1023  # live data: a 10-bit converter over its full scale, rectangular over one count
_USUAL_BIAS_V = 5.0  # of an input that the card leaves open
_SIGNAL_REST_V = 0.5  # an undriven input may float this high
_RETURN_OHM = 5.0  # battery off, leads and joints with it
_ISOLATED_OHM = 50.0  # less, with the battery off, is a short
# Of nominal: below is discharged, above is more than any charger or alternator holds. A fresh battery stands at 13.3 V.
_BATTERY_WINDOW, _ON_CHARGE = Limits(11.8 / 12, 15.0 / 12), 13.0 / 12
_FULL_SCALE_SHARE = 0.98  # an input that clamps reads its end within two counts in a hundred
_RULED = {Family.RATIOMETRIC, Family.POTENTIOMETER, Family.COMBO}
_LIVE_VOLTS = {
    Action.LIVE_V, Action.LIVE_LAMP_POSITIVE_V, Action.LIVE_JUMPED_V, Action.LIVE_UNPLUGGED_V, Action.LIVE_GROUNDED_V,
}  # fmt: skip
_PULLED_DOWN_V = 0.1  # a jumper and a good return leave less on the input


# What is said of a reading. Some of it is worked out only when a page asks, since most pages need the mark alone.
Words = str | Callable[[], str]


def spoken(words: Words) -> str:
    """Words as text, worked out now where they were put off."""
    return words if isinstance(words, str) else words()


@dataclass(frozen=True, kw_only=True)
class WindowExpectation:
    """Numbers that would do, in the fixed unit of the reading, with what it means to be inside, below or above.

    A `soft` one is what good circuits usually read, not a limit that anybody set: by itself it convicts nothing.
    """

    window: Limits
    inside: Words
    below: Words
    above: Words
    other_u: float = 0.0
    aim: float | None = None
    soft: bool = False


@dataclass(frozen=True)
class GlowExpectation:
    """The glow that would do, and what each glow means."""

    wanted: frozenset[Glow]
    means: Mapping[Glow, str]
    soft = True  # judged by eye


@dataclass(frozen=True)
class WordExpectation:
    """The words that would do."""

    wanted: frozenset[str]
    soft = True


Expectation = WindowExpectation | GlowExpectation | WordExpectation


def expect(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    """What a test point should read in this case, or None while nothing can be expected of it (a pin of unknown role).

    The shop's limits say it where they can; else the readings of good circuits of this card do.
    """
    action = Action(test_point.action)
    if action not in _EXPECTED or not _has_limits(case, test_point):
        return _as_good_circuits(case, test_point)
    return _EXPECTED[action](case, test_point) or _as_good_circuits(case, test_point)


def _has_limits(case: BenchCase, test_point: TestPoint) -> bool:
    """True where the shop's own limits judge: set-up, any return, and the wires of sensors on a regulated reference."""
    role = None if test_point.cavity is None else case.role_of(test_point.cavity)
    if test_point.action in {Action.BATTERY_V, Action.BATTERY_LAMP}:
        return True
    if role is Role.RETURN and test_point.action in {Action.OPEN_V, Action.MATED_V, Action.LAMP_POSITIVE}:
        return True
    if role is Role.REFERENCE:
        return not case.circuit.battery_fed
    ruled = case.circuit.family in _RULED and not case.circuit.battery_fed
    return ruled and role not in {Role.TEMPERATURE, Role.PLUS, Role.MINUS}


def _as_good_circuits(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    spec = ACTIONS[Action(test_point.action)]
    if spec.answer is AnswerKind.GLOW:
        glows = healthy_glows(case, test_point)
        if glows is None:
            return None
        means = {g: "as in a good circuit." if g in glows else "not as in a good circuit." for g in Glow}
        return GlowExpectation(glows, means)
    if spec.answer is AnswerKind.WORD:
        words = healthy_words(case, test_point)
        return None if words is None else WordExpectation(words)
    window = healthy_window(case, test_point)
    if window is None:
        return None
    return WindowExpectation(
        window=window,
        inside="As a good circuit of this kind reads.",
        below="Lower than a good circuit of this kind reads.",
        above="Higher than a good circuit of this kind reads.",
        soft=True,
    )


def instrument_u(case: BenchCase, reading: Reading, value: float) -> float:
    """Standard uncertainty of what the reading's instrument shows at `value`, in the reading's fixed unit."""
    action = Action(reading.test_point.action)
    if not math.isfinite(value):
        return 0.0
    if action in _LIVE_VOLTS:
        return case.circuit.live_full_scale_v / _ADC_COUNTS / math.sqrt(12)
    if not ACTIONS[action].reads_meter:
        return 0.0
    instrument = case.instruments.get(reading.instrument_uid) if reading.instrument_uid else None
    spec = instrument.meter if instrument is not None and instrument.meter is not None else UNKNOWN_METER
    u = spec.standard_uncertainty(value)
    # A meter's card gives its volts; on mA it is about half as good.
    return 2 * u if ACTIONS[action].answer is AnswerKind.MILLIAMPS else u


# What each action should read


def _battery_v(case: BenchCase, _test_point: TestPoint) -> Expectation:
    window = Limits(_BATTERY_WINDOW.low * case.system_v, _BATTERY_WINDOW.high * case.system_v)

    def fit() -> str:
        charged = case.battery_v > _ON_CHARGE * case.system_v
        with_charge = " Freshly charged, on a charger or with the engine running: go on." if charged else ""
        return f"Meter and battery are fit to test with.{with_charge}"

    return WindowExpectation(
        window=window,
        inside=fit,
        below="Charge the battery, or prove the meter and its leads, before you trust anything else.",
        above="Is the system voltage on the vehicle's page right? Else the charging is out of control: look at that first.",
    )


def _battery_lamp(_case: BenchCase, _test_point: TestPoint) -> Expectation:
    bad = "the lamp or its leads are bad: every later lamp answer would be worthless."
    means = {Glow.BRIGHT: "it works.", Glow.DIM: bad, Glow.DARK: bad}
    return GlowExpectation(frozenset({Glow.BRIGHT}), means)


def _open_v(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    role = case.role_of(test_point.cavity or "")
    if role is Role.REFERENCE:
        return WindowExpectation(
            window=case.reference_window(),
            inside="The reference is at the connector; only a load shows whether it holds.",
            below="The reference is low or missing at the connector.",
            above="More than the controller supplies: another supply is on this wire.",
        )
    if role is Role.RETURN:
        limit_v = case.limits.return_limit_mv / 1000
        return WindowExpectation(
            window=Limits(-limit_v, limit_v),
            inside="No voltage on the return; the lamp shows whether it reaches ground.",
            below="The return is below battery negative: swapped leads?",
            above="The return is lifted although nothing is plugged in.",
        )
    if role is Role.SIGNAL and case.circuit.pull_up is not None:
        to_v = case.circuit.pull_up.to_v
        return WindowExpectation(
            window=Limits(0.95 * to_v, 1.05 * to_v),
            inside="The controller's bias is on the signal wire.",
            below="The controller's bias does not arrive: pull-up missing, wire open or shorted.",
            above="More than the controller's bias: another supply is on this wire.",
            soft=True,
        )
    if role is Role.SIGNAL and not case.circuit.unpulled:
        return WindowExpectation(
            window=Limits(-0.1, 1.05 * max(_USUAL_BIAS_V, case.circuit.reference_v)),
            inside="What hangs on this input is not known: this is its bias, or it has none.",
            below="Below battery negative: swapped leads?",
            above="More than any input of a controller: another supply is on this wire.",
            soft=True,
        )
    if role is Role.SIGNAL:
        return WindowExpectation(
            window=Limits(-0.1, _SIGNAL_REST_V),
            inside="Nothing drives the unplugged signal wire, as it should be.",
            below="Below battery negative: swapped leads?",
            above="Something drives the signal wire although the sensor is off.",
            soft=True,
        )
    return None


def _lamp_negative(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    if case.role_of(test_point.cavity or "") is not Role.REFERENCE:
        return None if case.role_of(test_point.cavity or "") is None else _lamp_on_driven(case)
    # At 12 V a supply lights the lamp fully; at 8 V and below it glows at part strength.
    wanted = Glow.BRIGHT if case.circuit.reference_v >= 0.8 * case.battery_v else Glow.DIM
    means = dict.fromkeys(Glow, "not what a reference of this voltage does: measure it under the lamp.")
    means[Glow.DARK] = "the pin cannot carry the lamp: a bias, a bad joint, or no reference."
    means[wanted] = "the reference carries the load."
    return GlowExpectation(frozenset({wanted}), means)


def _lamp_on_driven(_case: BenchCase) -> Expectation:
    """A signal or return wire that is driven unplugged is wrong, unless the lamp shows that it is only a bias."""
    means = dict.fromkeys(Glow, "a supply stands behind this wire.")
    means[Glow.DARK] = "only a weak bias stands behind this wire."
    return GlowExpectation(frozenset({Glow.DARK}), means)


def _lamp_negative_v(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    role = case.role_of(test_point.cavity or "")
    if role is None:
        return None
    if role is not Role.REFERENCE:
        return WindowExpectation(
            window=Limits(-0.1, 1.0),
            inside="It collapses, so only a bias stands behind this wire.",
            below="Below battery negative: swapped leads?",
            above="It holds under the lamp: a supply stands behind this wire.",
            soft=True,
        )
    return WindowExpectation(
        window=Limits(case.hold_v, case.reference_window().high),
        inside="The reference holds under load.",
        below="It collapses under load: a bad joint in the supply wire, or this pin is only a bias.",
        above="More than the controller supplies: another supply is on this wire.",
    )


def _lamp_positive(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    role = case.role_of(test_point.cavity or "")
    if role is Role.RETURN:
        lit = "there is a path to ground; its quality shows plugged in."
        return GlowExpectation(
            frozenset({Glow.DIM, Glow.BRIGHT}),
            {Glow.BRIGHT: lit, Glow.DIM: lit, Glow.DARK: "no path to ground on the return."},
        )
    if role is Role.SIGNAL:
        shorted = "the signal wire has a path to ground that should not be there."
        return GlowExpectation(
            frozenset({Glow.DARK}),
            {Glow.DARK: "no path to ground on the signal wire.", Glow.DIM: shorted, Glow.BRIGHT: shorted},
        )
    return None


def _live_lamp_positive(case: BenchCase, _test_point: TestPoint) -> Expectation:
    return WindowExpectation(
        window=Limits(_FULL_SCALE_SHARE * case.circuit.live_full_scale_v),
        inside="The channel goes to full scale: the signal wire reaches its input.",
        below="The channel does not follow: signal wire open, or this is another channel.",
        above="",
        soft=True,
    )


def _live_jumped(_case: BenchCase, _test_point: TestPoint) -> Expectation:
    return WindowExpectation(
        window=Limits(-_PULLED_DOWN_V, _PULLED_DOWN_V),
        inside="The channel falls to nothing: the signal wire reaches its input.",
        below="Below nothing: look at the live data again.",
        above="The channel does not follow: signal wire or return open, or this is another channel.",
        soft=True,
    )


def _mated_v(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    role = case.role_of(test_point.cavity or "")
    if role is Role.REFERENCE:
        return WindowExpectation(
            window=case.reference_window(),
            inside="The reference holds with the sensor on it.",
            below="The sensor or its wiring pulls the reference down.",
            above="More than the controller supplies: another supply is on this wire.",
        )
    if role is Role.RETURN:
        limit_v = case.limits.return_limit_mv / 1000
        return WindowExpectation(
            window=Limits(-limit_v, limit_v),
            inside="The return is good.",
            below="The return is below battery negative: swapped leads, or current from elsewhere in it.",
            above="Volts are lost in the return: a bad joint, or other current in this wire.",
            aim=case.limits.return_aim_mv / 1000,
        )
    if role is Role.SIGNAL and case.points():
        # One that was taken before anybody knew that this is the signal was taken as the circuit stood: at its first value.
        return _signal_at(case, test_point, test_point.point or 0)
    return None


def _signal_at(case: BenchCase, test_point: TestPoint, point: int) -> WindowExpectation:
    sensor = case.circuit.sensor
    curve, reference_v = sensor.curve, case.driven_reference_v
    applied = case.stimulus_value(point)
    assert curve is not None  # these families have one
    assert applied is not None
    return_v = case.at(Action.MATED_V, Role.RETURN) or 0.0
    expected_v = curve.value_to_signal_v(applied, reference_v) + return_v
    tolerance = sensor.tolerance_pct_span / 100 * curve.span
    measured_v = case.number(Action.MATED_V, test_point.cavity, point)
    is_measured = case.at(Action.MATED_V, Role.REFERENCE) is not None
    # Until the reference is measured plugged in, it may be anything that a good one is.
    possible = (reference_v,) if is_measured else (case.reference_window().low, case.reference_window().high)
    ends_v = [end + return_v for v in possible for end in curve.window_v(applied, tolerance, v)]
    ends_v += [loaded_v(case, end) for end in ends_v]

    def says() -> str:
        if measured_v is None:
            return ""
        seen = curve.signal_v_to_value(measured_v - return_v, reference_v)
        basis = "the measured reference" if is_measured else "the reference not measured plugged in, so nominal"
        return (
            f"With {basis} ({show_volts(reference_v)} across the sensor) that is {case.value_text(seen)}; "
            f"{case.value_text(applied, trim=True)} is applied, so {show_volts(expected_v)} is expected."
        )

    return WindowExpectation(
        window=Limits(min(ends_v), max(ends_v)),
        inside=says,
        below=says,
        above=says,
        other_u=_signal_other_u(case, point),
    )


def _signal_other_u(case: BenchCase, point: int) -> float:
    """Standard uncertainty, in volts, that the measured reference and the stimulus gauge add to the expected signal."""
    curve, reference_v = case.circuit.sensor.curve, case.driven_reference_v
    applied = case.stimulus_value(point)
    assert curve is not None  # these families have one
    assert applied is not None
    full_v = reference_v if curve.kind is CurveKind.RATIO else 1.0
    slope_v = abs(curve.slope_at(applied)) * full_v
    reference_u = 0.0
    pin = case.pin_of(Role.REFERENCE)
    reference = None if pin is None else case.readings.get(TestPoint(Action.MATED_V, pin.cavity))
    if reference is not None and reference.value is not None:
        share = curve.value_to_signal_v(applied, reference_v) / reference_v
        reference_u = share * instrument_u(case, reference, reference.value)
    return combine(_gauge_u(case, point) * slope_v, reference_u)


def _gauge_u(case: BenchCase, point: int) -> float:
    """Standard uncertainty of a stimulus, in the curve's fixed unit: of the gauge beside the signal's reading."""
    pin = case.pin_of(Role.SIGNAL)
    signal = None if pin is None else case.readings.get(TestPoint(Action.MATED_V, pin.cavity, point))
    uid = None if signal is None else signal.stimulus_instrument_uid
    gauge = None if uid is None else case.instruments.get(uid)
    return 0.0 if gauge is None or gauge.gauge is None else gauge.gauge.standard_uncertainty()


def _live_v(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    signal_v = case.at(Action.MATED_V, Role.SIGNAL, test_point.point)
    if signal_v is None:
        return None
    # The controller reads against its own ground. A drop in the return may lie on either side of that ground, so live
    # data may show the pin's volts with the drop or without it.
    return_v = case.at(Action.MATED_V, Role.RETURN) or 0.0
    full_v = case.circuit.live_full_scale_v
    low_v, high_v = (min(max(signal_v - part, 0.0), full_v) for part in (max(return_v, 0.0), min(return_v, 0.0)))
    match_v = case.limits.live_match_mv / 1000
    differs = "The controller reads a different voltage from the pin: wrong channel, or a bad joint between them."
    signal = case.pin_of(Role.SIGNAL)
    reading = None if signal is None else case.readings.get(TestPoint(Action.MATED_V, signal.cavity, test_point.point))
    other_u = 0.0 if reading is None else instrument_u(case, reading, signal_v)
    return WindowExpectation(
        window=Limits(low_v - match_v, high_v + match_v),
        inside="The controller sees what the pin has.",
        below=differs,
        above=differs,
        other_u=other_u,
    )


def _live_value(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    """A value has to fit the volts that it is made of, and then what is applied to the sensor."""
    reading = case.readings.get(test_point)
    from_volts = _value_from_volts(case, test_point)
    applied = _value_applied(case, test_point, has_volts=from_volts is not None)
    if from_volts is None or applied is None or reading is None or reading.value is None:
        return from_volts or applied
    follows_wrong_volts = reading.value in from_volts.window and reading.value not in applied.window
    return applied if follows_wrong_volts else from_volts


def _value_from_volts(case: BenchCase, test_point: TestPoint) -> WindowExpectation | None:
    """What this sensor's curve makes of the volts in live data, or of those at the pin where live data shows none."""
    curve, limits = case.circuit.sensor.curve, case.limits
    assert curve is not None  # these families have one
    part, source = limits.live_scaling_pct_span / 100 * curve.span, ""
    volts = case.number(Action.LIVE_V, None, test_point.point)
    if volts is None:
        volts = case.at(Action.MATED_V, Role.SIGNAL, test_point.point)
        if volts is None:
            return None
        source = " at the pin"
        ends_v = [curve.value_to_signal_v(end, case.circuit.reference_v) for end in (curve.value_low, curve.value_high)]
        part += limits.live_match_mv / 1000 * curve.span / abs(ends_v[1] - ends_v[0])
    # Some controllers divide by the reference that they measure, others by what it should be.
    nominal_v = case.circuit.reference_v
    reference_v = case.at(Action.MATED_V, Role.REFERENCE) or nominal_v
    if abs(reference_v) <= limits.absent_v:
        reference_v = nominal_v  # nothing is divided by a reference that is not there; its own reading fails
    value = curve.signal_v_to_value(volts, nominal_v)
    low, high = sorted((value, curve.signal_v_to_value(volts, reference_v)))

    def differs() -> str:
        made = case.value_text(value)
        return (
            f"From {show_volts(volts)}{source} this sensor's curve makes {made}: "
            "the controller is scaled for another curve."
        )

    window = _as_shown(case, test_point, Limits(low, high), part)
    fits = "The controller's scaling fits this sensor's curve."
    return WindowExpectation(window=window, inside=fits, below=differs, above=differs)


def _value_applied(case: BenchCase, test_point: TestPoint, *, has_volts: bool) -> WindowExpectation | None:
    """What is applied to the sensor, give or take its own tolerance and the controller's."""
    sensor, limits = case.circuit.sensor, case.limits
    assert test_point.point is not None  # a value is asked for at a stimulus
    applied = case.stimulus_value(test_point.point)
    assert sensor.curve is not None  # these families have one
    assert applied is not None
    part = (sensor.tolerance_pct_span + limits.live_scaling_pct_span) / 100 * sensor.curve.span
    own_v = sensor.curve.value_to_signal_v(applied, case.circuit.reference_v)
    loaded = sensor.curve.signal_v_to_value(loaded_v(case, own_v), case.circuit.reference_v)
    applied_as_read = Limits(*sorted((applied, loaded)))

    def differs() -> str:
        at = case.value_text(applied, trim=True)
        if not has_volts:
            return f"{at} is applied. Its volts show whether they are wrong, or what the controller makes of them."
        return f"{at} is applied. The sensor voltage is wrong, not the scaling."

    return WindowExpectation(
        window=_as_shown(case, test_point, applied_as_read, part),
        inside="Live data shows what is applied.",
        below=differs,
        above=differs,
        other_u=_gauge_u(case, test_point.point),
    )


def _as_shown(case: BenchCase, test_point: TestPoint, value: Limits, part: float) -> Limits:
    """What a reader may show of a value, give or take `part`: it may stop at its ends, and at the curve's if nobody knows."""
    reader, curve = case.circuit.reader, case.circuit.sensor.curve
    assert curve is not None  # these families have one
    seen = case.readings.get(test_point)
    outside = value.high < curve.value_low or value.low > curve.value_high
    if outside and reader.fault_value is not None and seen is not None and seen.value is not None:
        fault = Limits(reader.fault_value - part, reader.fault_value + part)
        if seen.value in fault:
            return fault
    stop_low = curve.value_low if reader.least is None else reader.least
    stop_high = curve.value_high if reader.most is None else reader.most
    low, high = (min(max(end, stop_low), stop_high) for end in (value.low, value.high))
    low = min(low, value.low) if reader.least is None else low
    high = max(high, value.high) if reader.most is None else high
    return Limits(low - part, high + part)


def _off_ohm(case: BenchCase, test_point: TestPoint) -> Expectation | None:
    if case.role_of(test_point.cavity or "") is None:
        return None  # it may be the return
    if case.role_of(test_point.cavity or "") is Role.RETURN:
        return WindowExpectation(
            window=Limits(0.0, _RETURN_OHM),
            inside="The return reaches ground.",
            below="",
            above="Resistance in the return: a bad joint, or the wire is open.",
            soft=True,
        )
    return WindowExpectation(
        window=Limits(_ISOLATED_OHM),
        inside=f"No short to ground on {case.pin_name(test_point.cavity or '')}.",
        below=f"Short to ground on {case.pin_name(test_point.cavity or '')}.",
        above="",
        soft=True,
    )


def _sharers_off(case: BenchCase, _test_point: TestPoint) -> Expectation:
    return WindowExpectation(
        window=case.reference_window(),
        inside="The voltage comes back without the other sensors: one of them pulls it down.",
        below="Still low without the other sensors: it is not one of them.",
        above="More than the controller supplies: another supply is on this wire.",
    )


_EXPECTED: dict[Action, Callable[[BenchCase, TestPoint], Expectation | None]] = {
    Action.BATTERY_V: _battery_v,
    Action.BATTERY_LAMP: _battery_lamp,
    Action.OPEN_V: _open_v,
    Action.LAMP_NEGATIVE: _lamp_negative,
    Action.LAMP_NEGATIVE_V: _lamp_negative_v,
    Action.LAMP_POSITIVE: _lamp_positive,
    Action.LIVE_LAMP_POSITIVE_V: _live_lamp_positive,
    Action.LIVE_JUMPED_V: _live_jumped,
    Action.MATED_V: _mated_v,
    Action.LIVE_V: _live_v,
    Action.LIVE_VALUE: _live_value,
    Action.OFF_OHM: _off_ohm,
    Action.SHARERS_OFF_V: _sharers_off,
}
