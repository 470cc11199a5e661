"""Testing one circuit: look at it, and record a reading so that nothing is lost and nothing is stored twice."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from irongauge.core.actions import ACTIONS, Action, Answer
from irongauge.core.assessment import Assessment
from irongauge.core.case import BenchCase
from irongauge.core.circuits import Role
from irongauge.core.entry import Entry, parse_entry, split_pressure_base
from irongauge.core.quantities import Glow, Limits, Reading, Reason, Slot
from irongauge.core.sequence import is_allowed
from irongauge.core.shop import Shop
from irongauge.core.units import PressureBase, Quantity, absolute_to_gauge_kpa, gauge_to_absolute_kpa, show
from irongauge.errors import EntryError, JobClosedError, NotFoundError, StaleFormError, quoted
from irongauge.store.database import Database
from irongauge.workflows.view import (
    CircuitView,
    JobView,
    People,
    assessed,
    bench_case,
    circuit_views,
    now,
    people_of,
    require_shop,
)

__all__ = ["BenchView", "NewReading", "Recorded", "look_at_bench", "parse_answer", "record_reading"]

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
class NewReading:
    """A reading as handed in by a form or a program.

    `uid` is made with the form, so that the same form sent twice is one reading. `seen_uid` is the slot's reading that
    was current when the form was made; None when it had none. `in_fixed_unit` says that bare numbers come from a
    program, in the fixed unit of their quantity, and not from a person in the shop's unit.
    """

    uid: UUID
    slot: str
    typed: str
    technician_uid: UUID
    instrument_uid: UUID | None = None
    stimulus_typed: str = ""
    stimulus_instrument_uid: UUID | None = None
    seen_uid: UUID | None = None
    reason: Reason | None = None
    in_fixed_unit: bool = False


@dataclass(frozen=True)
class Recorded:
    """What was stored, how an unusual entry was understood, and what can be said of the circuit now.

    `is_new` is False when the same form had stored it before.
    """

    reading: Reading
    note: str
    is_new: bool
    assessment: Assessment


def look_at_bench(database: Database, circuit_uid: UUID) -> BenchView:
    with database.unit() as store:
        shop = require_shop(store)
        job_uid = store.circuits.job_of(circuit_uid)
        people = people_of(store, shop)
        (job,) = circuit_views(store, shop, people, (store.jobs.job(job_uid),))
        view = next(v for v in job.circuits if v.circuit.uid == circuit_uid)
        return BenchView(shop, job, view, people)


def record_reading(database: Database, circuit_uid: UUID, new: NewReading) -> Recorded:
    """Store one reading and commit it.

    Raises `EntryError` for what cannot be read, `StaleFormError` when the slot went on without this form,
    `JobClosedError` after hand-over, `NotFoundError` for an unknown circuit, person or instrument.
    """
    with database.unit() as store:
        shop = require_shop(store)
        circuit, job_uid = store.circuits.circuit(circuit_uid)
        job = store.jobs.job(job_uid, "share")
        if job.handed_over_at is not None:
            raise JobClosedError(job.name)
        people = people_of(store, shop)
        _check_named(people, new)
        readings = store.readings.of_circuits([circuit_uid])[circuit_uid]
        case = bench_case(shop, job, circuit, readings, people.instruments)
        slot = _slot(case, new.slot)
        stored = next((r for r in readings if r.uid == new.uid), None)
        if stored is None:
            reading, note = _reading(shop, case, slot, new)
            _check_not_stale(case, slot, new.seen_uid)
            is_new = store.readings.add(circuit_uid, reading)
            if is_new:
                return Recorded(reading, note, is_new, assessed(shop, job, circuit, (*readings, reading), people))
            # Another request was quicker between our look and our insert: with this very form, or with another.
            readings = store.readings.of_circuits([circuit_uid])[circuit_uid]
            stored = next((r for r in readings if r.uid == new.uid), None)
        _check_same(case, readings, stored, slot, new)
        assert stored is not None  # else it was refused above
        return Recorded(stored, "", False, assessed(shop, job, circuit, readings, people))


def _check_named(people: People, new: NewReading) -> None:
    if new.technician_uid not in {t.uid for t in people.technicians}:
        raise NotFoundError("technician", str(new.technician_uid))
    for uid in (new.instrument_uid, new.stimulus_instrument_uid):
        if uid is not None and people.instrument(uid) is None:
            raise NotFoundError("instrument", str(uid))


def parse_answer(shop: Shop, case: BenchCase, slot: Slot, typed: str, *, in_fixed_unit: bool = False) -> Entry:
    """What was typed for a slot, as a value in its fixed unit or a word; `EntryError` if it cannot be one.

    A bare number is in the shop's unit, or with `in_fixed_unit` in the fixed one.
    """
    spec = ACTIONS[Action(slot.action)]
    if spec.answer is Answer.GLOW:
        glow = GLOW_WORDS.get(typed.strip().casefold())
        if glow is None:
            problem = f"{quoted(typed)} is not a way that a lamp glows." if typed.strip() else "No glow was given."
            raise EntryError("value", typed, problem, "Answer dark (D), dim (G) or bright (B).")
        return Entry(None, glow, "", typed)
    if spec.answer is Answer.VALUE:
        curve = case.circuit.sensor.curve
        reach = 20 * curve.span
        limits = Limits(curve.value_low - reach, curve.value_high + reach)
        unit = curve.unit if in_fixed_unit else shop.units[curve.quantity]
        return parse_entry(typed, curve.quantity, unit=unit, limits=limits)
    assert spec.quantity is not None  # volts and ohms have one
    limits_v = spec.possible or Limits()
    if spec.per_system_v:
        limits_v = Limits(limits_v.low * case.system_v, limits_v.high * case.system_v)
    entry = parse_entry(
        typed,
        spec.quantity,
        limits=limits_v,
        over_range=spec.answer is Answer.OHMS,
        impossible=spec.impossible,
    )
    if not in_fixed_unit:
        _check_millivolts(case, slot, entry)
    return entry


def _check_millivolts(case: BenchCase, slot: Slot, entry: Entry) -> None:
    """A return drop is read in millivolts: a bare whole number is refused rather than taken for volts."""
    on_return = slot.cavity is not None and case.role_of(slot.cavity) is Role.RETURN
    bare = entry.typed.strip().lstrip("+-−")
    if on_return and bare.isdigit() and int(bare) > 0:
        problem = f"{quoted(entry.typed)} without a unit would be {bare} V on the return."
        would_do = f"If the meter shows millivolts, type {bare}mV; if it really is volts, type {bare} V."
        raise EntryError("value", entry.typed, problem, would_do)


def _slot(case: BenchCase, text: str) -> Slot:
    try:
        slot = Slot.from_text(text)
    except ValueError:
        raise NotFoundError("step", text) from None
    if not is_allowed(case, slot):
        if slot.action == Action.LAMP_POSITIVE:
            problem = "The lamp from battery positive is not safe on that pin yet: it may be the reference."
            raise EntryError("value", "", problem, "Measure every pin unplugged first; it must read below 1 V.")
        raise NotFoundError("step", text)
    return slot


def _reading(shop: Shop, case: BenchCase, slot: Slot, new: NewReading) -> tuple[Reading, str]:
    spec = ACTIONS[Action(slot.action)]
    entry = parse_answer(shop, case, slot, new.typed, in_fixed_unit=new.in_fixed_unit)
    stimulus_value = None
    note = entry.note
    if slot.action == Action.MATED_V and slot.point is not None:
        stimulus_value, stimulus_note = _stimulus(shop, case, slot.point, new)
        note = f"{note} {stimulus_note}".strip()
    current = case.readings.get(slot)
    reading = Reading(
        new.uid,
        slot,
        entry.value,
        entry.word,
        None if entry.value is None else entry.unit,
        spec.state,
        new.typed.strip()[:300],
        new.technician_uid,
        now(),
        new.instrument_uid if spec.reads_meter else None,
        stimulus_value,
        new.stimulus_instrument_uid if stimulus_value is not None else None,
        None if current is None else current.uid,
        None if current is None else (new.reason or Reason.AGAIN),
    )
    return reading, note


def _stimulus(shop: Shop, case: BenchCase, point: int, new: NewReading) -> tuple[float, str]:
    """The stimulus that was applied, in the curve's fixed unit and on its pressure base, and how it was understood."""
    if not new.stimulus_typed.strip():
        return case.circuit.stimuli[point].value, ""
    curve = case.circuit.sensor.curve
    reach = 2 * curve.span
    low = curve.value_low - reach
    typed, base = new.stimulus_typed, None
    if curve.quantity is Quantity.PRESSURE:
        typed, base = split_pressure_base(typed)
        # No pressure lies below vacuum, and the deepest that a gauge can show is an atmosphere below its zero.
        low = -110.0 if (base or curve.pressure_base) is PressureBase.GAUGE else 0.0
    entry = parse_entry(
        typed,
        curve.quantity,
        field="stimulus",
        unit=curve.unit if new.in_fixed_unit else shop.units[curve.quantity],
        limits=Limits(low, curve.value_high + reach),
        impossible="Look at the gauge and its unit again.",
    )
    assert entry.value is not None  # no over-range word is allowed here
    if base is None or base is curve.pressure_base:
        return entry.value, entry.note
    change = gauge_to_absolute_kpa if base is PressureBase.GAUGE else absolute_to_gauge_kpa
    value = change(entry.value, case.atmosphere_kpa)
    unit = shop.units[curve.quantity]
    atmosphere = show(case.atmosphere_kpa, unit)
    note = (
        f"“{new.stimulus_typed.strip()}” is {show(value, unit)} {curve.pressure_base} at a standard {atmosphere} here."
    )
    return value, note


def _check_not_stale(case: BenchCase, slot: Slot, seen_uid: UUID | None) -> None:
    current = case.readings.get(slot)
    if current is not None and current.uid != seen_uid:
        raise StaleFormError(_name(slot), case.reading_text(current))


def _check_same(
    case: BenchCase, readings: tuple[Reading, ...], stored: Reading | None, slot: Slot, new: NewReading
) -> None:
    """Raise `StaleFormError` unless what is stored under the form's identity is what the form says."""
    if stored is None:
        newest = next((r for r in reversed(readings) if r.slot == slot), None)
        raise StaleFormError(_name(slot), "something else" if newest is None else case.reading_text(newest))
    if stored.slot != slot or stored.typed != new.typed.strip()[:300]:
        raise StaleFormError(_name(slot), case.reading_text(stored))


def _name(slot: Slot) -> str:
    title = ACTIONS[Action(slot.action)].title
    return title if slot.cavity is None else f"{title} at pin {slot.cavity}"
