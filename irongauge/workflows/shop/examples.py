"""What an empty page shows instead: a job, or a vehicle's plan, that this shop has already."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from irongauge.store.database import Database
from irongauge.store.repositories.examples import ExampleRepository
from irongauge.workflows.plan.plans import PlanView, look_at_plan
from irongauge.workflows.shop.jobs import look_at_job
from irongauge.workflows.shop.view import JobView, require_shop

__all__ = ["fed_example", "job_example", "planned_example", "wired_example"]

_Finder = Callable[[ExampleRepository, UUID, UUID], UUID | None]


def _found(database: Database, finder: _Finder, but: UUID) -> UUID | None:
    with database.unit() as store:
        return finder(store.examples, require_shop(store).uid, but)


def job_example(database: Database, job_uid: UUID) -> JobView | None:
    """The newest other job of the shop that has circuits."""
    found = _found(database, ExampleRepository.job, job_uid)
    return None if found is None else look_at_job(database, found).view


def wired_example(database: Database, vehicle_uid: UUID) -> PlanView | None:
    """Another vehicle with its harness, and nothing else of its plan."""
    found = _found(database, ExampleRepository.wired, vehicle_uid)
    return None if found is None else look_at_plan(database, found, power=False)


def fed_example(database: Database, vehicle_uid: UUID) -> PlanView | None:
    """Another vehicle with its feeds."""
    found = _found(database, ExampleRepository.fed, vehicle_uid)
    return None if found is None else look_at_plan(database, found, wiring=False)


def planned_example(database: Database, vehicle_uid: UUID) -> PlanView | None:
    """Another vehicle with modules and what is on their pins."""
    found = _found(database, ExampleRepository.planned, vehicle_uid)
    return None if found is None else look_at_plan(database, found, wiring=False, power=False)
