"""Saltmarsh Depot: four machines, a job each in different states, a dozen circuits with believable readings.

Makers, people and serial numbers are invented. Readings are written as a technician would type them, and are put
through the same parsing and the same order of steps as on the Bench. Dates are counted from today.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from functools import partial
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import assess
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.people.roles import Role as RoleInShop
from irongauge.core.sensors.circuits import (
    Instrument,
)
from irongauge.core.shop import SIMULATOR_NAME, Job, Promise, Shop, Technician, Vehicle
from irongauge.demo.cards import training_board
from irongauge.demo.curves import add_curves
from irongauge.demo.live import add_ports
from irongauge.demo.logged import add_logs
from irongauge.demo.machines import CircuitPlan, de_icer, groomer, launcher, locomotive
from irongauge.demo.planned import add_plans
from irongauge.demo.pulses import add_pulses
from irongauge.demo.shelf import (
    MORE_SENSORS,
    SENSORS,
    instruments_of,
    uid_of,
)
from irongauge.demo.working import add_work
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.judging import CircuitFacts
from irongauge.workflows.bench.readings import parse_answer
from irongauge.workflows.shop.jobs import judge_open_jobs
from irongauge.workflows.shop.view import today

__all__ = ["load_demo"]

_ZONE = "Europe/London"

SHOP = Shop(uid=uid_of("shop"), name="Saltmarsh Depot", height_m=12.0, timezone=_ZONE)
OTTOLINE, BRAM, SUNNIVA = (
    Technician(uid_of(name), name) for name in ("Ottoline Marsh", "Bram Keldby", "Sunniva Okonkwo-Reay")
)
EVERYBODY = (
    OTTOLINE,
    BRAM,
    SUNNIVA,
    *(Technician(uid_of(name), name) for name in ("Iver Haugland", "Nell Tregenza")),
)

SIMULATOR = Technician(uid_of(SIMULATOR_NAME), SIMULATOR_NAME)


def load_demo(database: Database) -> bool:
    """Load the sample shop into an empty database. False, with nothing done, when any shop is there already."""
    with database.unit() as store:
        if store.shops.first() is not None:
            return False
        day = today(SHOP)
        store.shops.save(SHOP)
        for technician in (*EVERYBODY, SIMULATOR):
            store.shops.add_technician(SHOP.uid, technician)
        store.people.set_role(OTTOLINE.uid, RoleInShop.FOREMAN, has_left=False)
        store.people.set_role(uid_of("Nell Tregenza"), RoleInShop.APPRENTICE, has_left=False)
        for sensor in (*SENSORS, *MORE_SENSORS):
            store.shelf.add_sensor_type(SHOP.uid, sensor)
        instruments = instruments_of(day)
        for instrument in instruments.values():
            store.shelf.add_instrument(SHOP.uid, instrument)
        lt7 = _bring_in(
            store,
            instruments,
            day,
            tag="LT-7",
            description="Boat-launching tractor, Marram 60",
            system_v=12.0,
            height_m=12.0,
            plans=launcher(),
            title="Brake gauge reads low; boost and winch sensors new",
            technician=OTTOLINE,
            received_in=-2,
            promised_in=1,
            promised_by=time(15, 30),
        )
        _bring_in(
            store,
            instruments,
            day,
            tag="G-12",
            description="Piste groomer, Firnwerk G, lent to the ski club",
            system_v=24.0,
            height_m=1830.0,
            plans=groomer(),
            title="Blade angle stays where it is",
            technician=BRAM,
            received_in=-4,
            promised_in=0,
        )
        _bring_in(
            store,
            instruments,
            day,
            tag="D-3",
            description="Airfield de-icer, Rimefall 9000",
            system_v=24.0,
            height_m=12.0,
            plans=de_icer(),
            title="Commission before the season",
            technician=SUNNIVA,
            received_in=-3,
            promised_in=2,
        )
        p2 = _bring_in(
            store,
            instruments,
            day,
            tag="P-2",
            description="Peat-railway locomotive, Turbary Works",
            system_v=12.0,
            height_m=12.0,
            plans=locomotive(),
            title="Two sensors replaced",
            technician=BRAM,
            received_in=-9,
            promised_in=-5,
        )
        circuits = {c.name: c for jobs in store.circuits.of_jobs([lt7, p2]).values() for c in jobs}
        add_curves(
            store,
            SHOP.uid,
            uid_of,
            instruments=instruments,
            boost=circuits["Boost pressure"],
            reservoir=circuits["Brake reservoir pressure"],
            who=(OTTOLINE, BRAM),
            began=(_at(day, -1, 14 * 60 + 5), _at(day, -6, 10 * 60 + 20)),
        )
        add_pulses(
            store,
            SHOP.uid,
            uid_of,
            axle=circuits["Axle speed"],
            fuel=circuits["Fuel composition"],
            who=OTTOLINE,
            began=_at(day, -1, 15 * 60 + 12),
        )
        _bring_in(
            store,
            instruments,
            day,
            tag="BOARD",
            description="Training board: a circuit of every family",
            system_v=12.0,
            height_m=12.0,
            plans=[CircuitPlan(circuit=circuit) for circuit in training_board()],
            title="Each circuit may hide a fault",
            technician=SUNNIVA,
            received_in=0,
            promised_in=14,
            is_practice=True,
        )
        add_plans(store, SHOP.uid, {"LT-7": lt7}, circuits=circuits, who=OTTOLINE, at=_at(day, -1, 8 * 60 + 10))
        store.jobs.hand_over(p2, _at(day, -5, 15 * 60 + 40), OTTOLINE.uid)
        add_work(store, uid_of, store.jobs.job(p2).vehicle, EVERYBODY, partial(_at, day))
        vehicles = {vehicle.tag: vehicle.uid for vehicle in store.jobs.vehicles(SHOP.uid)}
    add_ports(database, uid_of, vehicles, circuits["Brake line pressure"])
    add_logs(database, uid_of, vehicles, circuits["Boost pressure"], partial(_at, day))
    judge_open_jobs(database)
    return True


def _at(day: date, days: int, minutes: int) -> datetime:
    """A moment of the shop's day, `days` from today."""
    start = datetime.combine(day + timedelta(days=days), time(0), ZoneInfo(_ZONE))
    return start + timedelta(minutes=minutes)


def _bring_in(
    store: Store,
    instruments: dict[str, Instrument],
    day: date,
    *,
    tag: str,
    description: str,
    system_v: float,
    height_m: float,
    plans: Iterable[CircuitPlan],
    title: str,
    technician: Technician,
    received_in: int,
    promised_in: int,
    promised_by: time | None = None,
    is_practice: bool = False,
) -> UUID:
    vehicle = Vehicle(uid=uid_of(tag), tag=tag, description=description, system_v=system_v, height_m=height_m)
    store.jobs.add_vehicle(SHOP.uid, vehicle)
    job = Job(
        uid=uid_of(f"job {tag}"),
        number=1,
        vehicle=vehicle,
        title=title,
        received_on=day + timedelta(days=received_in),
        promise=Promise(day + timedelta(days=promised_in), promised_by),
        technician=technician,
        is_practice=is_practice,
    )
    store.jobs.add_job(job)
    clock = _at(day, min(-1, promised_in), 9 * 60 + 12)
    for plan in plans:
        store.circuits.add(job.uid, plan.circuit)
        for reading in _readings(job, plan, instruments, clock):
            store.readings.add(plan.circuit.uid, reading)
        clock += timedelta(minutes=38)
    return job.uid


def _readings(job: Job, plan: CircuitPlan, instruments: dict[str, Instrument], clock: datetime) -> list[Reading]:
    """The plan's readings in the order in which the Bench asks for them, a mistyped one with its correction."""
    circuit = plan.circuit
    taken: list[Reading] = []
    upto = len(plan.typed) if plan.upto is None else plan.upto
    while len({r.test_point for r in taken}) < upto:
        case = CircuitFacts.of(
            SHOP, job, circuit, readings=tuple(taken), instruments=tuple(instruments.values())
        ).case()
        test = next((s for s in assess(case).tests if s.test_point not in case.readings), None)
        extra = [TestPoint.from_text(text) for text in plan.typed if TestPoint.from_text(text) not in case.readings]
        test_point = test.test_point if test is not None else extra[0]
        right = plan.typed[str(test_point)]
        for typed in ([plan.mistyped[str(test_point)]] if str(test_point) in plan.mistyped else []) + [right]:
            clock += timedelta(seconds=47)
            taken.append(_reading(job, plan, instruments, taken=taken, test_point=test_point, typed=typed, clock=clock))
    return taken


def _reading(
    job: Job,
    plan: CircuitPlan,
    instruments: dict[str, Instrument],
    *,
    taken: list[Reading],
    test_point: TestPoint,
    typed: str,
    clock: datetime,
) -> Reading:
    case = CircuitFacts.of(
        SHOP, job, plan.circuit, readings=tuple(taken), instruments=tuple(instruments.values())
    ).case()
    entry = parse_answer(SHOP, case, test_point, typed)
    spec = ACTIONS[Action(test_point.action)]
    at_stimulus = spec.action is Action.MATED_V and test_point.point is not None
    current = case.readings.get(test_point)
    return Reading(
        uid=uid_of(f"{plan.circuit.uid}/{len(taken)}"),
        test_point=test_point,
        value=entry.value,
        word=entry.word,
        unit=None if entry.value is None else entry.unit,
        state=spec.state,
        typed=typed,
        technician_uid=job.technician.uid,
        taken_at=clock,
        instrument_uid=instruments["Meter 4"].uid if spec.reads_meter else None,
        stimulus_value=plan.stimulus.get(test_point.point or 0, plan.circuit.stimuli[test_point.point or 0].value)
        if at_stimulus
        else None,
        stimulus_instrument_uid=instruments[plan.gauge].uid
        if at_stimulus and plan.gauge is not None and test_point.point
        else None,
        supersedes_uid=None if current is None else current.uid,
        reason=None if current is None else SupersedeReason.MISTYPED,
    )
