"""Saltmarsh Depot: four machines, a job each in different states, a dozen circuits with believable readings.

Makers, people and serial numbers are invented. Readings are written as a technician would type them, and are put
through the same parsing and the same order of steps as on the Bench. Dates are counted from today.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from functools import partial
from uuid import UUID
from zoneinfo import ZoneInfo

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import assess
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.people.roles import Role as RoleInShop
from irongauge.core.sensors.circuits import (
    Circuit,
    Instrument,
    PullUp,
    Role,
    Stimulus,
)
from irongauge.core.shop import SIMULATOR_NAME, Job, Shop, Technician, Vehicle
from irongauge.demo.cards import card, training_board
from irongauge.demo.curves import add_curves
from irongauge.demo.live import add_ports
from irongauge.demo.logged import add_logs
from irongauge.demo.planned import add_plans
from irongauge.demo.pulses import add_pulses
from irongauge.demo.shelf import (
    B25,
    F150,
    H3,
    K41,
    L50,
    MORE_SENSORS,
    N10,
    P10,
    P250,
    S1,
    SENSORS,
    T90,
    V800,
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


@dataclass(frozen=True, kw_only=True)
class _Plan:
    """A circuit of the demo and what was read on it: by test point, as typed, as far as the technician came.

    `stimulus` gives what the gauge showed at a point where it was not the planned value. `mistyped` names a test point that
    was first entered wrongly.
    """

    circuit: Circuit
    typed: dict[str, str] = field(default_factory=dict)
    upto: int | None = None
    gauge: str | None = None
    stimulus: dict[int, float] = field(default_factory=dict)
    mistyped: dict[str, str] = field(default_factory=dict)


def _healthy(
    circuit: Circuit, typed_values: str, *, ref: str = "4.98", mated: str = "4.96", drop: str = "9mV"
) -> dict[str, str]:
    """Readings of a good circuit. `typed_values` are, per stimulus, signal volts, live volts and live value."""
    v, r, s = (pin.cavity for pin in circuit.pins)
    values = typed_values.split()
    typed = {
        "battery_v": "12.58",
        "battery_lamp": "bright",
        f"open_v:{v}": ref,
        f"open_v:{r}": "1mV",
        f"open_v:{s}": "4mV" if circuit.pull_up is None else f"{circuit.pull_up.to_v - 0.02:.2f}",
        f"lamp_negative:{v}": "dim",
        f"lamp_negative_v:{v}": "4.90",
        f"lamp_positive:{r}": "bright",
        f"lamp_positive:{s}": "dark",
        f"live_lamp_positive_v:{s}": "5.00",
        f"live_jumped_v:{s}": "0.01",
        f"mated_v:{v}": mated,
        f"mated_v:{r}": drop,
    }
    for point in range(len(circuit.stimuli)):
        signal, live_v, live_value = values[3 * point : 3 * point + 3]
        typed |= {f"mated_v:{s}:{point}": signal, f"live_v::{point}": live_v, f"live_value::{point}": live_value}
    return typed


def _launcher() -> list[_Plan]:
    vented = Stimulus("vented", 0.0)
    brake = card(
        "LT-7",
        "Brake line pressure",
        P10,
        colours="red black blue",
        stimuli=(vented, Stimulus("pedal held", 450.0)),
        channel="AI 3",
        others_on_reference="Throttle position, boost pressure",
    )
    winch = card(
        "LT-7",
        "Winch oil pressure",
        P250,
        colours="red/white black yellow",
        stimuli=(Stimulus("drum idle", 0.0), Stimulus("holding the trailer", 12000.0)),
        channel="AI 4",
        cavities="123",
    )
    throttle = card("LT-7", "Throttle position", T90, colours="violet brown green",
                        stimuli=(Stimulus("closed", 0.0), Stimulus("at the stop", 84.0)), channel="AI 1")  # fmt: skip
    boost = card(
        "LT-7",
        "Boost pressure",
        B25,
        colours="red black white",
        stimuli=(Stimulus("engine stopped", round(standard_atmosphere_kpa(12.0), 1)), Stimulus("hand pump", 180.0)),
        channel="AI 2",
        roles=(None, None, None),
        cavities="123",
    )
    wheel = card(
        "LT-7",
        "Axle speed",
        V800,
        colours="white green",
        stimuli=(Stimulus("turned by hand", None),),
        channel="FI 1",
        cavities="12",
        roles=(Role.PLUS, Role.MINUS),
    )
    wheel = replace(wheel, shielded=True, differential=True)
    fuel = card(
        "LT-7",
        "Fuel composition",
        F150,
        colours="red black violet",
        stimuli=(Stimulus("fuel in the tank", 10.0),),
        channel="FI 2",
        pull_up=PullUp(4700.0, 5.0),
    )
    fuel = replace(fuel, reference_v=12.0, battery_fed=True)
    winch_typed = _healthy(winch, "0.69 0.69 11.9 2.51 2.51 125.6", drop="218mV")
    winch_typed["off_ohm:2"] = "38.6"
    boost_typed = _healthy(boost, "1.90 1.89 1.01 3.35 3.34 1.79")
    shaft = (
        card("LT-7", "Propeller shaft speed", H3, colours="red black blue",
                 stimuli=(Stimulus("target away", None), Stimulus("target there", None)), channel="DI 2",
                 pull_up=PullUp(4700.0, 5.0), others_on_reference="Throttle position"))  # fmt: skip
    coolant = card(
        "LT-7",
        "Coolant temperature",
        N10,
        colours="yellow black",
        stimuli=(Stimulus("as it stands", 18.0), Stimulus("warm", 80.0)),
        channel="AI 5",
        cavities="12",
        roles=(Role.SIGNAL, Role.RETURN),
        pull_up=PullUp(2200.0, 5.0),
    )
    return [
        _Plan(circuit=brake),
        _Plan(circuit=winch, typed=winch_typed, gauge="Dial 250 bar"),
        _Plan(circuit=throttle, typed=_healthy(throttle, "0.50 0.50 0.1 4.20 4.19 83.9")),
        _Plan(circuit=boost, typed=boost_typed, upto=6, gauge="Hand pump dial"),
        _Plan(circuit=shaft, typed=_stands_high("A", "B", "C")),
        _Plan(circuit=coolant),
        _Plan(circuit=wheel),
        _Plan(circuit=fuel),
    ]


def _stands_high(v: str, r: str, s: str) -> dict[str, str]:
    """Readings of a Hall switch that never pulls its output down, its wiring good."""
    return {
        "battery_v": "12.58", "battery_lamp": "bright", f"open_v:{v}": "4.98", f"open_v:{r}": "2mV", f"open_v:{s}": "4.97",
        f"lamp_negative:{v}": "dim", f"lamp_negative_v:{v}": "4.90", f"lamp_positive:{r}": "bright",
        f"live_jumped_v:{s}": "0.01", f"mated_v:{v}": "4.96", f"mated_v:{r}": "8mV", f"mated_v:{s}:0": "4.96",
        f"mated_v:{s}:1": "4.96", "live_v::0": "4.96", "live_v::1": "4.96", f"turning_low_v:{s}": "4.95",
        f"turning_high_v:{s}": "4.96",
    }  # fmt: skip


def _groomer() -> list[_Plan]:
    tilt = card(
        "G-12",
        "Blade tilt angle",
        T90,
        colours="red grey green",
        stimuli=(Stimulus("blade level", 45.0), Stimulus("blade at the left stop", 78.0)),
        channel="X2-1",
    )
    air = card("G-12", "Manifold absolute pressure", B25, colours="red black yellow",
                   stimuli=(Stimulus("engine stopped", round(standard_atmosphere_kpa(1830.0), 1)), Stimulus("hand pump", 180.0)),
                   channel="X2-4")  # fmt: skip
    tiller = card(
        "G-12",
        "Tiller drive pressure",
        P250,
        colours="red blue white",
        stimuli=(Stimulus("tiller stopped", 0.0), Stimulus("relief valve", 21000.0)),
        channel="X2-5",
        cavities="123",
        pull_up=PullUp(100_000.0, 5.0),
    )
    level = card(
        "G-12",
        "Tiller oil level",
        S1,
        colours="grey black",
        stimuli=(Stimulus("float up", None), Stimulus("float down", None)),
        channel="DI 4",
        cavities="12",
        roles=(Role.SIGNAL, Role.RETURN),
        pull_up=PullUp(3300.0, 5.0),
    )
    exhaust = card(
        "G-12",
        "Exhaust temperature",
        K41,
        colours="green white",
        stimuli=(Stimulus("cold", 20.0), Stimulus("idling hot", 320.0)),
        channel="TC 1",
        cavities="12",
        roles=(Role.PLUS, Role.MINUS),
    )
    tilt_typed = _healthy(tilt, "2.49 2.48 44.8 2.50 2.49 45.0")
    air_typed = _healthy(air, "1.53 1.52 0.81 3.36 3.35 1.80")
    tiller_typed = _healthy(tiller, "0.51 0.50 0.3 3.83 3.82 209.4")
    for typed in (tilt_typed, air_typed, tiller_typed):
        typed["battery_v"] = "25.1"
    return [
        _Plan(circuit=tilt, typed=tilt_typed),
        _Plan(circuit=air, typed=air_typed, upto=13, gauge="Hand pump dial", mistyped={"open_v:A": "9.48"}),
        _Plan(circuit=tiller, typed=tiller_typed, gauge="Dial 250 bar"),
        _Plan(circuit=level),
        _Plan(circuit=exhaust),
    ]


def _de_icer() -> list[_Plan]:
    spray = card("D-3", "Spray pressure", P10, colours="red black green",
                     stimuli=(Stimulus("vented", 0.0), Stimulus("pump at idle", 600.0)), channel="CH 7")  # fmt: skip
    level = card(
        "D-3",
        "Tank level arm",
        L50,
        colours="orange black pink",
        stimuli=(Stimulus("tank empty", 0.0), Stimulus("arm lifted by hand", 0.04)),
        channel="CH 8",
        cavities="123",
    )
    boom = card("D-3", "Boom height angle", T90, colours="red brown yellow",
                    stimuli=(Stimulus("boom on its rest", 5.0), Stimulus("boom raised", 70.0)), channel="CH 9")  # fmt: skip
    plans = [
        _Plan(circuit=spray, typed=_healthy(spray, "0.51 0.50 0.02 2.89 2.88 5.99"), gauge="Dial 16 bar",
              mistyped={"mated_v:A": "4.69"}),
        _Plan(circuit=level, typed=_healthy(level, "0.51 0.50 0.1 3.68 3.67 40.1")),
        _Plan(circuit=boom, typed=_healthy(boom, "0.73 0.72 5.1 3.59 3.58 70.2")),
    ]  # fmt: skip
    for plan in plans:
        plan.typed["battery_v"] = "25.3"
    return plans


def _locomotive() -> list[_Plan]:
    reservoir = card("P-2", "Brake reservoir pressure", P10, colours="red black white",
                         stimuli=(Stimulus("drained", 0.0), Stimulus("compressor cut-out", 750.0)), channel="IN 11")  # fmt: skip
    regulator = card("P-2", "Regulator handle position", T90, colours="red black green",
                         stimuli=(Stimulus("shut", 0.0), Stimulus("full open", 88.0)), channel="IN 12")  # fmt: skip
    return [
        _Plan(
            circuit=reservoir,
            typed=_healthy(reservoir, "0.50 0.50 0.01 3.48 3.47 7.48"),
            gauge="Dial 16 bar",
        ),
        _Plan(circuit=regulator, typed=_healthy(regulator, "0.49 0.49 -0.2 4.38 4.37 88.2")),
    ]


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
            plans=_launcher(),
            title="Brake gauge reads low; boost and winch sensors new",
            technician=OTTOLINE,
            received_in=-2,
            promised_in=1,
        )
        _bring_in(
            store,
            instruments,
            day,
            tag="G-12",
            description="Piste groomer, Firnwerk G, lent to the ski club",
            system_v=24.0,
            height_m=1830.0,
            plans=_groomer(),
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
            plans=_de_icer(),
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
            plans=_locomotive(),
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
            plans=[_Plan(circuit=circuit) for circuit in training_board()],
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
    plans: Iterable[_Plan],
    title: str,
    technician: Technician,
    received_in: int,
    promised_in: int,
    is_practice: bool = False,
) -> UUID:
    vehicle = Vehicle(uid_of(tag), tag, description, system_v, height_m)
    store.jobs.add_vehicle(SHOP.uid, vehicle)
    job = Job(
        uid=uid_of(f"job {tag}"),
        number=1,
        vehicle=vehicle,
        title=title,
        received_on=day + timedelta(days=received_in),
        promised_on=day + timedelta(days=promised_in),
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


def _readings(job: Job, plan: _Plan, instruments: dict[str, Instrument], clock: datetime) -> list[Reading]:
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
    plan: _Plan,
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
