"""What the page of the order of the work says: a step, a vehicle, what a step waits for, what would keep a promise."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from irongauge.core.shop import Job
from irongauge.core.work.learned import WorkEvent
from irongauge.core.work.plan import PlannedStep
from irongauge.core.work.reasons import HelpKind, Remedy, Wait, WaitKind, waits_of
from irongauge.core.work.record import Status
from irongauge.core.work.steps import Step, VehicleWork
from irongauge.store.database import Database
from irongauge.workflows.work.session import events_of
from irongauge.workflows.work.work_list import WorkView

__all__ = ["Saved", "StepView", "VehicleLine", "above_pct", "help_texts", "none_helps", "step_view", "vehicle_lines"]


@dataclass(frozen=True, kw_only=True)
class StepView:
    """A step as its panel shows it: when, what it waits for, what may be said of it."""

    step: Step
    planned: PlannedStep | None
    status: Status
    waits: tuple[str, ...]
    events: tuple[WorkEvent, ...]
    here: str
    is_added: bool
    may_start: bool
    before: tuple[str, ...]


@dataclass(frozen=True)
class Saved:
    """The list in the order of entry beside the plan."""

    entered_min: int
    planned_min: int
    entered_changes: int
    planned_changes: int


def _wait_text(view: WorkView, wait: Wait) -> str:
    titles = {step.key: step.title for step in view.work.steps}
    of = view.who(wait.of.split(", ")) if wait.kind is WaitKind.PEOPLE else titles.get(wait.of, wait.of)
    until = f" until {view.at(wait.until):%a %H:%M}" if wait.until else ""
    why = f": {wait.why}" if wait.why else ""
    return {
        WaitKind.STEP: f"For “{of}”{until}{why}.",
        WaitKind.VEHICLE: f"For the vehicle: “{of}” is done on it first{until}.",
        WaitKind.COOLING: f"For the engine to cool{until}.",
        WaitKind.PART: f"For its part{until}.",
        WaitKind.PEOPLE: f"For {of} to be free{until}.",
        WaitKind.TOOL: f"For the {of}{until}.",
        WaitKind.PLACE: f"For the {of}{until}.",
        WaitKind.PIN: f"Set for {view.at(wait.until):%a %H:%M}.",
        WaitKind.NOTHING: "Nothing: ready to start.",
    }[wait.kind]


def step_view(database: Database, view: WorkView, key: str) -> StepView | None:
    """A step as the page shows it."""
    step = next((s for s in view.work.steps if s.key == key), None)
    if step is None:
        return None
    keys = {s.key for s in view.work.steps}
    return StepView(
        step=step,
        planned=None if view.plan is None else view.plan.at(key),
        status=view.status(key),
        waits=() if view.plan is None else tuple(_wait_text(view, w) for w in waits_of(view.work, view.plan, key)),
        events=tuple(events_of(database, key)),
        here=_here_text(view, key),
        is_added=key in view.said and bool(view.said[key].title),
        may_start=not any(after.key in keys for after in step.after),
        before=view.said[key].before if key in view.said else (),
    )


def _here_text(view: WorkView, key: str) -> str:
    """What such a step takes here, with its spread, where that is known."""
    usual = view.usual[key]
    learned = view.learned.get(usual.kind)
    if learned is None or (key in view.said and view.said[key].title):
        return ""
    low, high = learned.spread(usual.minutes)
    return f"Here such a step takes {learned.minutes(usual.minutes)} min; half of {learned.count} took {low} to {high}."


def none_helps(view: WorkView, vehicle: VehicleWork, remedy: Remedy) -> str:
    """Why a promise cannot be kept by anything that could be had."""
    until = vehicle.promise or 0
    if until <= 0:
        return "That day is over."
    if not any(first < until for t in view.work.technicians for first, _ in t.windows):
        return "Nobody works until then."
    if remedy.is_possible is None:
        return "It could not be told in the time of a page whether anything would keep it."
    return "Nothing that could be had would keep it: its own steps take longer."


@dataclass(frozen=True, kw_only=True)
class VehicleLine:
    """A vehicle of the list: when it is promised and ready, and how much time is between."""

    job: Job
    ready: datetime
    slack_min: int
    goes_first: bool

    @property
    def slack(self) -> str:
        """How much room is left before its promise."""
        hours, minutes = divmod(abs(self.slack_min), 60)
        days, rest = divmod(hours, 24)
        told = f"{days} d {rest} h" if days else f"{hours} h {minutes} min"
        return f"{told} late" if self.slack_min < 0 else f"{told} to spare"


def vehicle_lines(view: WorkView) -> tuple[VehicleLine, ...]:
    """The vehicles with their steps and promises."""
    plan = view.plan
    if plan is None:
        return ()
    lines = [
        VehicleLine(
            job=view.jobs[v.key],
            ready=view.at(plan.done_at(v.key)),
            slack_min=(v.promise or 0) - plan.done_at(v.key),
            goes_first=v.goes_first,
        )
        for v in view.work.vehicles
        if plan.of_vehicle(v.key)
    ]
    return tuple(sorted(lines, key=lambda line: (line.ready, line.job.vehicle.tag)))


def help_texts(view: WorkView, remedy: Remedy) -> tuple[str, ...]:
    """What would keep the promises, in words."""
    titles = {step.key: step.title for step in view.work.steps}
    texts = {
        HelpKind.TOOL: lambda key: f"one more {key}",
        HelpKind.PLACE: lambda key: f"one more {key}",
        HelpKind.HOURS: lambda key: f"up to two hours more in the evening for {view.who([key])}",
        HelpKind.PART: lambda key: f"the part for “{titles[key]}” at once",
        HelpKind.PROMISE: lambda key: f"{view.tag(key)} later than promised",
    }
    return tuple(texts[one.kind](one.key) for one in remedy.helps)


def above_pct(view: WorkView) -> float | None:
    """How far the plan may be above the least that is possible, in %; None where a promise is missed or nothing is planned."""
    if view.plan is None or view.late or not view.plan.bound:
        return None
    return 100 * (view.plan.cost / view.plan.bound - 1)
