"""The order of the work in the demo: what people added and said, a part that comes too late, and times of the weeks before."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from uuid import UUID

from irongauge.core.shop import Job, Promise, Technician, Vehicle
from irongauge.core.work.learned import WorkEvent
from irongauge.core.work.record import SaidOfStep, Status
from irongauge.core.work.steps import Heat, StepKind, WorkState
from irongauge.store.repositories import Store

__all__ = ["add_work"]

# Minutes that six tests and six calibrations of the last weeks took, beside the default ones of each.
_TOOK = {
    StepKind.TEST: ((8, 10), (6, 7), (10, 13), (6, 6), (8, 11), (12, 13)),
    StepKind.CALIBRATE: ((20, 26), (12, 19), (20, 24), (20, 31), (12, 15), (28, 33)),
}


def add_work(
    store: Store,
    uid_of: Callable[[str], UUID],
    locomotive: Vehicle,
    people: tuple[Technician, ...],
    at: Callable[[int, int], datetime],
) -> None:
    """`at` gives a moment by days from today and minutes of that day."""
    day: date = at(0, 0).date()
    store.jobs.add_job(
        Job(
            uid=uid_of("job P-2 brakes"),
            number=1,
            vehicle=locomotive,
            title="Brake hose renewed after inspection",
            received_on=day,
            promise=Promise(day + timedelta(days=3)),
            technician=people[1],
        )
    )
    p2, d3 = locomotive.uid, uid_of("D-3")
    hose = _added(p2, "Renew the brake hose", 90, WorkState.BATTERY_OFF, uid=uid_of("step hose"),
                  caution="Let the reservoir down to nothing first, wheels chocked.")  # fmt: skip
    leak = _added(p2, "Leak test of the brake at full pressure", 20, WorkState.IDLE, uid=uid_of("step leak"),
                  after=(hose.key,), people=2, caution="Nobody between the wheels and the brake blocks.")  # fmt: skip
    run = _added(p2, "Trial run on the yard track", 30, WorkState.ROAD, uid=uid_of("step run"), after=(leak.key,), people=2,
                 caution="The driver drives and the passenger reads; the track is closed.")  # fmt: skip
    valve = _added(d3, "Fit the spray valve", 60, WorkState.BATTERY_OFF, uid=uid_of("step valve"), heat=Heat.COLD,
                   not_before=at(4, 10 * 60 + 20), caution="Cold and without pressure; de-icer irritates the eyes.")  # fmt: skip
    for said in (hose, leak, run, valve):
        store.work.save(said)
    for kind, took in _TOOK.items():
        for n, (usual, minutes) in enumerate(took):
            begun = at(-3 - n, 9 * 60)
            for status, moment in ((Status.STARTED, begun), (Status.DONE, begun + timedelta(minutes=minutes))):
                store.work.add_event(
                    WorkEvent(
                        vehicle_uid=p2,
                        key=f"{p2}/before:{kind}:{n}",
                        title=f"{kind}".capitalize(),
                        kind=kind,
                        usual_min=usual,
                        status=status,
                        at=moment,
                        by_uid=people[n % len(people)].uid,
                    )
                )


def _added(
    vehicle_uid: UUID,
    title: str,
    minutes: int,
    state: WorkState,
    *,
    uid: UUID,
    caution: str,
    after: tuple[str, ...] = (),
    people: int = 1,
    heat: Heat = Heat.ANY,
    not_before: datetime | None = None,
) -> SaidOfStep:
    return SaidOfStep(
        uid=uid,
        vehicle_uid=vehicle_uid,
        key=f"{vehicle_uid}/added:{uid}",
        title=title,
        minutes=minutes,
        state=state,
        heat=heat,
        people=people,
        after=after,
        caution=caution,
        not_before=not_before,
    )
