"""The order of the work: who does what when, why, and what people say of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import lru_cache
from uuid import UUID, uuid4

from irongauge.core.work.bounds import least_cost
from irongauge.core.work.changes import all_before
from irongauge.core.work.hours import Shift
from irongauge.core.work.learned import WorkEvent
from irongauge.core.work.plan import Plan
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.solver import improve
from irongauge.core.work.standing import BLOCKS
from irongauge.core.work.steps import Step, Work
from irongauge.core.work.turns import entry_order, first_plan, timed
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import now, require_known, require_open, require_shop
from irongauge.workflows.work.work_list import WorkView, list_work, over_days

__all__ = [
    "add_step",
    "change_hours",
    "change_tools",
    "events_of",
    "find_better",
    "go_first",
    "look_at_work",
    "pin_step",
    "put_before",
    "remove_step",
    "say_status",
]

_HORIZONS = (10, 20, 40, 80, 160)  # days; more are looked at only where fewer do not suffice


def look_at_work(database: Database, vehicle_uid: UUID | None = None, at: datetime | None = None) -> WorkView:
    """The list with its plan, of the whole shop or of one vehicle; `problems` where there can be none."""
    view = list_work(database, vehicle_uid, at)
    if view.problems or not view.work.steps:
        return view
    for days in _HORIZONS:
        found = _planned_in(database, over_days(view, days))
        if found is not None:
            return found
    text = f"All this does not fit into the next {_HORIZONS[-1]} days. Take some of it away, or give more hours."
    return replace(view, problems=(text,))


def _planned_in(database: Database, view: WorkView) -> WorkView | None:
    """The list with a plan in the days that it has; steps are let go of their set times where those cannot be."""
    plan, entered = _planned(view.work)
    let_go: tuple[Step, ...] = ()
    if plan is None:
        bent, let_go = _bent(view.work)
        view = replace(view, work=bent)
        plan, entered = _planned(bent) if let_go else (None, None)
    better = _kept_plan(database, view)
    if better is not None and (plan is None or better.cost < plan.cost):
        plan = better if plan is None else replace(better, bound=plan.bound)
    return None if plan is None else replace(view, plan=plan, entered=entered, let_go=let_go)


def _bent(work: Work) -> tuple[Work, tuple[Step, ...]]:
    """The work without the set times that cannot be, and their steps; unchanged where letting go of all would not help."""
    pinned = sorted((s for s in work.steps if s.pinned_at is not None), key=lambda s: (s.pinned_at or 0, s.key))
    keys = {step.key for step in pinned}
    if not pinned or _planned(_without_times(work, keys))[0] is None:
        return work, ()
    for step in pinned:
        if _planned(_without_times(work, keys - {step.key}))[0] is not None:
            keys.discard(step.key)
    return _without_times(work, keys), tuple(step for step in pinned if step.key in keys)


def _without_times(work: Work, keys: set[str]) -> Work:
    return replace(work, steps=tuple(replace(s, pinned_at=None) if s.key in keys else s for s in work.steps))


@lru_cache(maxsize=32)
def _first(work: _Hashed) -> tuple[Plan | None, Plan | None]:
    plan = first_plan(work.work)
    plan = None if plan is None else replace(plan, bound=least_cost(work.work))
    return plan, entry_order(work.work)


@dataclass(frozen=True)
class _Hashed:
    """A list of work as a key: the same list has the same plan."""

    text: str
    work: Work = field(compare=False)


def _planned(work: Work) -> tuple[Plan | None, Plan | None]:
    return _first(_Hashed(repr(work), work))


def _digest(view: WorkView) -> str:
    """Of what the list holds, not of the hour: a better order found once goes on being tried while the list is the same."""
    told = sorted((step.key, step.minutes, str(step.state)) for step in view.work.steps)
    first = sorted(v.key for v in view.work.vehicles if v.goes_first)
    return hashlib.sha256(repr((str(view.only and view.only.uid), told, first)).encode()).hexdigest()


def _kept_plan(database: Database, view: WorkView) -> Plan | None:
    """The best plan that was found of this list, put into time anew; None where there is none or it no longer fits."""
    with database.unit() as store:
        kept = store.work.plan(_digest(view))
    if kept is None:
        return None
    steps = {step.key: step for step in view.work.steps}
    keys = [key for key in kept if key in steps]
    if len(keys) != len(steps):
        return None
    orders = {v.key: [steps[key] for key in keys if steps[key].vehicle == v.key] for v in view.work.vehicles}
    return timed(view.work, orders, keys)


def find_better(database: Database, vehicle_uid: UUID | None, deterministic_s: float = 0.2) -> tuple[WorkView, bool]:
    """Look for a better plan for a while, from the best that is known; keeps it and says whether one was found."""
    view = look_at_work(database, vehicle_uid)
    if view.plan is None:
        return view, False
    found = improve(view.work, view.plan, deterministic_s)
    assert found is not None  # it begins from one
    better = found.cost < view.plan.cost
    if better:
        with database.unit() as store:
            store.work.keep_plan(view.shop.uid, _digest(view), [p.step.key for p in found.steps], now())
    return replace(view, plan=found), better


# What people say


def _said(store: Store, vehicle_uid: UUID, key: str) -> SaidOfStep:
    return store.work.said_of(vehicle_uid, key) or SaidOfStep(uid=uuid4(), vehicle_uid=vehicle_uid, key=key)


def _list_of(database: Database, key: str) -> tuple[WorkView, UUID, Step]:
    """The list of the vehicle that a step is on, that vehicle, and the step; `NotFoundError` where it is in no list."""
    try:
        vehicle_uid = UUID(key.partition("/")[0])
    except ValueError:
        raise NotFoundError("step", key) from None
    view = list_work(database, vehicle_uid)
    found = next((step for step in (*view.work.steps, *(s for s, _ in view.over)) if step.key == key), None)
    if found is None:
        raise NotFoundError("step", key)
    return view, vehicle_uid, found


def say_status(
    database: Database, key: str, status: Status, technician_uid: UUID | None, *, why: str = "", confirmed: bool = False
) -> None:
    """Say how a step stands. What can hurt somebody is begun only once its caution was read."""
    view, vehicle_uid, step = _list_of(database, key)
    if technician_uid is None and status is not Status.OPEN:
        raise EntryError("technician_uid", "", "Choose who says so.")
    if status is Status.NOT_POSSIBLE and not why.strip():
        raise EntryError("why", "", "Say why it is not possible.", "It stays in the record.")
    is_begun = view.status(key) in {Status.STARTED, Status.PAUSED}
    if status is Status.STARTED or (status is Status.DONE and not is_begun):
        _may_start(view, step, confirmed=confirmed)
    with database.unit() as store:
        require_known(store, technician_uid)
        said = replace(
            _said(store, vehicle_uid, key),
            status=status,
            status_at=None if status is Status.OPEN else now(),
            status_by_uid=None if status is Status.OPEN else technician_uid,
            why=why.strip()[:200],
        )
        store.work.save(said)
        store.work.add_event(
            WorkEvent(
                vehicle_uid=vehicle_uid,
                key=key,
                title=step.title,
                kind=step.kind,
                usual_min=view.usual[key].minutes,
                status=status,
                at=now(),
                by_uid=technician_uid,
                why=said.why,
            )
        )


def events_of(database: Database, key: str) -> list[WorkEvent]:
    """What was said of a step, the oldest first."""
    with database.unit() as store:
        return store.work.events(50, key)


def go_first(database: Database, job_uid: UUID, *, goes_first: bool) -> None:
    """Let a vehicle go home before all others; the plan makes way for it."""
    with database.unit() as store:
        require_open(store, job_uid, "update")
        store.jobs.set_first(job_uid, goes_first=goes_first)


def _may_start(view: WorkView, step: Step, *, confirmed: bool) -> None:
    if step.after:
        first, why = view.work.step(step.after[0].key), step.after[0].why
        do = "Do that first." if first.kind in BLOCKS else "Do that first, or say that it is not possible."
        raise EntryError("status", "", f"“{first.title}” comes before it{': ' + why if why else ''}.", do)
    if step.caution and not confirmed:
        raise EntryError("confirmed", "", f"Read this first: {step.caution}", "Tick that you have, then begin.")


def pin_step(database: Database, key: str, at: datetime | None, only_uid: UUID | None) -> None:
    """Fix a step to a time, to a person, or to neither."""
    _, vehicle_uid, _ = _list_of(database, key)
    with database.unit() as store:
        require_known(store, only_uid)
        store.work.save(replace(_said(store, vehicle_uid, key), pinned_at=at, only_uid=only_uid))


def put_before(database: Database, key: str, before: str) -> None:
    """Set a step before another of its vehicle, or before none; refused where they would wait for each other in a circle."""
    view, vehicle_uid, step = _list_of(database, key)
    wanted = (before,) if before else ()
    _check_before(view, step, wanted)
    with database.unit() as store:
        store.work.save(replace(_said(store, vehicle_uid, key), before=wanted))


def _check_before(view: WorkView, step: Step, before: tuple[str, ...]) -> None:
    """Refuse what a step cannot come before: a step that is not there, or one that it waits for itself."""
    by_key = {s.key: s for s in view.work.steps}
    for key in before:
        if key not in by_key or key == step.key:
            raise EntryError(
                "before", "", "It comes before a step that is not there.", "Choose one of the same vehicle."
            )
        if key in all_before([*(s for s in view.work.steps if s.key != step.key), step])[step.key]:
            first = by_key[key].title
            raise EntryError("before", first, f"“{step.title}” waits for “{first}” itself.", "Choose another step.")


def add_step(database: Database, said: SaidOfStep) -> None:
    """Add a step, which waits for others of its own vehicle only, and before which others of it wait."""
    view = list_work(database, said.vehicle_uid)
    keys = {step.key for step in view.work.steps}
    if any(key not in keys for key in said.after):
        raise EntryError("after", "", "It waits for a step that is not there.", "Choose one of the same vehicle.")
    _check_before(view, said.step(), said.before)
    if said.back_title and not said.behind:
        raise EntryError("behind", "", "Nothing is behind it.", "Tick the circuits that it is in the way of.")
    if any(key not in view.circuits for key in said.behind):
        raise EntryError("behind", "", "A circuit that is behind it is not on this vehicle.", "Load the page again.")
    with database.unit() as store:
        store.jobs.vehicle(said.vehicle_uid)
        store.work.save(said)


def remove_step(database: Database, key: str) -> None:
    """Remove a step that a person added."""
    view, vehicle_uid, _ = _list_of(database, key)
    if key not in view.said or not view.said[key].title:
        raise RefusedRequestError("This step comes by itself.", "Say that it is done, or not possible and why.")
    with database.unit() as store:
        store.work.remove(vehicle_uid, key)


def change_hours(database: Database, technician_uid: UUID | None, hours: tuple[Shift, ...] | None) -> None:
    """Set the hours of the shop, or of one technician; None gives a technician those of the shop."""
    with database.unit() as store:
        shop = require_shop(store)
        if technician_uid is None:
            store.shops.save(replace(shop, hours=hours or ()))
        else:
            store.shops.technician(technician_uid)
            store.shops.set_hours(technician_uid, hours)


def change_tools(database: Database, tools: Mapping[str, int]) -> None:
    """Set of which tools there are only so many."""
    with database.unit() as store:
        store.shops.save(replace(require_shop(store), tools=dict(tools)))
