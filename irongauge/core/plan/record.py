"""What is planned for a vehicle, whole: modules, functions, what uses them, the harness, its feeds, connectors put together."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from irongauge.core.plan.board import Function, PinView, board_of
from irongauge.core.plan.harness import Harness
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.modules import FittedModule, PinKind
from irongauge.core.plan.places import ValuePlace
from irongauge.core.plan.power import Feed
from irongauge.core.plan.rails import RailBudget, RailLoad, budget_of

__all__ = ["KeptFeed", "KeptMap", "PlannedFunction", "VehiclePlan"]


@dataclass(frozen=True, kw_only=True)
class PlannedFunction(Function):
    """A function with what it takes from the reference of its module, None where its sheet does not say."""

    current_ma: float | None = None
    on_reference: bool = True


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


@dataclass(frozen=True, kw_only=True)
class VehiclePlan:
    """Everything that is planned and wired on one vehicle."""

    modules: tuple[FittedModule, ...] = ()
    functions: tuple[PlannedFunction, ...] = ()
    places: tuple[ValuePlace, ...] = ()
    harness: Harness = field(default_factory=lambda: Harness((), ()))
    feeds: tuple[KeptFeed, ...] = ()
    maps: tuple[KeptMap, ...] = ()

    @property
    def board(self) -> tuple[PinView, ...]:
        return board_of(self.modules, self.functions)

    def places_of(self, function_uid: UUID) -> tuple[ValuePlace, ...]:
        return tuple(place for place in self.places if place.function_uid == function_uid)

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
                if function.at is not None and function.at.module_uid == module.uid and function.on_reference
            ]
            found.append((module, budget_of(loads, limit_ma)))
        return tuple(found)
