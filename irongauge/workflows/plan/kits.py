"""The kit of a job: looked at, added to, ticked off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from irongauge.core.plan.kit import KitLine
from irongauge.core.shop import Job, Shop
from irongauge.store.database import Database
from irongauge.workflows.shop.view import People, now, people_of, require_known, require_own_name, require_shop

__all__ = [
    "KitView",
    "add_kit_lines",
    "look_at_kit",
    "remove_kit_line",
    "tick_kit_line",
]


@dataclass(frozen=True)
class KitView:
    """A job's list, and who may tick it."""

    shop: Shop
    job: Job
    lines: tuple[KitLine, ...]
    people: People


def look_at_kit(database: Database, job_uid: UUID) -> KitView:
    with database.unit() as store:
        shop = require_shop(store)
        return KitView(shop, store.jobs.job(job_uid), store.kits.of_job(job_uid), people_of(store, shop))


def add_kit_lines(database: Database, job_uid: UUID, lines: Sequence[KitLine]) -> None:
    with database.unit() as store:
        store.jobs.job(job_uid, "update")
        store.kits.add(job_uid, lines)


def tick_kit_line(database: Database, uid: UUID, technician_uid: UUID | None) -> UUID:
    """Tick a line, or without a technician open it again; gives back its job."""
    with database.unit() as store:
        _, job_uid = store.kits.line(uid)
        require_known(store, technician_uid)
        require_own_name(technician_uid)
        store.kits.tick(uid, technician_uid, None if technician_uid is None else now())
        return job_uid


def remove_kit_line(database: Database, uid: UUID) -> UUID:
    """Remove a line that is not needed; gives back its job."""
    with database.unit() as store:
        _, job_uid = store.kits.line(uid)
        store.kits.remove(uid)
        return job_uid
