"""The list of the work: what is still to be done in the shop, as it follows from the records and from what people said."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from functools import cached_property
from textwrap import shorten
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.calibration.record import Calibration
from irongauge.core.measure.quantities import VehicleState
from irongauge.core.plan.kit import open_lines
from irongauge.core.pulses.record import PULSE_FAMILIES
from irongauge.core.sensors.circuits import Circuit, InstrumentKind
from irongauge.core.shop import SIMULATOR_NAME, Job, Shop, Vehicle
from irongauge.core.work.arising import CircuitToDo, VehicleToDo, opened_up, set_before, steps_of, with_rules
from irongauge.core.work.changes import all_before
from irongauge.core.work.hours import Shift, windows_of
from irongauge.core.work.learned import Learned, learned_from, times_of, with_learned
from irongauge.core.work.plan import Plan, PlannedStep
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.standing import Held, left_of
from irongauge.core.work.steps import After, Step, StepKind, Technician, VehicleWork, Work, WorkState, problems_of
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.verdicts import TimeLeft
from irongauge.workflows.curve.entries import entries_to_change
from irongauge.workflows.shop.view import CircuitView, Gathered, JobView, People, gathered, now, people_of, require_shop

__all__ = ["WorkView", "list_work", "over_days"]

_DAYS = 10  # that are planned ahead, where that is enough
_STEP_MIN = 15  # the plan begins at the last quarter of an hour, so that it stands still while it is looked at
_PAGE_S = 1.0  # for verdicts that no longer hold
_EVENTS_LEARNED = 2000  # of the last steps
_USUAL_END_MIN = 17 * 60  # of a day on which nobody works: until when a promise for it holds
# What one plan holds of a shop, the nearest promises first; the rest comes once there is room.
_MOST_VEHICLES, _MOST_STEPS = 40, 250


@dataclass(frozen=True, kw_only=True)
class WorkView:
    """The list of the shop, or of one vehicle, and once it is planned its plan.

    `over` are the steps that are done or not possible, `held` those that wait for what is not possible, `later` jobs that are
    not planned yet since others are promised before them, `let_go` steps that could not be done at the time that was set.
    """

    shop: Shop
    start: datetime
    jobs: Mapping[str, Job]
    work: Work
    problems: tuple[str, ...]
    licensed: tuple[str, ...]
    circuits: Mapping[str, str]
    said: Mapping[str, SaidOfStep]
    over: tuple[tuple[Step, SaidOfStep], ...]
    held: tuple[Held, ...]
    later: tuple[Job, ...]
    usual: Mapping[str, Step]
    learned: Mapping[StepKind, Learned]
    people: People
    hours: Mapping[UUID, tuple[Shift, ...] | None]
    only: Vehicle | None = None
    plan: Plan | None = None
    let_go: tuple[Step, ...] = ()
    entered: Plan | None = field(default=None, repr=False)

    def at(self, minute: int) -> datetime:
        """A minute of the plan as a moment where the shop is."""
        return (self.start + timedelta(minutes=minute)).astimezone(ZoneInfo(self.shop.timezone))

    def tag(self, vehicle: str) -> str:
        return self.jobs[vehicle].vehicle.tag

    def who(self, keys: Sequence[str]) -> str:
        return " and ".join(self.people.technician_name(UUID(key)) for key in keys)

    def status(self, key: str) -> Status:
        return self.said[key].status if key in self.said else Status.OPEN

    @cached_property
    def late(self) -> tuple[VehicleWork, ...]:
        """Vehicles whose promise the plan does not keep."""
        return () if self.plan is None else tuple(v for v in self.work.vehicles if self.plan.late_min(v))

    def steps_of(self, technician: str) -> tuple[PlannedStep, ...]:
        return () if self.plan is None else tuple(p for p in self.plan.steps if technician in p.people)


def _quarter(moment: datetime) -> datetime:
    return moment.replace(minute=moment.minute - moment.minute % _STEP_MIN, second=0, microsecond=0)


def list_work(database: Database, vehicle_uid: UUID | None = None, at: datetime | None = None) -> WorkView:
    """What is to be done in the shop, or on one vehicle, not planned yet; `problems` where there can be no plan."""
    start = _quarter(at or now())
    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        only = None if vehicle_uid is None else store.jobs.vehicle(vehicle_uid)
        every = [
            job
            for job in store.jobs.jobs(shop.uid, is_open=True)
            if not job.is_practice and vehicle_uid in {None, job.vehicle.uid}
        ]
        said = store.work.said({job.vehicle.uid for job in every})
        jobs, later = _first_jobs(every, said)
        found = gathered(store, shop, people, jobs)
        todo = _Records(store, people, found, said, start.astimezone(ZoneInfo(shop.timezone)).date())
        hours = store.shops.hours_of(shop.uid)
    left = TimeLeft(_PAGE_S)
    views = [one.judged(database, left=left) for one in found]
    return _View(shop, people, hours, todo, start).of(views, later, only)


def _first_jobs(jobs: Sequence[Job], said: Sequence[SaidOfStep]) -> tuple[tuple[Job, ...], tuple[Job, ...]]:
    """The jobs that come first, and those for which there is no room: what goes home first or was begun, then by promise."""
    begun = {one.vehicle_uid for one in said if one.status in {Status.STARTED, Status.PAUSED}}
    ranked = sorted(
        jobs, key=lambda job: (not job.goes_first, job.vehicle.uid not in begun, job.promise.until, job.number)
    )
    return tuple(ranked[:_MOST_VEHICLES]), tuple(ranked[_MOST_VEHICLES:])


class _Records:
    """What the jobs' records say beside their readings, and what people said."""

    def __init__(
        self, store: Store, people: People, found: Sequence[Gathered], said: Sequence[SaidOfStep], day: date
    ) -> None:
        self.people, self.day = people, day
        facts = [of for one in found for of in one.circuits]
        uids = [of.circuit.uid for of in facts]
        vehicles = {one.job.vehicle.uid for one in found}
        self.calibrations = store.calibrations.of_circuits(uids)
        self.pulses = {of.circuit.uid: of.pulses for of in facts}
        self.kits = store.kits.of_jobs([one.job.uid for one in found])
        self.reserved = store.plans.reserved(vehicles)
        self.entries = store.calibrations.entries_of(uids)
        self.learned = learned_from(times_of(store.work.events(_EVENTS_LEARNED)))
        self.said = tuple(one for one in said if one.vehicle_uid in vehicles)


@dataclass(frozen=True)
class _View:
    """What a list is made with."""

    shop: Shop
    people: People
    hours: Mapping[UUID, tuple[Shift, ...] | None]
    todo: _Records
    start: datetime

    def _arising(
        self, views: Sequence[JobView], later: Sequence[Job], only: Vehicle | None
    ) -> tuple[dict[str, Job], list[Step], list[VehicleToDo], Sequence[Job]]:
        """The steps that jobs call for, as many jobs as one plan holds; the others come later."""
        jobs: dict[str, Job] = {}
        arising: list[Step] = []
        vehicles: list[VehicleToDo] = []
        for view in views:
            vehicle = _to_do(view, self.todo)
            steps = steps_of(vehicle)
            if jobs and only is None and len(arising) + len(steps) > _MOST_STEPS:
                later = (*later, view.job)
                continue
            arising += steps
            jobs.setdefault(vehicle.key, view.job)
            vehicles.append(vehicle)
        return jobs, arising, vehicles, later

    def of(self, views: Sequence[JobView], later: Sequence[Job], only: Vehicle | None) -> WorkView:
        """The work of some jobs, with what was said of its steps."""
        jobs, arising, vehicles, later = self._arising(views, later, only)
        told = [(vehicle.tag, circuit) for vehicle in vehicles for circuit in vehicle.circuits]
        added = tuple(one for one in self.todo.said if one.title and str(one.vehicle_uid) in jobs)
        every = opened_up((*arising, *(one.step() for one in added)), added)
        usual = {step.key: step for step in set_before(every, self.todo.said)}
        said = {one.key: one for one in self.todo.said if one.key in usual}
        left, held = self._left(usual, said, {key for one in added for key in (one.key, f"{one.key}/back")})
        work = Work(
            steps=left,
            vehicles=tuple(self._vehicle(key, job, _state(key, usual, said)) for key, job in jobs.items()),
            technicians=_technicians(self.shop, self.people, self.hours, self.start, _DAYS),
            tools=self.shop.tools,
            start_min=_minute_of_day(self.start, self.shop),
        )
        return WorkView(
            shop=self.shop,
            start=self.start,
            jobs=jobs,
            work=work,
            problems=problems_of(work),
            licensed=tuple(f"{tag}: {c.name}" for tag, c in told if c.licence is not None),
            circuits={c.key: c.name for _, c in told if c.licence is None},
            said=said,
            over=tuple((usual[key], one) for key, one in said.items() if one.status.is_over),
            held=held,
            later=tuple(later),
            usual=usual,
            learned=self.todo.learned,
            people=self.people,
            hours=self.hours,
            only=only,
        )

    def _left(
        self, usual: Mapping[str, Step], said: Mapping[str, SaidOfStep], told: AbstractSet[str]
    ) -> tuple[tuple[Step, ...], tuple[Held, ...]]:
        """What is left to do, and what is held back. `told` are the steps of which a person said how long they take."""
        every = []
        for key, step in usual.items():
            own = step if key in told else with_learned(step, self.todo.learned)
            own = said[key].over(own, self.start) if key in said else own
            every.append(_going_on(own, said.get(key), self.start))
        of_status = {status: {key for key, one in said.items() if one.status is status} for status in Status}
        left, held = left_of(with_rules(every), of_status[Status.DONE], of_status[Status.NOT_POSSIBLE])
        return _begun_first(left, of_status[Status.STARTED]), held

    def _vehicle(self, key: str, job: Job, state: WorkState) -> VehicleWork:
        promise = _promise(job, self.shop, self.start)
        return VehicleWork(key=key, promise=promise, state=state, goes_first=job.goes_first)


def _going_on(step: Step, said: SaidOfStep | None, start: datetime) -> Step:
    """A step that was started goes on now, with what is left of it, by whoever started it."""
    if said is None or said.status is not Status.STARTED or said.status_at is None:
        return step
    gone_min = max(0, int((start - said.status_at).total_seconds() // 60))
    only = step.only if said.status_by_uid is None or step.people > 1 else frozenset({str(said.status_by_uid)})
    return replace(step, minutes=max(1, step.minutes - gone_min), only=only, pinned_at=None, not_before=0)


def _begun_first(steps: tuple[Step, ...], begun: AbstractSet[str]) -> tuple[Step, ...]:
    """What was begun on a vehicle goes on before anything else of it, but for what it waits for itself."""
    of_begun = {step.vehicle: step.key for step in steps if step.key in begun}
    before = all_before(steps)
    found = []
    for step in steps:
        first = of_begun.get(step.vehicle)
        waits = first is not None and step.key not in begun and step.key not in before[first]
        found.append(replace(step, after=(*step.after, After(first, "it was begun"))) if waits and first else step)
    return tuple(found)


def _state(vehicle: str, usual: Mapping[str, Step], said: Mapping[str, SaidOfStep]) -> WorkState:
    """How a vehicle stands: as the step left it that was begun or done last."""
    worked = {Status.STARTED, Status.PAUSED, Status.DONE}
    steps = [(one.status_at, key) for key, one in said.items() if one.status_at is not None and one.status in worked]
    last = max(((at, key) for at, key in steps if usual[key].vehicle == vehicle), default=None)
    return WorkState.KEY_OFF if last is None else usual[last[1]].state


def over_days(view: WorkView, days: int) -> WorkView:
    """The same list with more days, or fewer, in which it may be done."""
    technicians = _technicians(view.shop, view.people, view.hours, view.start, days)
    return replace(view, work=replace(view.work, technicians=technicians))


def _technicians(
    shop: Shop, people: People, hours: Mapping[UUID, tuple[Shift, ...] | None], start: datetime, days: int
) -> tuple[Technician, ...]:
    found = []
    for technician in people.technicians:
        if technician.name != SIMULATOR_NAME:
            own = hours.get(technician.uid)
            windows = windows_of(shop.hours if own is None else own, start, days, shop.timezone)
            found.append(Technician(str(technician.uid), windows))
    return tuple(found)


def _minute_of_day(start: datetime, shop: Shop) -> int:
    local = start.astimezone(ZoneInfo(shop.timezone))
    return local.hour * 60 + local.minute


def _promise(job: Job, shop: Shop, start: datetime) -> int:
    """The minute until which a promise holds: the time that was told, else when the shop closes on its day."""
    ends = [shift.last_min for shift in shop.hours if shift.weekday == job.promise.on.weekday()]
    day = datetime.combine(job.promise.on, datetime.min.time(), ZoneInfo(shop.timezone))
    end = day + timedelta(minutes=max(ends, default=_USUAL_END_MIN))
    if job.promise.by is not None:
        end = datetime.combine(job.promise.on, job.promise.by, ZoneInfo(shop.timezone))
    return int((end - start).total_seconds() // 60)


def _to_do(view: JobView, todo: _Records) -> VehicleToDo:
    job = view.job
    here = {one.circuit.name for one in view.standing}
    planned = [  # what has a circuit of this job is fitted and tested as that
        CircuitToDo(key=f"planned {uid}", name=name, to_fit=True)
        for uid, name in todo.reserved[job.vehicle.uid]
        if name not in here
    ]
    return VehicleToDo(
        key=str(job.vehicle.uid),
        tag=job.vehicle.tag,
        circuits=(*(_circuit_to_do(one, view, todo) for one in view.standing), *planned),
        left_behind=view.left_behind,
        kit=tuple((str(line.uid), line.kind, line.text) for line in open_lines(todo.kits[job.uid])),
        road_test=any(one.circuit.family in PULSE_FAMILIES for one in view.standing),
        battery_off=job.vehicle.battery_off,
    )


def _circuit_to_do(one: CircuitView, view: JobView, todo: _Records) -> CircuitToDo:
    circuit, assessment = one.circuit, one.assessment
    counts: dict[VehicleState, int] = {}
    if not assessment.verdict.level.is_done:
        for test in assessment.left:
            counts[test.spec.state] = counts.get(test.spec.state, 0) + 1
    faulty = assessment.verdict.level in {VerdictLevel.FAULT, VerdictLevel.GROUP}
    if faulty and not counts:  # what was put right is measured again
        counts = {VehicleState.KEY_ON: 3}
    records = todo.calibrations[circuit.uid]
    points = sum(_points_left(record) for record in records if record.signed_at is None)
    entries, is_own = entries_to_change(
        circuit, view.job.vehicle.height_m, todo.entries[circuit.uid], records, todo.people
    )
    to = "the figures as calibrated" if is_own else "the figures"
    return CircuitToDo(
        key=str(circuit.uid),
        name=circuit.name,
        readings=tuple(sorted(counts.items())),
        to_fit=_is_to_be_wired(one, view, todo),
        calibration_points=points,
        tools=frozenset({"hand pump"}) if circuit.sensor.pressure_base is not None else frozenset(),
        repair=shorten(assessment.verdict.headline, 70, placeholder="…") if faulty else "",
        pulses=circuit.family in PULSE_FAMILIES and not todo.pulses[circuit.uid],
        entries=tuple((str(entry.uid), entry.name, to) for entry in entries),
        overdue=_overdue(circuit, todo) if points else "",
        is_pressure=circuit.sensor.pressure_base is not None,
        part_of=circuit.part_of,
    )


def _is_to_be_wired(one: CircuitView, view: JobView, todo: _Records) -> bool:
    """True while a circuit's wiring is still to be made: by its card, or as an input is reserved for it, until it was read."""
    reserved = {name for _, name in todo.reserved[view.job.vehicle.uid]}
    return (one.circuit.to_wire or one.circuit.name in reserved) and not one.readings


def _overdue(circuit: Circuit, todo: _Records) -> str:
    """What is overdue of the instruments that a calibration takes, where the shop has none that is not."""
    kinds = [InstrumentKind.METER, *([InstrumentKind.GAUGE] if circuit.sensor.pressure_base is not None else [])]
    said = []
    for kind in kinds:
        own = [i for i in todo.people.usable if i.kind is kind]
        if own and all(i.overdue_on(todo.day) for i in own):
            due = ", ".join(f"{i.name} since {i.due}" for i in own)
            said.append(f"Every {kind} of the shop is overdue ({due}): have one calibrated first, or borrow one.")
    return " ".join(said)


def _points_left(record: Calibration) -> int:
    taken = {point.place for point in record.points}
    return len([at for at in range(len(record.setup.plan)) if at not in taken])
