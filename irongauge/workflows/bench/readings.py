"""Testing one circuit: look at it, and record a reading so that nothing is lost and nothing is stored twice."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from uuid import UUID, uuid4

from irongauge.core.bench.actions import ACTIONS, Action, ActionSpec, AnswerKind
from irongauge.core.bench.assessment import Assessment
from irongauge.core.bench.case import BenchCase, newest_at
from irongauge.core.bench.diagnosed import Suspect, WhatIf
from irongauge.core.bench.reasoning import what_if
from irongauge.core.bench.sequence import FROM_POSITIVE, is_allowed
from irongauge.core.measure.entry import NOT_SHOWN, Entry, parse_entry, parse_sensed, split_pressure_base
from irongauge.core.measure.quantities import ON_THE_WAY, Glow, Limits, Reading, SupersedeReason, TestPoint
from irongauge.core.measure.units import FIXED_UNIT, Quantity, rebase, show
from irongauge.core.sensors.circuits import Circuit, Role
from irongauge.core.shop import Job, Shop
from irongauge.errors import EntryError, NotFoundError, NotShownError, StaleFormError, quoted
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.bench.cards import point_named
from irongauge.workflows.bench.judging import CircuitFacts, concluded, marked
from irongauge.workflows.bench.verdicts import with_diagnosis
from irongauge.workflows.shop.view import (
    CircuitView,
    Depth,
    JobView,
    People,
    gathered,
    now,
    open_job,
    people_of,
    require_shop,
    today,
)

__all__ = [
    "Ahead",
    "BenchView",
    "NewReading",
    "Recorded",
    "asked_test_point",
    "look_ahead",
    "look_at_bench",
    "needs_stimulus",
    "parse_answer",
    "record_reading",
    "take_back",
]

_HEAT_SHOWN_DEGC = (-40.0, 150.0)  # what a temperature channel shows between its ends
# A glow as its key on the Bench, or in words.
GLOW_WORDS = {
    "d": Glow.DARK,
    "dark": Glow.DARK,
    "g": Glow.DIM,
    "dim": Glow.DIM,
    "b": Glow.BRIGHT,
    "bright": Glow.BRIGHT,
}


@dataclass(frozen=True)
class BenchView:
    """Everything the Bench shows of one circuit."""

    shop: Shop
    job: JobView
    view: CircuitView
    people: People


@dataclass(frozen=True)
class Ahead:
    """What is predicted for a step; with a supposed reading, how it is said and the suspects that it would leave."""

    predictions: tuple[WhatIf, ...]
    suspects: tuple[Suspect, ...]
    supposed: str


@dataclass(frozen=True, kw_only=True)
class NewReading:
    """A reading as handed in by a form or a program.

    `uid` is made with the form, so that the same form sent twice is one reading. `seen_uid` is the test point's reading that
    was current when the form was made; None when it had none. `in_fixed_unit` says that bare numbers come from a program, in
    the fixed unit of their quantity, and not from a person in the shop's unit. `read_off` is what a meter or a bus said that
    the field was filled from. `overdue_why` says why an instrument is used whose calibration was due.
    """

    uid: UUID
    test_point: str
    typed: str
    technician_uid: UUID
    instrument_uid: UUID | None = None
    stimulus_typed: str = ""
    stimulus_instrument_uid: UUID | None = None
    seen_uid: UUID | None = None
    reason: SupersedeReason | None = None
    in_fixed_unit: bool = False
    read_off: str = ""
    overdue_why: str = ""


@dataclass(frozen=True)
class Recorded:
    """What was stored, how an unusual entry was understood, and what can be said of the circuit now.

    `is_new` is False when the same form had stored it before.
    """

    reading: Reading
    note: str
    is_new: bool
    assessment: Assessment


def look_at_bench(database: Database, circuit_uid: UUID, depth: Depth = Depth.VERDICT, *, asked: str = "") -> BenchView:
    """One circuit with its diagnosis, unless less is asked for. `asked` is the test point that is to be asked for, if any.

    The job's other circuits come only once this one is proved good, to say what is next.
    """
    with database.unit() as store:
        shop, people, job, facts = _facts_of(store, circuit_uid, asked=asked)
        kept = store.verdicts.of_circuits([circuit_uid]).get(circuit_uid)
    told = marked(facts) if depth is Depth.MARKS else with_diagnosis(database, facts, kept)
    view = CircuitView(facts.circuit, facts.readings, told)
    whole = JobView(job, (view,))
    if view.assessment.verdict.level.is_done:
        with database.unit() as store:
            (others,) = gathered(store, shop, people, (job,))
        whole = others.judged(database)
    return BenchView(shop, whole, view, people)


def _facts_of(
    store: Store, circuit_uid: UUID, *, to_add: bool = False, asked: str = ""
) -> tuple[Shop, People, Job, CircuitFacts]:
    """A circuit as it stands. With `to_add` its job is held open until the unit of work ends, or `JobClosedError` raised."""
    shop = require_shop(store)
    if to_add:
        circuit, job = open_job(store, circuit_uid)
    else:
        circuit, job_uid = store.circuits.circuit(circuit_uid)
        job = store.jobs.job(job_uid)
    people = people_of(store, shop)
    readings = store.readings.of_circuits([circuit_uid])[circuit_uid]
    pulses = store.pulses.marks_of([circuit_uid])[circuit_uid]
    facts = CircuitFacts.of(shop, job, circuit, readings=readings, instruments=people.instruments, pulses=pulses)
    if not asked.startswith(f"{ON_THE_WAY}:"):
        return shop, people, job, facts
    return shop, people, job, replace(facts, asked_way=_asked_way(store, job, circuit, asked))


def _asked_way(store: Store, job: Job, circuit: Circuit, asked: str) -> tuple[TestPoint, float]:
    """A place on the way of a wire, with how far along it lies; `NotFoundError` where the vehicle's harness has no such place."""
    test_point = point_named(asked)
    paths = dict(store.plans.plan(job.vehicle, power=False).paths_of(circuit))
    path = paths.get(test_point.cavity or "")
    share = None if path is None else path.shares.get(test_point.place)
    if share is None:
        raise NotFoundError("place on the way of that wire", test_point.place or asked)
    return test_point, share


def take_back(database: Database, circuit_uid: UUID, reading_uid: UUID, technician_uid: UUID) -> Reading:
    """Take the reading back: the record keeps it, but nothing is concluded from it. Returns the record of that.

    Raises `NotFoundError` for a reading that is not there, `StaleFormError` for one that is no longer the current one.
    """
    with database.unit() as store:
        _shop, people, _job, facts = _facts_of(store, circuit_uid, to_add=True)
        if technician_uid not in {t.uid for t in people.technicians}:
            raise NotFoundError("technician", str(technician_uid))
        readings, case = facts.readings, facts.case()
        taken = next((r for r in readings if r.uid == reading_uid), None)
        if taken is None:
            raise NotFoundError("reading", str(reading_uid))
        back = replace(
            taken,
            uid=uuid4(),
            technician_uid=technician_uid,
            taken_at=now(),
            supersedes_uid=taken.uid,
            reason=SupersedeReason.TAKEN_BACK,
        )
        current = case.readings.get(taken.test_point)
        if current is None or current.uid != reading_uid or not store.readings.add(circuit_uid, back):
            raise StaleFormError(
                _name(taken.test_point), "something else" if current is None else case.reading_text(current)
            )
        return back


def look_ahead(database: Database, circuit_uid: UUID, point_text: str, typed: str) -> Ahead:
    """What each suspect predicts for a step, and where a reading that is only supposed would leave them."""
    view = look_at_bench(database, circuit_uid, asked=point_text)
    case = view.view.assessment.case
    test_point = asked_test_point(case, point_text)
    supposed = None
    if typed.strip():
        entry = parse_answer(view.shop, case, test_point, typed)
        spec = ACTIONS[Action(test_point.action)]
        technician_uid = view.job.job.technician.uid
        supposed = Reading(
            uid=uuid4(),
            test_point=test_point,
            value=entry.value,
            word=entry.word,
            unit=None if entry.value is None else entry.unit,
            state=spec.state,
            typed=typed,
            technician_uid=technician_uid,
            taken_at=now(),
        )
    predictions, suspects = what_if(case, test_point, supposed)
    return Ahead(predictions, suspects, "" if supposed is None else case.reading_text(supposed))


def record_reading(database: Database, circuit_uid: UUID, new: NewReading) -> Recorded:
    """Store one reading and commit it; only then is it weighed, so that nothing that fails there can lose it.

    Raises `EntryError` for what cannot be read, `StaleFormError` when the test point went on without this form,
    `JobClosedError` after hand-over, `NotFoundError` for an unknown circuit, person or instrument.
    """
    with database.unit() as store:
        shop, people, _job, facts = _facts_of(store, circuit_uid, to_add=True, asked=new.test_point)
        _check_named(people, new)
        case = facts.case()
        if not case.roles_are_given:  # what was asked for may hang on roles that the readings have shown
            case = concluded(facts).case
        test_point = asked_test_point(case, new.test_point)
        before = next((r for r in facts.readings if r.uid == new.uid), None)
        is_new = False
        if before is None:
            reading, note = _reading(shop, case, test_point, new, newest_at(facts.readings, test_point))
            _check_not_stale(case, test_point, new.seen_uid)
            _check_due(people, reading, today(shop))
            is_new = store.readings.add(circuit_uid, reading)
            if is_new:
                facts = facts.with_readings((*facts.readings, reading), people.instruments)
            else:  # another request was quicker between our look and our insert: with this very form, or with another
                facts = facts.with_readings(store.readings.of_circuits([circuit_uid])[circuit_uid], people.instruments)
                before = next((r for r in facts.readings if r.uid == new.uid), None)
        if not is_new:
            reading, note = _check_same(case, facts.readings, before, test_point, new), ""
    return Recorded(reading, note, is_new, with_diagnosis(database, facts, None))


def _check_named(people: People, new: NewReading) -> None:
    if new.technician_uid not in {t.uid for t in people.technicians}:
        raise NotFoundError("technician", str(new.technician_uid))
    for uid in (new.instrument_uid, new.stimulus_instrument_uid):
        if uid is not None and people.instrument(uid) is None:
            raise NotFoundError("instrument", str(uid))


def _check_due(people: People, reading: Reading, day: date) -> None:
    """Refuse a reading with an instrument whose calibration was due, unless it is said why it was used."""
    used = (people.instrument(uid) for uid in (reading.instrument_uid, reading.stimulus_instrument_uid))
    late = [instrument for instrument in used if instrument is not None and instrument.overdue_on(day)]
    if late and not reading.overdue_why:
        problem = " ".join(f"The calibration of {i.name} was due on {i.due:%d.%m.%Y}." for i in late)
        raise EntryError("overdue_why", "", problem, "Take another one, or say why it is used all the same.")


def parse_answer(
    shop: Shop, case: BenchCase, test_point: TestPoint, typed: str, *, in_fixed_unit: bool = False
) -> Entry:
    """What was typed for a test point, as a value in its fixed unit or a word; `EntryError` if it cannot be one.

    A bare number is in the shop's unit, or with `in_fixed_unit` in the fixed one. `NotShownError` where it says that the
    reader never shows this.
    """
    entry = _entry_of(shop, case, test_point, typed, in_fixed_unit=in_fixed_unit)
    if entry.word == NOT_SHOWN:
        raise NotShownError(typed)
    return entry


def _entry_of(shop: Shop, case: BenchCase, test_point: TestPoint, typed: str, *, in_fixed_unit: bool) -> Entry:
    spec = ACTIONS[Action(test_point.action)]
    if spec.answer is AnswerKind.GLOW:
        glow = GLOW_WORDS.get(typed.strip().casefold())
        if glow is None:
            problem = f"{quoted(typed)} is not a way that a lamp glows." if typed.strip() else "No glow was given."
            raise EntryError("value", typed, problem, "Answer dark (D), dim (G) or bright (B).")
        return Entry(value=None, word=glow, unit="", typed=typed)
    if spec.answer is AnswerKind.VALUE:
        return _shown_value(shop, case, test_point, typed, in_fixed_unit=in_fixed_unit)
    if spec.answer is AnswerKind.WORD:
        return _parse_word(spec, typed)
    assert spec.quantity is not None  # every other answer has one
    limits_v = spec.possible or Limits()
    if spec.per_system_v:
        limits_v = Limits(limits_v.low * case.system_v, limits_v.high * case.system_v)
    entry = parse_entry(
        typed,
        spec.quantity,
        limits=limits_v,
        over_range=spec.answer is AnswerKind.OHMS,
        on_screen=spec.from_live_data,
        alternating=spec.is_alternating,
        impossible=spec.impossible,
    )
    if not in_fixed_unit:
        _check_millivolts(case, test_point, entry)
    return entry


def _shown_value(shop: Shop, case: BenchCase, test_point: TestPoint, typed: str, *, in_fixed_unit: bool) -> Entry:
    """A value as live data shows it, on the sensor's own base: a screen may count its pressure from the other one."""
    quantity, unit, (low, high) = _sensed(case, test_point)
    reach = 20 * (high - low)
    bare, said = split_pressure_base(typed) if quantity is Quantity.PRESSURE else (typed, None)
    entry = parse_entry(
        bare,
        quantity,
        unit=unit if in_fixed_unit else shop.units[quantity],
        limits=Limits(low - reach, high + reach),
        on_screen=True,
    )
    base = case.circuit.sensor.pressure_base
    if entry.value is None or said is None or said is base:
        return replace(entry, typed=typed)
    value = rebase(entry.value, said, base, case.atmosphere_kpa)
    shown = f"{show(value, shop.units[quantity])} {base}"
    note = f"“{typed.strip()}” was read as {shown}, with {show(case.atmosphere_kpa, shop.units[quantity])} of air."
    return replace(entry, value=value, typed=typed, note=note)


def _sensed(case: BenchCase, test_point: TestPoint) -> tuple[Quantity, str, tuple[float, float]]:
    """What the sensor senses at a test point: quantity, code of its fixed unit, and the range that it can show."""
    if case.senses_heat(test_point):
        return Quantity.TEMPERATURE, FIXED_UNIT[Quantity.TEMPERATURE], _HEAT_SHOWN_DEGC
    sensor = case.circuit.sensor
    assert sensor.quantity is not None  # a sensor that only switches or turns is never asked for a value
    assert sensor.unit is not None
    return sensor.quantity, sensor.unit, sensor.value_limits


def _parse_word(spec: ActionSpec, typed: str) -> Entry:
    """One of the action's words, or the key that stands for it."""
    said = typed.strip().casefold()
    word = next((word for word, key in spec.words if said in {word, key}), None)
    if word is None:
        problem = f"{quoted(typed)} is not one of the answers." if said else "No answer was given."
        choices = ", ".join(f"{word} ({key.upper()})" for word, key in spec.words)
        raise EntryError("value", typed, problem, f"Answer one of: {choices}.")
    return Entry(value=None, word=word, unit="", typed=typed)


def _check_millivolts(case: BenchCase, test_point: TestPoint, entry: Entry) -> None:
    """A return drop is read in millivolts: a bare whole number is refused rather than taken for volts."""
    on_return = test_point.cavity is not None and case.role_of(test_point.cavity) is Role.RETURN
    bare = entry.typed.strip().lstrip("+-−")
    if on_return and bare.isdigit() and int(bare) > 0:
        problem = f"{quoted(entry.typed)} without a unit would be {bare} V on the return."
        would_do = f"If the meter shows millivolts, type {bare}mV; if it really is volts, type {bare} V."
        raise EntryError("value", entry.typed, problem, would_do)


def asked_test_point(case: BenchCase, text: str) -> TestPoint:
    """The test point of that name, where the circuit has it and it is safe now; `NotFoundError` or `EntryError`."""
    test_point = point_named(text)
    if not is_allowed(case, test_point):
        licence = case.circuit.licence
        if licence is not None:
            problem = f"{quoted(case.circuit.name)} is a circuit of {licence}: it is left to licensed work."
            would_do = (
                "If it is none, say so in its data." if licence.can_be_denied else "If it is none, change its name."
            )
            raise EntryError("value", "", problem, would_do)
        if test_point.action in FROM_POSITIVE:
            problem = "The lamp from battery positive is not safe on that pin yet: it may be the reference."
            raise EntryError("value", "", problem, "Measure every pin unplugged first; it must read below 1 V.")
        raise NotFoundError("test point", text)
    return test_point


def needs_stimulus(case: BenchCase, test_point: TestPoint) -> bool:
    """True for a step at which the sensor is put to a value that may come out otherwise than planned."""
    if test_point.point is None or case.circuit.stimuli[test_point.point].value is None:
        return False
    heats = case.circuit.sensor.curve is None and test_point.action in {Action.LIVE_VALUE, Action.THERMO_V}
    return heats or test_point.action in {Action.MATED_V, Action.FREQUENCY_HZ}


def _reading(
    shop: Shop, case: BenchCase, test_point: TestPoint, new: NewReading, current: Reading | None
) -> tuple[Reading, str]:
    spec = ACTIONS[Action(test_point.action)]
    entry = parse_answer(shop, case, test_point, new.typed, in_fixed_unit=new.in_fixed_unit)
    stimulus_value = None
    note = entry.note
    if needs_stimulus(case, test_point):
        assert test_point.point is not None  # only steps at a point have one
        stimulus_value, stimulus_note = _stimulus(shop, case, test_point.point, new)
        note = f"{note} {stimulus_note}".strip()
    reading = Reading(
        uid=new.uid,
        test_point=test_point,
        value=entry.value,
        word=entry.word,
        unit=None if entry.value is None else entry.unit,
        state=spec.state,
        typed=new.typed.strip()[:300],
        technician_uid=new.technician_uid,
        taken_at=now(),
        instrument_uid=new.instrument_uid if spec.reads_meter else None,
        stimulus_value=stimulus_value,
        stimulus_instrument_uid=new.stimulus_instrument_uid if stimulus_value is not None else None,
        supersedes_uid=None if current is None else current.uid,
        reason=None if current is None else (new.reason or SupersedeReason.AGAIN),
        way_share=case.ways.get(test_point),
        read_off=new.read_off[:200],
        overdue_why=new.overdue_why.strip()[:200],
    )
    return reading, note


def _stimulus(shop: Shop, case: BenchCase, point: int, new: NewReading) -> tuple[float | None, str]:
    """The stimulus that was applied, in the curve's fixed unit and on its pressure base, and how it was understood."""
    if not new.stimulus_typed.strip():
        return case.circuit.stimuli[point].value, ""
    quantity, fixed_unit, (low, high) = _sensed(case, TestPoint(Action.LIVE_VALUE, None, point))
    pressure_base = case.circuit.sensor.pressure_base
    reach, unit = 2 * (high - low), shop.units[quantity]
    sensed = parse_sensed(
        new.stimulus_typed,
        quantity,
        field="stimulus",
        unit=fixed_unit if new.in_fixed_unit else unit,
        base=pressure_base,
        limits=Limits(low - reach, high + reach),
        impossible="Look at the gauge and its unit again.",
    )
    if sensed.said is None or sensed.said is pressure_base:
        return sensed.value, sensed.note
    value = rebase(sensed.value, sensed.said, pressure_base, case.atmosphere_kpa)
    atmosphere = show(case.atmosphere_kpa, unit)
    note = f"“{new.stimulus_typed.strip()}” is {show(value, unit)} {pressure_base} at a standard {atmosphere} here."
    return value, note


def _check_not_stale(case: BenchCase, test_point: TestPoint, seen_uid: UUID | None) -> None:
    current = case.readings.get(test_point)
    if current is not None and current.uid != seen_uid:
        raise StaleFormError(_name(test_point), case.reading_text(current))


def _check_same(
    case: BenchCase, readings: tuple[Reading, ...], stored: Reading | None, test_point: TestPoint, new: NewReading
) -> Reading:
    """What is stored under the form's identity; raises `StaleFormError` unless it is what the form says."""
    if stored is None:
        newest = next((r for r in reversed(readings) if r.test_point == test_point), None)
        raise StaleFormError(_name(test_point), "something else" if newest is None else case.reading_text(newest))
    if stored.test_point != test_point or stored.typed != new.typed.strip()[:300]:
        raise StaleFormError(_name(test_point), case.reading_text(stored))
    return stored


def _name(test_point: TestPoint) -> str:
    title = ACTIONS[Action(test_point.action)].title
    title = title if test_point.cavity is None else f"{title} at pin {test_point.cavity}"
    return f"{title}, {test_point.place}" if test_point.place else title
