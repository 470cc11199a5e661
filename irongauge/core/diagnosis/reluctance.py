"""What every check would read on a reluctance sensor: a coil between two legs, one of them perhaps on the controller's
ground, and alternating volts that grow with speed.

The alternating part is arithmetic on amplitudes, not a network: the coil's volts, divided between its own resistance,
the wires and the input.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import MINUS, PLUS, SIGNAL, CircuitUnderTest
from irongauge.core.diagnosis.electrical import OHMMETER_OHM, OHMMETER_V, lamp_current_a, metered_ohm
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.network import GROUND, Network, Solution
from irongauge.core.diagnosis.parameters import NOT_THERE, Generator, Parameters, log_uniform
from irongauge.core.diagnosis.role_points import WORDS, Array, Kind, PredictedPart, RolePoint
from irongauge.core.diagnosis.vehicle_samples import vehicle_samples

__all__ = [
    "SHIELD_FAULTS",
    "CoilBench",
    "coil_faults",
    "coil_required",
    "coil_role_points",
    "coil_samples",
    "shield_parts",
    "shield_points",
]

# What the controller says of the channel, as numbers: the samples are arrays.
_STATUS = {word: number for number, word in WORDS["counted"].items()}
_BIAS_V = 2.5  # conditioners hold the coil at half of 5 V
_LEAST_COUNTED_VAC = 0.25  # usual threshold of a conditioner at low speed
_OPEN_COIL_OHM = 1e6  # what a conditioner takes for a broken coil
_SWITCHED_OFF_OHM = 20.0  # other loads on a switched feed, key off
_SHORT_OHM = 100.0  # against some kilohms of input
_EVEN_BELOW_PCT = 5.0  # what teeth of a good ring differ by on a scope


class CoilBench:
    """All samples of one reluctance circuit, ready to be measured."""

    def __init__(self, subject: CircuitUnderTest, p: Parameters) -> None:
        self.subject = subject
        self.p = p
        self.n = len(p["on"])

    def read(self, role_point: RolePoint) -> dict[str, PredictedPart]:
        """What the check would give in every sample, by part; empty for a check that this circuit does not have."""
        reader = _READERS.get(role_point.kind)
        return {} if reader is None else reader(self, role_point)

    def solve(
        self, *, key_on: bool = True, plugged: bool = False, extra: Callable[[Network], None] | None = None
    ) -> Solution:
        """Volts at every node in all samples, with the coil plugged in or loose."""
        net, p = Network(self.n), self.p
        powered = (p["on"] > 0) & key_on
        net.source("battery", p["battery_v"], 0.02)
        net.source("earth", np.where(powered, p["earth_v"], 0.0), p["earth_ohm"])
        if self.subject.coil_differential:
            for leg in (PLUS, MINUS):
                net.source(f"in.{leg}", np.where(powered, _BIAS_V, 0.0), p["input_ohm"])
        else:
            net.resistor(f"in.{PLUS}", "earth", p["input_ohm"])
            net.resistor(f"in.{MINUS}", "earth", 0.1)
        for leg in (PLUS, MINUS):
            net.resistor(f"in.{leg}", f"h.{leg}", p[f"wire.{leg}"])
            net.resistor(f"h.{leg}", GROUND, p[f"to_ground.{leg}"])
            feed_v = p["battery_v"] if key_on else np.zeros(self.n)
            net.source(f"h.{leg}", feed_v, p[f"to_battery.{leg}"] + (0.0 if key_on else _SWITCHED_OFF_OHM))
            if plugged:
                net.resistor(f"h.{leg}", GROUND, p[f"leg.{leg}"])
        if plugged:
            net.resistor(f"h.{PLUS}", f"h.{MINUS}", p["coil_ohm"])
        if extra is not None:
            extra(net)
        return net.solve()

    def loose_vac(self) -> Array:
        """What the turning coil makes by itself, V rms; nothing where it is open."""
        return np.where(self.p["coil_ohm"] > _OPEN_COIL_OHM, 0.0, self.p["loose_vac"])

    def mated_vac(self) -> Array:
        """Volts rms across the legs, plugged in: what the input, a short or the other leg's ground leave of them."""
        p, single_ended = self.p, not self.subject.coil_differential
        vac = self.loose_vac()
        short_ohm = np.minimum(p[f"to_ground.{PLUS}"], p[f"leg.{PLUS}"])
        if single_ended:
            vac = np.where(short_ohm < _SHORT_OHM, vac * short_ohm / p["coil_ohm"], vac)
        vac = np.where(p[f"to_battery.{PLUS}"] < _SHORT_OHM, vac * (0.002 if single_ended else 0.8), vac)
        load_ohm = p["input_ohm"] * (1 if single_ended else 2)
        return vac * load_ohm / (load_ohm + np.minimum(p["coil_ohm"], 1e12))

    def status(self) -> Array:
        """What the controller says of the channel: it counts when enough of the volts reach it."""
        p = self.p
        load_ohm = p["input_ohm"] * (2 if self.subject.coil_differential else 1)
        wires_ohm = p[f"wire.{PLUS}"] + p[f"wire.{MINUS}"]
        seen = self.mated_vac() * (load_ohm + p["coil_ohm"]) / (load_ohm + p["coil_ohm"] + wires_ohm)
        counts = (seen > _LEAST_COUNTED_VAC) & (wires_ohm < _OPEN_COIL_OHM) & (p["other_channel"] == 0)
        counted = np.where(counts, _STATUS["ok"], _STATUS["no signal"])
        return np.where(p["on"] > 0, counted, _STATUS["no contact"])


Parts = dict[str, PredictedPart]


def shield_parts(p: Parameters, role_point: RolePoint) -> Parts:
    """Ohms from the shield to battery negative: as wired, or with its drain lifted at the controller."""
    joined = (
        p["shield_controller_ohm"]
        if role_point.state == "as_wired"
        else np.full_like(p["shield_sensor_ohm"], NOT_THERE)
    )
    return {"ohm": PredictedPart(Kind.OHMS, 1 / (1 / joined + 1 / p["shield_sensor_ohm"]))}


def _at_leg(bench: CoilBench, role_point: RolePoint, *, plugged: bool) -> Parts:
    return {"v": PredictedPart(Kind.VOLTS, bench.solve(plugged=plugged)[f"h.{role_point.pin}"])}


def _lamp(bench: CoilBench, role_point: RolePoint, end: str) -> Parts:
    pin = f"h.{role_point.pin}"
    solution = bench.solve(extra=lambda net: net.lamp(pin, end))
    kind = Kind.VOLTS if end == GROUND else Kind.BATTERY_VOLTS
    current = np.abs(lamp_current_a(solution.across(end, pin)))
    return {"v": PredictedPart(kind, solution[pin]), "glow": PredictedPart(Kind.GLOW, current)}


def _off_ohm(bench: CoilBench, role_point: RolePoint) -> Parts:
    pin = f"h.{role_point.pin}"
    volts = bench.solve(key_on=False, extra=lambda net: net.source(pin, OHMMETER_V, OHMMETER_OHM))[pin]
    return {"ohm": PredictedPart(Kind.OHMS, metered_ohm(volts))}


def _leg_ohm(bench: CoilBench, role_point: RolePoint) -> Parts:
    other = MINUS if role_point.pin == PLUS else PLUS
    through_coil = bench.p[f"leg.{other}"] + bench.p["coil_ohm"]
    return {"ohm": PredictedPart(Kind.OHMS, 1 / (1 / bench.p[f"leg.{role_point.pin}"] + 1 / through_coil))}


def _polarity(bench: CoilBench, _role_point: RolePoint) -> Parts:
    kick = np.where(bench.p["coil_ohm"] > _OPEN_COIL_OHM, 0.0, bench.p["direction"])
    return {"polarity": PredictedPart(Kind.WORD, kick)}


def _shield_ohm(bench: CoilBench, role_point: RolePoint) -> Parts:
    return shield_parts(bench.p, role_point)


def _ring(bench: CoilBench, _role_point: RolePoint) -> Parts:
    """The pattern of periods over a turn, on a scope: how far the odd ones differ, and in how many places."""
    p = bench.p
    seen = bench.loose_vac() > _LEAST_COUNTED_VAC / 2
    return {
        "uneven_pct": PredictedPart(Kind.PERCENT, np.where(seen, p["uneven_pct"], 0.0)),
        "places": PredictedPart(
            Kind.WORD, np.where(seen & (p["uneven_pct"] > _EVEN_BELOW_PCT), p["uneven_places"], 0.0)
        ),
    }


_READERS: dict[str, Callable[[CoilBench, RolePoint], Parts]] = {
    "battery_v": lambda bench, _: {"v": PredictedPart(Kind.VOLTS, bench.p["battery_v"])},
    "open_v": lambda bench, role_point: _at_leg(bench, role_point, plugged=False),
    "mated_dc": lambda bench, role_point: _at_leg(bench, role_point, plugged=True),
    "lamp_negative": lambda bench, role_point: _lamp(bench, role_point, GROUND),
    "lamp_positive": lambda bench, role_point: _lamp(bench, role_point, "battery"),
    "off_ohm": _off_ohm,
    "coil_ohm": lambda bench, _: {"ohm": PredictedPart(Kind.DATA_OHMS, bench.p["coil_ohm"])},
    "leg_ohm": _leg_ohm,
    "ac_loose": lambda bench, _: {"vac": PredictedPart(Kind.VOLTS, bench.loose_vac())},
    "ac_mated": lambda bench, _: {"vac": PredictedPart(Kind.VOLTS, bench.mated_vac())},
    "polarity": _polarity,
    "ring": _ring,
    "shield_ohm": _shield_ohm,
    "counted": lambda bench, _: {"status": PredictedPart(Kind.WORD, bench.status())},
}


# What the catalogue, the strategy and the samples know of the family

SHIELD_FAULTS = ("shield_both_ends", "shield_nowhere")


def coil_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a coil circuit, `healthy` first."""
    wires = (f"{leg}_{fault}" for leg in (PLUS, MINUS) for fault in ("open", "resistance"))
    return (HEALTHY, *wires, f"{PLUS}_short_ground", f"{PLUS}_short_battery", "controller_off", f"{SIGNAL}_live_channel",
            "coil_open", "coil_turns", "coil_reversed", "coil_leg_ground", "gap_wide", "ring_uneven", "ring_joints",
            *(SHIELD_FAULTS if subject.shielded else ()))  # fmt: skip


def coil_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check of a coil circuit."""
    kinds = ("open_v", "lamp_negative", "lamp_positive", "off_ohm")
    at_pins = [RolePoint(kind, pin) for kind in kinds for pin in subject.pins]
    legs = [RolePoint(kind, leg) for kind in ("mated_dc", "leg_ohm") for leg in (PLUS, MINUS)]
    alone = ("coil_ohm", "ac_loose", "ac_mated", "polarity", "counted", "ring")
    return (*at_pins, *legs, *(RolePoint(kind) for kind in alone), *shield_points(subject))


def coil_required(subject: CircuitUnderTest, _driven: Collection[str]) -> tuple[RolePoint, ...]:
    """What proves a coil circuit, but for its ring, which takes a scope."""
    return (*(RolePoint(k) for k in ("coil_ohm", "ac_loose", "counted", "polarity")), RolePoint("leg_ohm", PLUS),
            *(RolePoint("off_ohm", leg) for leg in (PLUS, MINUS)), *shield_points(subject))  # fmt: skip


def shield_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """The checks of a shield, where there is one."""
    return tuple(RolePoint("shield_ohm", "", state) for state in ("as_wired", "lifted")) if subject.shielded else ()


def coil_samples(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """`n` good coil circuits, each parameter `(n,)`."""
    coil = subject.coil
    assert coil is not None  # a reluctance subject has one
    spread = coil.tolerance_pct / 100
    return vehicle_samples(subject, n, rng) | {
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
