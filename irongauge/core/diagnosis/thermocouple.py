"""What every check would read on a thermocouple: two legs, the volts of its kind, a conditioner in the controller.

Arithmetic, no network. The conditioner adds the temperature of its own terminals, and shows the top of its scale when
the loop is open, as such inputs do.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

import numpy as np

from irongauge.core.diagnosis.circuit_under_test import MINUS, PLUS, SIGNAL, CircuitUnderTest
from irongauge.core.diagnosis.faults import HEALTHY
from irongauge.core.diagnosis.parameters import NOT_THERE, Generator, Parameters, log_uniform
from irongauge.core.diagnosis.reluctance import SHIELD_FAULTS, shield_parts, shield_points
from irongauge.core.diagnosis.role_points import NO_CONTACT_V, Array, Kind, PredictedPart, RolePoint
from irongauge.core.diagnosis.shown_value import stopped
from irongauge.core.diagnosis.vehicle_samples import vehicle_samples

__all__ = ["JunctionBench", "junction_faults", "junction_required", "junction_role_points", "junction_samples"]

TOP_DEGC = 1300.0  # above every base-metal kind's range
_OPEN_OHM = 1e6  # loops have some tens of ohms
Parts = dict[str, PredictedPart]


class JunctionBench:
    """All samples of one thermocouple circuit, ready to be measured."""

    def __init__(self, subject: CircuitUnderTest, p: Parameters) -> None:
        self.subject = subject
        self.p = p
        self.n = len(p["on"])
        assert subject.thermocouple is not None  # a thermocouple circuit has its kind
        self._kind = subject.thermocouple

    def read(self, role_point: RolePoint) -> Parts:
        """What the check would give in every sample, by part; empty for a check that this circuit does not have."""
        reader = _READERS.get(role_point.kind)
        return {} if reader is None else reader(self, role_point)

    def loose_mv(self, state: str) -> Array:
        """Millivolts across the loose sensor: `E(T) − E(T_room)`, the meter's own leads being at the room's temperature."""
        return np.where(self.p["loop_ohm"] > _OPEN_OHM, 0.0, self.made_mv(state, self.p["room_degc"]))

    def made_mv(self, state: str, cold_degc: Array) -> Array:
        """What the junction gives towards an end at that temperature, as it is made and connected."""
        hot_degc = np.full(self.n, float(self.subject.temperatures_degc[state]))
        return (self._kind.mv_at(hot_degc) - self._kind.mv_at(cold_degc)) * self.p["kind"] * self.p["direction"]

    def shown_degc(self, made_mv: Array, *, through_sensor: bool) -> Array:
        """What the controller shows when the loop brings it those millivolts: it adds those of its own terminals."""
        p = self.p
        wires = p["wire.plus"] + p["wire.minus"] + (p["loop_ohm"] if through_sensor else 0.0)
        zeroed_mv = self._kind.mv_at(p["terminal_degc"]) + np.where(p["crossed"] > 0, -made_mv, made_mv)
        value = self._kind.degc_at(zeroed_mv) * p["scale"] + p["shift"]
        value = np.where(wires > _OPEN_OHM, TOP_DEGC, np.clip(value, -200, TOP_DEGC))
        value = stopped(self.subject, SIGNAL, np.where(p["other_channel"] > 0, p["other_degc"], value))
        return np.where(p["on"] > 0, value, NO_CONTACT_V)


def _mated_live(bench: JunctionBench, role_point: RolePoint) -> Parts:
    made_mv = bench.made_mv(role_point.state, bench.p["terminal_degc"])
    return {"value": PredictedPart(Kind.LIVE_VALUE, bench.shown_degc(made_mv, through_sensor=True))}


def _live(bench: JunctionBench, role_point: RolePoint) -> Parts:
    jumped = role_point.state == "jumped_pair"
    shown = bench.shown_degc(np.zeros(bench.n), through_sensor=False)
    silent, other = bench.p["on"] == 0, bench.p["other_channel"] > 0
    open_loop = np.where(
        silent, NO_CONTACT_V, stopped(bench.subject, SIGNAL, np.where(other, bench.p["other_degc"], TOP_DEGC))
    )
    return {"value": PredictedPart(Kind.LIVE_VALUE, shown if jumped else open_loop)}


def _ohm(values: Array) -> Parts:
    return {"ohm": PredictedPart(Kind.OHMS, values)}


_READERS: dict[str, Callable[[JunctionBench, RolePoint], Parts]] = {
    "battery_v": lambda bench, _: {"v": PredictedPart(Kind.VOLTS, bench.p["battery_v"])},
    "thermo_mv": lambda bench, role_point: {
        "mv": PredictedPart(Kind.THERMO_MILLIVOLTS, bench.loose_mv(role_point.state))
    },
    "loop_ohm": lambda bench, _: _ohm(bench.p["loop_ohm"]),
    "leg_ohm": lambda bench, _: _ohm(bench.p["leg_ohm"]),
    "off_ohm": lambda bench, role_point: _ohm(np.minimum(bench.p[f"to_ground.{role_point.pin}"], NOT_THERE)),
    "wire_ohm": lambda bench, role_point: _ohm(bench.p[f"wire.{role_point.pin}"] + bench.p["wire_ohm"]),
    "mated_live": _mated_live,
    "live": _live,
    "shield_ohm": lambda bench, role_point: shield_parts(bench.p, role_point),
}


# What the catalogue, the strategy and the samples know of the family


def junction_faults(subject: CircuitUnderTest) -> tuple[str, ...]:
    """The faults of a thermocouple circuit, `healthy` first."""
    return (HEALTHY, f"{PLUS}_open", f"{MINUS}_open", "pair_crossed", "controller_off", f"{SIGNAL}_live_channel",
            f"{SIGNAL}_live_scaling", "junction_open", "junction_reversed", "junction_kind", "junction_grounded",
            *(SHIELD_FAULTS if subject.shielded else ()))  # fmt: skip


def junction_role_points(subject: CircuitUnderTest) -> tuple[RolePoint, ...]:
    """Every check of a thermocouple circuit."""
    hot = [RolePoint("thermo_mv", "", state) for state in subject.states]
    live = [RolePoint("mated_live", SIGNAL, state) for state in subject.states]
    wires = [RolePoint("wire_ohm", pin) for pin in subject.pins]
    return (*hot, *live, RolePoint("live", SIGNAL, "jumped_pair"), RolePoint("live", SIGNAL, "unplugged"),
            RolePoint("loop_ohm"), RolePoint("leg_ohm", PLUS), *wires, *shield_points(subject))  # fmt: skip


def junction_required(subject: CircuitUnderTest, _driven: Collection[str]) -> tuple[RolePoint, ...]:
    """What proves a thermocouple circuit."""
    heat = [
        role_point
        for state in subject.states
        for role_point in (RolePoint("thermo_mv", "", state), RolePoint("mated_live", SIGNAL, state))
    ]
    return (RolePoint("loop_ohm"), RolePoint("leg_ohm", PLUS), *heat, *shield_points(subject))


def junction_samples(subject: CircuitUnderTest, n: int, rng: Generator) -> Parameters:
    """`n` good thermocouple circuits, each parameter `(n,)`."""
    return vehicle_samples(subject, n, rng) | {
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
