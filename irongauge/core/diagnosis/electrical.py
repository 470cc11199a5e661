"""What every check would read on a circuit of the direct-current families, in all samples at once.

One network serves healthy and faulty samples alike, since a fault is a size of one of its branches:

    battery ─┬─ feed ──[wire]── h.reference ──┐
             │                                sensor ── h.signal ──[wire]── in.signal ─┬─[pull-up]─ 5 V
    earth ───┴───────[wire]── h.return ───────┘                                        └─[pull-down]─ earth

`h.…` are the pins of the harness connector, where the meter and the lamp go; `earth` is the controller's own ground,
which lies a little above battery negative.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from irongauge.core.diagnosis.changes import CROSSINGS
from irongauge.core.diagnosis.circuit_under_test import REFERENCE, RETURN, SIGNAL, TEMPERATURE, CircuitUnderTest
from irongauge.core.diagnosis.current_loop import loop_sensor, through_ma
from irongauge.core.diagnosis.network import GROUND, Network, Solution
from irongauge.core.diagnosis.parameters import CUT, NOT_THERE, Parameters
from irongauge.core.diagnosis.role_points import NO_CONTACT_V, Array, Flags, Kind, PredictedPart, RolePoint
from irongauge.core.diagnosis.shown_value import HEAT_SHOWN_DEGC, shown_value, stopped
from irongauge.core.sensors.families import LOW_BELOW_V, Family

__all__ = ["OHMMETER_OHM", "OHMMETER_V", "Bench", "lamp_current_a", "metered_ohm"]

METER_OHM = 1e7  # what a digital multimeter loads a circuit with on its volt ranges
OHMMETER_V, OHMMETER_OHM = 0.5, 1000.0  # an ohm range that opens no junction, behind its own resistance
FULL_SCALE_V = 5.0  # of a controller output and of an unknown input
_FUSED_OFF_OHM = 20.0  # other loads on a switched battery feed, key off
_DIODE_V = 0.62  # silicon at some milliamperes
_HIGH_Z_OHM = 1e6  # an output stage that is off
_TERMINALS = {REFERENCE: "feed", RETURN: "earth", SIGNAL: f"in.{SIGNAL}", TEMPERATURE: f"in.{TEMPERATURE}"}
# Sensors whose output needs no look at their own supply first.
_PASSIVE = {Family.POTENTIOMETER, Family.THERMISTOR, Family.SWITCH, Family.CURRENT_LOOP}
_STRAND_OHM = 0.01  # of a stretch of wire without its joint
_OPEN_CONTACT_OHM = 5e7  # clean and dry
_TOGGLE_HIGH_V = 2.0  # what a digital input of 5 V logic takes for high (JEDEC JESD8: TTL levels)
_KELVIN = 273.15  # 0 °C

Extra = Callable[[Network], None]


def lamp_current_a(lamp_v: Array, rated_v: float = 12.0) -> Array:
    """Current through the test lamp at the voltage on it, from I ∝ V^0.55 and 0.12 A at its rated voltage."""
    return 0.12 * np.sign(lamp_v) * (np.abs(lamp_v) / rated_v) ** 0.55


def metered_ohm(pin_v: Array) -> Array:
    """What an ohmmeter of `OHMMETER_V` behind `OHMMETER_OHM` makes of the volts that it leaves on a pin."""
    return pin_v / np.maximum((OHMMETER_V - pin_v) / OHMMETER_OHM, 1e-12)


class Bench:
    """All samples of one circuit, ready to be measured. States of the plugged-in sensor are solved once and kept."""

    def __init__(self, subject: CircuitUnderTest, p: Parameters) -> None:
        self.subject = subject
        self.p = p
        self.n = len(p["on"])
        self._mated: dict[str, Solution] = {}

    def read(self, role_point: RolePoint) -> dict[str, PredictedPart]:
        """What the check would give in every sample, by part; empty for a check that this circuit does not have."""
        reader = _READERS.get(role_point.kind)
        return {} if reader is None else reader(self, role_point)

    # The network

    def solve(
        self,
        *,
        key_on: bool = True,
        others_on_reference: bool = True,
        sensor: Extra | None = None,
        extra: Extra | None = None,
    ) -> Solution:
        """Volts at every node in all samples; `sensor` and `extra` add what is plugged in and what is clipped on."""
        net, p = Network(self.n), self.p
        powered = (p["on"] > 0) & key_on
        net.source("battery", p["battery_v"], 0.02)
        net.source("earth", np.where(powered, p["earth_v"], 0.0), p["earth_ohm"])
        self._feed(net, powered, key_on=key_on, others_on_reference=others_on_reference)
        self._wires(net, key_on=key_on)
        for signal in self.subject.signals:
            self._input(net, signal, powered, key_on=key_on)
        for pin in self.subject.pins:
            net.resistor(f"h.{pin}", GROUND, p[f"to_ground.{pin}"])
            feed_v = p["battery_v"] if key_on else np.zeros(self.n)
            net.source(f"h.{pin}", feed_v, p[f"to_battery.{pin}"] + (0.0 if key_on else _FUSED_OFF_OHM))
        for add in (sensor, extra):
            if add is not None:
                add(net)
        return net.solve()

    def _feed(self, net: Network, powered: Flags, *, key_on: bool, others_on_reference: bool) -> None:
        p = self.p
        if self.subject.supply_from_battery:
            if key_on:
                whole = p["fuse"] > 0
                net.source("feed", np.where(whole, p["battery_v"], 0.0), np.where(whole, 0.08, CUT))
            else:
                net.resistor("feed", "earth", _FUSED_OFF_OHM)
            return
        if key_on:
            supply_v = np.where(powered, p["supply_v"], 0.0)
            net.supply(
                "feed", supply_v, p["supply_ohm"], limit_a=p["supply_limit_a"], to="earth", fold=p["supply_fold"]
            )
        net.resistor("feed", "earth", p["supply_off_ohm"])
        if self.subject.others_on_reference and others_on_reference:
            net.resistor("feed", "earth", p["sharers_ohm"])
            net.resistor("feed", GROUND, p["sharer_short_ohm"])

    def _wires(self, net: Network, *, key_on: bool) -> None:
        """From the controller's terminals to the connector's pins, straight or crossed; a return may go to the body."""
        p = self.p
        on_body = ~np.isnan(p["body_v"])
        terminals = [t for t in (REFERENCE, RETURN, SIGNAL) if t in self.subject.pins]
        is_crossed = bool((p["crossed"] > 0).any())
        for terminal in terminals:
            joined_to: dict[str, Flags] = {}
            for pin in terminals if is_crossed else (terminal,):
                joined: Flags = np.full(self.n, terminal == pin)
                for place, pair in CROSSINGS.items():
                    crossed = dict(zip(pair, reversed(pair), strict=True)).get(terminal, terminal)
                    joined = np.where(p["crossed"] == place, pin == crossed, joined)
                joined_to[pin] = joined & ~on_body if terminal == RETURN else joined
            near, rest_ohm = self._way(net, terminal, joined_to)
            for pin, joined in joined_to.items():
                if joined.any():
                    ohm = p[f"wire.{pin}"] if rest_ohm is None else rest_ohm
                    net.resistor(near, f"h.{pin}", np.where(joined, ohm, NOT_THERE))
        if on_body.any():
            body_v = np.where(on_body & key_on, np.nan_to_num(p["body_v"]), 0.0)
            net.source(f"h.{RETURN}", body_v, np.where(on_body, 0.3, NOT_THERE))
        if TEMPERATURE in self.subject.pins:
            near, rest_ohm = self._way(net, TEMPERATURE, {TEMPERATURE: np.full(self.n, True)})
            ohm = p[f"wire.{TEMPERATURE}"] if rest_ohm is None else rest_ohm
            net.resistor(near, f"h.{TEMPERATURE}", ohm)

    def _way(self, net: Network, terminal: str, joined_to: Mapping[str, Flags]) -> tuple[str, Array | None]:
        """A terminal's wire up to the last of the places on it, and the ohms of the rest; None where no place is asked for.

        What a wire has in ohms lies at one place of its way: a joint, a break, a rubbed strand.
        """
        near, begin = _TERMINALS[terminal], 0.0
        places = self.subject.ways.get(terminal, ())
        if not places:
            return near, None
        at = self.p[f"fault_at.{terminal}"]
        ohm = sum((np.where(joined, self.p[f"wire.{pin}"], 0.0) for pin, joined in joined_to.items()), np.zeros(self.n))
        ohm = np.maximum(ohm, _STRAND_OHM)
        for place, share in sorted(places, key=lambda found: found[1]):
            node = f"way.{terminal}.{place}"
            net.resistor(near, node, np.where((at >= begin) & (at < share), ohm, _STRAND_OHM))
            near, begin = node, share
        return near, np.where(at >= begin, ohm, _STRAND_OHM)

    def _input(self, net: Network, signal: str, powered: Flags, *, key_on: bool) -> None:
        p, node = self.p, f"in.{signal}"
        up, from_battery = p[f"pulled_up.{signal}"] > 0, p[f"from_battery.{signal}"] > 0
        fed = (powered | from_battery) & key_on
        # Without its supply a pull-up ends on whatever else hangs there.
        through_ohm = np.where(fed, 0.0, np.where(from_battery, _FUSED_OFF_OHM, p["supply_off_ohm"]))
        pull_v = np.where(up & fed, p[f"input_v.{signal}"], 0.0)
        pull_ohm = np.where(up, p[f"input_ohm.{signal}"] + through_ohm, 1e12)
        in_harness = p[f"in_harness.{signal}"] > 0
        net.source(node, pull_v, np.where(in_harness, 1e12, pull_ohm))
        if in_harness.any():
            net.source(f"h.{signal}", np.where(in_harness, pull_v, 0.0), np.where(in_harness, pull_ohm, 1e12))
        down = p[f"pulled_down.{signal}"] > 0
        net.resistor(node, "earth", np.where(down, p[f"input_ohm.{signal}"], p["leak_ohm"]))
        second_v = p[f"input_v.{signal}"] if key_on else np.zeros(self.n)
        net.source(node, second_v, p[f"second_pull_up_ohm.{signal}"] + (0.0 if key_on else 2000.0))
        if self.subject.has_reference:
            net.resistor(f"h.{signal}", f"h.{REFERENCE}", p[f"to_reference.{signal}"])
        else:
            internal_v = p["internal_v"] if key_on else np.zeros(self.n)
            net.source(f"h.{signal}", internal_v, p[f"to_reference.{signal}"] + (0.5 if key_on else 1400.0))

    # The sensor

    def share_at(self, value: float) -> Array:
        """The share of its supply that the sensor's output makes at a value."""
        curve, p = self.subject.curve, self.p
        assert curve is not None  # only asked of families that have one
        place = ((value - curve.value_low) / curve.span - p["range_low"]) / p["range_span"]
        shown = curve.share_at(np.clip(place * p["gain"], -0.2, 1.25))
        share = np.where(np.isnan(p["stuck_at"]), shown + p["offset"], p["stuck_at"])
        return np.clip(np.minimum(share, p["clamp_share"]), 0.005, 0.995)

    def ntc_ohm(self, temperature_degc: float) -> Array:
        """Resistance of the thermistor by its card, with its fault; another beta turns the curve about 25 °C."""
        ntc, p = self.subject.thermistor, self.p
        assert ntc is not None  # only asked of families that have one
        turned = ntc.beta_k * p["ntc_beta"] * (1 / (temperature_degc + _KELVIN) - 1 / (25 + _KELVIN))
        ohm = ntc.ohm_at(temperature_degc) * p["ntc_factor"] * np.exp(turned)
        ohm = np.where(p["ntc_open"] > 0, 1e8, ohm)
        return 1 / (1 / ohm + 1 / p["ntc_short_ohm"])

    def mated(self, state: str) -> Solution:
        """The circuit with the sensor plugged in and put to a state.

        An active output is a source that depends on the sensor's own supply, so that is found first without it.
        """
        if state not in self._mated:
            passive = self.subject.family in _PASSIVE
            supplied = None if passive else self.solve(sensor=lambda net: self._sensor(net, state, None))
            self._mated[state] = self.solve(sensor=lambda net: self._sensor(net, state, supplied))
        return self._mated[state]

    def _sensor(self, net: Network, state: str, supplied: Solution | None) -> None:
        subject, p, family = self.subject, self.p, self.subject.family
        signal, reference, back = f"h.{SIGNAL}", f"h.{REFERENCE}", f"h.{RETURN}"
        if family is Family.THERMISTOR:
            net.resistor(signal, back, self.ntc_ohm(subject.temperatures_degc[state]))
            return
        if family is Family.CURRENT_LOOP:
            loop_sensor(net, subject, p, subject.stimuli[state])
            return
        if family is Family.SWITCH:
            closed = np.where(np.isnan(p["contact_stuck"]), float(state == "closed"), p["contact_stuck"]) > 0
            net.resistor(signal, back, np.where(closed, p["contact_ohm"], _OPEN_CONTACT_OHM))
            return
        if family is Family.COMBO:
            net.resistor(f"h.{TEMPERATURE}", back, self.ntc_ohm(subject.temperatures_degc[state]))
        if family is Family.POTENTIOMETER:
            share = self.share_at(subject.stimuli[state])
            net.resistor(reference, "wiper", p["pot_ohm"] * (1 - share) + 1)
            net.resistor("wiper", back, p["pot_ohm"] * share + 1)
            net.resistor("wiper", signal, p["wiper_ohm"])
            return
        net.resistor(reference, back, p["sensor_ohm"])
        if supplied is None:
            return
        across_v = supplied.across(reference, back)
        works = across_v > p["least_supply_v"]
        net.clamp_below(signal, -_DIODE_V, np.where(p["output_diode"] > 0, 5.0, CUT), to=back)
        net.clamp_above(signal, _DIODE_V, np.where((p["supply_diode"] > 0) & ~works, 20.0, CUT), to=reference)
        net.resistor(signal, back, np.where(works, NOT_THERE, p["idle_return_ohm"]))
        net.resistor(signal, reference, np.where(works, NOT_THERE, p["idle_supply_ohm"]))
        if subject.switches:
            idle_low = not subject.low_when_present
            low = np.where(p["target_far"] > 0, idle_low, (state == "present") == subject.low_when_present)
            low = np.where(np.isnan(p["stuck_at"]), low, p["stuck_at"] < 0.5) & works  # noqa: PLR2004  stuck low or high
            net.resistor(signal, back, 5 * _HIGH_Z_OHM)
            net.clamp_above(signal, p["switch_sat_v"], np.where(low, p["switch_ohm"], CUT), to=back)
            return
        full_v = np.full(self.n, FULL_SCALE_V) if subject.in_volts else np.minimum(across_v, p["supply_most_v"])
        output_v = np.where(works, self.share_at(subject.stimuli[state]) * full_v, 0.0)
        net.source(signal, output_v, np.where(works, p["output_ohm"], NOT_THERE), to=back)

    # Live data

    def live(self, solution: Solution, signal: str) -> dict[str, PredictedPart]:
        """What the controller shows of a channel: its volts, and its value where it makes one."""
        p = self.p
        volts = solution.across(f"in.{signal}", "earth") * p[f"converter_gain.{signal}"]
        volts = np.clip(volts, 0.0, self.subject.full_scale_v)
        volts = np.where(p[f"other_channel.{signal}"] > 0, p[f"other_channel_v.{signal}"], volts)
        volts = np.where(p["on"] > 0, volts, NO_CONTACT_V)
        parts = {"v": PredictedPart(Kind.LIVE_VOLTS, volts)}
        made = self._live_value(volts, signal)
        if made is not None:
            value = shown_value(self.subject, p, signal, made, volts)
            parts["value"] = PredictedPart(Kind.LIVE_VALUE, np.where(volts == NO_CONTACT_V, NO_CONTACT_V, value))
        return parts

    def _live_value(self, volts: Array, signal: str) -> Array | None:
        subject, p = self.subject, self.p
        scale, shift = p[f"scale.{signal}"], p[f"shift.{signal}"]
        if subject.is_thermistor(signal):
            known, ntc = subject.inputs.get(signal), subject.thermistor
            if ntc is None:
                return None
            # The controller knows its own pull-up, also where the technician does not.
            pull_up_ohm = p[f"input_ohm.{signal}"] if known is None or known.ohm is None else known.ohm
            seen_v = np.clip(volts, 0.01, FULL_SCALE_V - 0.01)
            ohm = pull_up_ohm * seen_v / (FULL_SCALE_V - seen_v) * p[f"other_ntc.{signal}"]
            low, high = HEAT_SHOWN_DEGC
            value = np.clip(ntc.degc_at(ohm), low, high) * scale + 60 * shift
            pegged = p[f"pegged.{signal}"]
            return np.where(np.isnan(pegged), value, np.where(pegged > 0, high, low))
        curve = subject.curve
        if curve is None:
            return None
        place = curve.part_at(volts / self._divisor_v())
        pegged = p[f"pegged.{signal}"]
        place = np.where(np.isnan(pegged), place * scale + shift, pegged)
        return curve.value_low + place * curve.span

    def _divisor_v(self) -> float:
        """What the controller divides by to make a share of its volts."""
        return FULL_SCALE_V if self.subject.in_volts else (self.subject.supply_v or FULL_SCALE_V)

    def value_at(self, volts: Array, signal: str) -> Array | None:
        """The value that a controller which is scaled rightly makes of volts; None where the diagram does not tell enough."""
        subject = self.subject
        if subject.is_thermistor(signal):
            known, ntc = subject.inputs.get(signal), subject.thermistor
            if known is None or known.ohm is None or ntc is None:
                return None
            seen_v = np.clip(volts, 0.01, FULL_SCALE_V - 0.01)
            made = np.clip(ntc.degc_at(known.ohm * seen_v / (FULL_SCALE_V - seen_v)), *HEAT_SHOWN_DEGC)
            return stopped(subject, signal, made)
        curve = subject.curve
        if curve is None:
            return None
        return stopped(subject, signal, curve.value_low + curve.part_at(volts / self._divisor_v()) * curve.span)

    # A frequency

    def running(self) -> tuple[Array, Array, Flags]:
        """Least and greatest volts at the signal pin of a switching output, and where the controller counts them."""
        pair = [self.mated(state) for state in ("present", "absent")]
        low_v, high_v = (pick(*(s[f"h.{SIGNAL}"] for s in pair)) for pick in (np.minimum, np.maximum))
        seen = [s.across(f"in.{SIGNAL}", "earth") for s in pair]
        counts = (np.minimum(*seen) < LOW_BELOW_V) & (np.maximum(*seen) > _TOGGLE_HIGH_V)
        return low_v, high_v, counts & (self.p["on"] > 0) & (self.p[f"other_channel.{SIGNAL}"] == 0)

    def frequency_hz(self, value: float) -> Array:
        """What the sensor makes of a value, with its fault."""
        curve, p = self.subject.frequency, self.p
        assert curve is not None  # only asked of families that have one
        share = (value - curve.value_low) / (curve.value_high - curve.value_low)
        made = curve.hz_low + share * (curve.hz_high - curve.hz_low) + p["frequency_shift_hz"]
        return np.where(np.isnan(p["frequency_over_hz"]), np.maximum(made, 1.0), p["frequency_over_hz"])


Parts = dict[str, PredictedPart]


def _volts(values: Array, kind: Kind = Kind.VOLTS) -> Parts:
    return {"v": PredictedPart(kind, values)}


def _battery_v(bench: Bench, _role_point: RolePoint) -> Parts:
    return _volts(bench.p["battery_v"])


def _open_v(bench: Bench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    return _volts(bench.solve(extra=lambda net: net.resistor(pin, GROUND, METER_OHM))[pin])


def _sharers_off(bench: Bench, _role_point: RolePoint) -> Parts:
    return _volts(bench.solve(others_on_reference=False)[f"h.{REFERENCE}"])


def _lamp_negative(bench: Bench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    volts = bench.solve(extra=lambda net: net.lamp(pin, GROUND, bench.subject.system_v))[pin]
    return _volts(volts) | {"glow": PredictedPart(Kind.GLOW, lamp_current_a(volts, bench.subject.system_v))}


def _lamp_positive(bench: Bench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    solution = bench.solve(extra=lambda net: net.lamp(pin, "battery", bench.subject.system_v))
    glow = PredictedPart(Kind.GLOW, lamp_current_a(solution.across("battery", pin), bench.subject.system_v))
    return _volts(solution[pin], Kind.BATTERY_VOLTS) | {"glow": glow}


def _off_ohm(bench: Bench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    volts = bench.solve(key_on=False, extra=lambda net: net.source(pin, OHMMETER_V, OHMMETER_OHM))[pin]
    return {"ohm": PredictedPart(Kind.OHMS, metered_ohm(volts))}


def _live(bench: Bench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    drives: dict[str, Extra | None] = {
        "unplugged": None,
        "lamp_positive": lambda net: net.lamp(pin, "battery", bench.subject.system_v),
        "jumped_battery": lambda net: net.resistor(pin, GROUND, bench.p["jumper_ohm"]),
        "jumped_return": lambda net: net.resistor(pin, f"h.{RETURN}", bench.p["jumper_ohm"]),
        "jumped_reference": lambda net: net.resistor(pin, f"h.{REFERENCE}", bench.p["jumper_ohm"]),
        "kilohm": lambda net: net.resistor(pin, f"h.{REFERENCE}", bench.p["kilohm"]),
    }
    return bench.live(bench.solve(extra=drives[role_point.state]), role_point.pin)


def _mated_v(bench: Bench, role_point: RolePoint) -> Parts:
    return _volts(bench.mated(role_point.state)[f"h.{role_point.pin}"])


def _way_v(bench: Bench, role_point: RolePoint) -> Parts:
    """Volts at a place on the way of a wire, everything plugged in."""
    return _volts(bench.mated(bench.subject.states[0])[f"way.{role_point.pin}.{role_point.state}"])


def _mated_live(bench: Bench, role_point: RolePoint) -> Parts:
    return bench.live(bench.mated(role_point.state), role_point.pin)


def _loop_ma(bench: Bench, role_point: RolePoint) -> Parts:
    value = bench.subject.stimuli[role_point.state]
    made = through_ma(bench.subject, bench.p, bench.mated(role_point.state), value)
    return {"ma": PredictedPart(Kind.MILLIAMPS, made)}


def _return_drop(bench: Bench, _role_point: RolePoint) -> Parts:
    state = (
        "absent" if bench.subject.switches else bench.subject.states[-1 if bench.subject.family is Family.SWITCH else 0]
    )
    return {"mv": PredictedPart(Kind.MILLIVOLTS, bench.mated(state)[f"h.{RETURN}"] * 1000)}


def _sensor_ohm(bench: Bench, role_point: RolePoint) -> Parts:
    if role_point.pin == REFERENCE:
        return {"ohm": PredictedPart(Kind.SENSOR_OHMS, bench.p.get("pot_ohm", bench.p["sensor_ohm"]))}
    if bench.subject.is_thermistor(role_point.pin):
        return {"ohm": PredictedPart(Kind.THERMISTOR_OHMS, bench.ntc_ohm(bench.subject.temperatures_degc["x1"]))}
    if bench.subject.family is Family.SWITCH:
        stuck = bench.p["contact_stuck"]
        closed = np.where(np.isnan(stuck), float(role_point.state == "closed"), stuck) > 0
        return {"ohm": PredictedPart(Kind.OHMS, np.where(closed, bench.p["contact_ohm"], 1e9))}
    return {}


def _rotating(bench: Bench, _role_point: RolePoint) -> Parts:
    low_v, high_v, _ = bench.running()
    return {"vlow": PredictedPart(Kind.VOLTS, low_v), "vhigh": PredictedPart(Kind.BATTERY_VOLTS, high_v)}


def _running(bench: Bench, role_point: RolePoint) -> Parts:
    """What a scope or a counter shows at the pin of a frequency sensor: levels, hertz, width of the low pulse."""
    low_v, high_v, _ = bench.running()
    curve = bench.subject.frequency
    assert curve is not None  # a frequency sensor has one
    toggles = high_v - low_v > 1.0
    degc = bench.subject.temperatures_degc.get(role_point.state, 20.0)
    share = (degc - curve.degc_low) / (curve.degc_high - curve.degc_low)
    pulse_ms = curve.pulse_low_ms + share * (curve.pulse_high_ms - curve.pulse_low_ms) + 0 * low_v
    return {
        "vlow": PredictedPart(Kind.VOLTS, low_v),
        "vhigh": PredictedPart(Kind.BATTERY_VOLTS, high_v),
        "hz": PredictedPart(
            Kind.HERTZ, np.where(toggles, bench.frequency_hz(bench.subject.stimuli[role_point.state]), 0.0)
        ),
        "pulse_ms": PredictedPart(Kind.MILLISECONDS, np.where(toggles, pulse_ms, 0.0)),
    }


def _running_live(bench: Bench, role_point: RolePoint) -> Parts:
    """What the controller makes of it: the main value; nothing counted reads as the value at 0 Hz."""
    p, curve = bench.p, bench.subject.frequency
    assert curve is not None  # a frequency sensor has one
    _, _, counts = bench.running()
    hz = np.where(counts, bench.frequency_hz(bench.subject.stimuli[role_point.state]), 0.0)
    hz = np.where(p[f"other_channel.{SIGNAL}"] > 0, 0.0, hz)
    value = curve.value_low + (hz - curve.hz_low) / (curve.hz_high - curve.hz_low) * (
        curve.value_high - curve.value_low
    )
    span = curve.value_high - curve.value_low
    value = np.where(hz > 0, value * p[f"scale.{SIGNAL}"] + span * p[f"shift.{SIGNAL}"], value)
    silent = p["on"] == 0
    return {
        "hz": PredictedPart(Kind.HERTZ, np.where(silent, NO_CONTACT_V, hz)),
        "value": PredictedPart(Kind.PERCENT, np.where(silent, NO_CONTACT_V, value)),
    }


_READERS: dict[str, Callable[[Bench, RolePoint], Parts]] = {
    "battery_v": _battery_v,
    "open_v": _open_v,
    "sharers_off_v": _sharers_off,
    "lamp_negative": _lamp_negative,
    "lamp_positive": _lamp_positive,
    "off_ohm": _off_ohm,
    "live": _live,
    "mated_v": _mated_v,
    "mated_live": _mated_live,
    "way_v": _way_v,
    "loop_ma": _loop_ma,
    "return_drop": _return_drop,
    "sensor_ohm": _sensor_ohm,
    "rotating": _rotating,
    "running": _running,
    "running_live": _running_live,
}
