"""What is planned for a vehicle, whole: modules, functions, what uses them, the harness, its feeds, connectors put together."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from irongauge.core.plan.board import Function, PinAt, PinView, board_of
from irongauge.core.plan.chain import Trial
from irongauge.core.plan.feeds import Feed
from irongauge.core.plan.harness import End, Harness, NodeKind, Path, Wire
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.modules import FittedModule, PinKind
from irongauge.core.plan.places import LeftBehind, ValuePlace
from irongauge.core.plan.rails import RailBudget, RailLoad, TwoRegulators, budget_of, two_regulators
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.sensors.licensed import Licence, PartOf
from irongauge.core.sensors.transfer import CurveKind

__all__ = ["KeptFeed", "KeptMap", "PlannedFunction", "ReadElsewhere", "VehiclePlan"]

_WHERE_WAYS_END = (NodeKind.MODULE, NodeKind.GROUND, NodeKind.FEED)


@dataclass(frozen=True, kw_only=True)
class PlannedFunction(Function):
    """A function with what it takes from a reference, None where its sheet does not say.

    `fed_by_uid` is the module whose reference it hangs on, where that is not the one that reads it.
    """

    current_ma: float | None = None
    on_reference: bool = True
    fed_by_uid: UUID | None = None

    @property
    def feeder_uid(self) -> UUID | None:
        """The module whose reference it hangs on; None for one that hangs on none, or is on no input."""
        reads = None if self.at is None else self.at.module_uid
        return (self.fed_by_uid or reads) if self.on_reference else None


@dataclass(frozen=True)
class KeptFeed:
    """A feed with its identity."""

    uid: UUID
    feed: Feed


@dataclass(frozen=True, kw_only=True)
class KeptMap:
    """Two connectors put together, as they were found; what was there before stays."""

    uid: UUID
    name: str
    ours: tuple[Cavity, ...]
    theirs: tuple[Cavity, ...]
    kept_at: datetime
    technician_uid: UUID


@dataclass(frozen=True)
class ReadElsewhere:
    """A sensor on one module's reference that another module reads. `cost` is None where its curve is no share of its supply."""

    function: PlannedFunction
    feeder: FittedModule
    reader: FittedModule
    cost: TwoRegulators | None
    circuit: Circuit | None


@dataclass(frozen=True, kw_only=True)
class VehiclePlan:
    """Everything that is planned and wired on one vehicle."""

    modules: tuple[FittedModule, ...] = ()
    functions: tuple[PlannedFunction, ...] = ()
    places: tuple[ValuePlace, ...] = ()
    harness: Harness = field(default_factory=lambda: Harness((), ()))
    feeds: tuple[KeptFeed, ...] = ()
    maps: tuple[KeptMap, ...] = ()
    trials: tuple[Trial, ...] = ()

    @property
    def board(self) -> tuple[PinView, ...]:
        """Every pin of every module with what stands on it."""
        return board_of(self.modules, self.functions)

    def places_of(self, function_uid: UUID) -> tuple[ValuePlace, ...]:
        """Where one function's value must be entered."""
        return tuple(place for place in self.places if place.function_uid == function_uid)

    def input_name(self, at: PinAt) -> str:
        """A pin as people call it: with its module where there are more than one."""
        module = next((m.name for m in self.modules if m.uid == at.module_uid), "a module that is gone")
        return at.pin if len(self.modules) == 1 and at.module_uid == self.modules[0].uid else f"{module} {at.pin}"

    def left_behind_at(self, place: ValuePlace) -> LeftBehind:
        """A place that still points to an input which its function has left; `ValueError` for one that does not."""
        function = next((f for f in self.functions if f.uid == place.function_uid), None)
        if place.was_at is None or function is None:
            msg = f"{place.name} points to no input that was left"
            raise ValueError(msg)
        return LeftBehind(
            place=place,
            function=function.name,
            old_input=self.input_name(place.was_at),
            here=" or ".join(self.input_name(at) for at in function.stands_at),
            stands_there=tuple(f.name for f in self.functions if place.was_at in f.stands_at),
        )

    def left_behind(self) -> tuple[LeftBehind, ...]:
        """Every place that still points to an input which its function has left, those that may switch first."""
        found = [self.left_behind_at(p) for p in self.places if p.was_at is not None and not p.done]
        return tuple(sorted(found, key=lambda left: not left.place.may_switch))

    def licence_on_way(self, circuit: Circuit) -> Licence | None:
        """Whose work a circuit is by the wires of its way; of several, what nobody can deny first."""
        found = {wire.licence for _, path in self.paths_of(circuit) for wire in path.wires}
        return next((licence for licence in Licence if licence in found), None)

    def asked_wires(self) -> tuple[Wire, ...]:
        """Wires that could be part of brakes or steering by their names, of which nobody said whether they are."""
        untold = [(wire, wire.licence) for wire in self.harness.wires if wire.part_of is PartOf.NOT_TOLD]
        return tuple(wire for wire, licence in untold if licence is not None and licence.can_be_denied)

    def paths_of(self, circuit: Circuit) -> tuple[tuple[str, Path], ...]:
        """For each pin of a circuit the way from the sensor to the module, as far as the harness has it."""
        stops = {m.name for m in self.modules} | {n.name for n in self.harness.nodes if n.kind in _WHERE_WAYS_END}
        found = []
        for pin in circuit.pins:
            start = End(circuit.name, pin.cavity)
            ends = [end for end in self.harness.reached_from(start) if end.node in stops]
            paths = [path for path in (self.harness.path(start, end) for end in ends) if path is not None]
            if paths:
                found.append((pin.cavity, min(paths, key=lambda path: path.length_m)))
        return tuple(found)

    def references(self) -> tuple[tuple[FittedModule, RailBudget], ...]:
        """The budget of each module that feeds sensors: those of its functions that hang on its reference."""
        found = []
        for module in self.modules:
            rails = [pin for pin in module.type.pins if pin.kind is PinKind.REFERENCE]
            if not rails:
                continue
            limits = [pin.reference_ma for pin in rails]
            limit_ma = None if None in limits else sum(ma for ma in limits if ma is not None)
            loads = [
                RailLoad(function.name, function.current_ma)
                for function in self.functions
                if function.feeder_uid == module.uid
            ]
            found.append((module, budget_of(loads, limit_ma)))
        return tuple(found)

    def regulators_apart(self, circuits: Iterable[Circuit]) -> tuple[ReadElsewhere, ...]:
        """Functions that hang on the reference of one module and are read by another, with what that costs."""
        modules = {module.uid: module for module in self.modules}
        known = {circuit.uid: circuit for circuit in circuits}
        found = []
        for function in self.functions:
            feeder_uid = function.feeder_uid
            if function.at is None or feeder_uid is None or feeder_uid == function.at.module_uid:
                continue
            feeder, reader = modules.get(feeder_uid), modules.get(function.at.module_uid)
            if feeder is None or reader is None:
                continue
            circuit = None if function.circuit_uid is None else known.get(function.circuit_uid)
            curve = None if circuit is None else circuit.sensor.curve
            cost = None
            if curve is not None and curve.kind is CurveKind.RATIO:
                shares = (curve.signal_low, curve.signal_high)
                cost = two_regulators(_reference_v(feeder), _reference_v(reader), shares, curve.span)
            found.append(ReadElsewhere(function, feeder, reader, cost, circuit))
        return tuple(found)


_USUAL_V = 5.0  # of a reference whose module does not say its own


def _reference_v(module: FittedModule) -> float:
    """Volts of a module's reference; the usual ones where its card does not say."""
    rails = [pin.reference_v for pin in module.type.pins if pin.kind is PinKind.REFERENCE]
    return next((volts for volts in rails if volts is not None), _USUAL_V)
