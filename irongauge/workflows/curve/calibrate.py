"""Calibrating a sensor: set it up, take points so that none is lost or stored twice, sign, supersede."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID, uuid4

from irongauge.core.calibration.judging import CalibrationResult, judge_calibration
from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.calibration.record import (
    Calibration,
    KeptPoint,
    PointReason,
    Setup,
    points_to_judge,
    result_of,
    sources_of,
)
from irongauge.core.measure.entry import Entry, parse_entry, parse_sensed
from irongauge.core.measure.quantities import Limits
from irongauge.core.measure.units import Quantity, rebase, show
from irongauge.core.sensors.circuits import Circuit, Instrument, SensorType
from irongauge.core.sensors.conversion import Scale, reading_quantity
from irongauge.core.shop import Job, Shop
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError, StaleFormError
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import People, now, open_job, people_of, require_shop

__all__ = [
    "CalibrationView",
    "CurveRoom",
    "NewPoint",
    "leave_out",
    "look_at_calibration",
    "look_at_curve_room",
    "shown_scale",
    "sign",
    "start",
    "supersede",
    "take_point",
    "with_typed",
]

_LONGEST_TYPED = 80
_LOOSE_SHOWN = 20


@dataclass(frozen=True)
class CircuitToCalibrate:
    """A circuit of an open job, and its calibrations, the newest first."""

    job: Job
    circuit: Circuit
    calibrations: tuple[Calibration, ...]


@dataclass(frozen=True)
class CurveRoom:
    """What the Curve room starts from. `loose` are the newest calibrations of sensors that are in no circuit."""

    shop: Shop
    people: People
    circuits: tuple[CircuitToCalibrate, ...]
    sensor_types: tuple[SensorType, ...]
    loose: tuple[Calibration, ...]


@dataclass(frozen=True, kw_only=True)
class CalibrationView:
    """One calibration with everything that its page says. `superseded_by` names the record that corrects it, if any."""

    shop: Shop
    people: People
    calibration: Calibration
    result: CalibrationResult
    circuit: Circuit | None
    job: Job | None
    superseded_by: UUID | None

    @property
    def meter(self) -> Instrument | None:
        return self.people.instrument(self.calibration.setup.meter_uid)

    @property
    def gauge(self) -> Instrument | None:
        return self.people.instrument(self.calibration.setup.gauge_uid)


@dataclass(frozen=True, kw_only=True)
class NewPoint:
    """A point as a form hands it in. `seen_uid` is the point that stood at that place when the form was made."""

    uid: UUID
    place: int
    stimulus: str
    reading: str
    reference: str = ""
    seen_uid: UUID | None = None
    reason: PointReason | None = None


def look_at_curve_room(database: Database) -> CurveRoom:
    """Circuits of open jobs whose sensor follows a value with their calibrations, and sensor types that do."""
    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        open_jobs = {job.uid: job for job in store.jobs.jobs(shop.uid, is_open=True)}
        circuits = store.circuits.of_jobs(open_jobs)
        of_circuit = store.calibrations.of_circuits(c.uid for group in circuits.values() for c in group)
        loose = store.calibrations.loose_ones(shop.uid, _LOOSE_SHOWN)
        types = tuple(s for s in store.shelf.sensor_types(shop.uid) if s.channels)
    found = [
        CircuitToCalibrate(open_jobs[uid], circuit, of_circuit[circuit.uid])
        for uid, group in circuits.items()
        for circuit in group
        if circuit.sensor.channels
    ]
    found.sort(
        key=lambda line: all(c.signed_at is not None for c in line.calibrations)
    )  # what is under way comes first
    return CurveRoom(shop, people, tuple(found), types, loose)


def look_at_calibration(database: Database, uid: UUID) -> CalibrationView:
    with database.unit() as store:
        shop = require_shop(store)
        people = people_of(store, shop)
        calibration = store.calibrations.calibration(uid)
        circuit = job = None
        if calibration.circuit_uid is not None:
            circuit, job_uid = store.circuits.circuit(calibration.circuit_uid)
            job = store.jobs.job(job_uid)
        successor = store.calibrations.successor(uid)
    setup = calibration.setup
    result = result_of(calibration, people.instrument(setup.meter_uid), people.instrument(setup.gauge_uid))
    return CalibrationView(
        shop=shop,
        people=people,
        calibration=calibration,
        result=result,
        circuit=circuit,
        job=job,
        superseded_by=successor,
    )


def start(
    database: Database, setup: Setup, technician_uid: UUID, *, circuit_uid: UUID | None, sensor_uid: UUID | None
) -> Calibration:
    """Begin a calibration of a circuit's sensor, or of a loose one."""
    with database.unit() as store:
        shop = require_shop(store)
        if circuit_uid is not None:
            circuit, _ = open_job(store, circuit_uid)
            sensor = circuit.sensor
        elif sensor_uid is not None:
            sensor = store.shelf.sensor_type(sensor_uid)
        else:
            raise EntryError("sensor_uid", "", "Choose what is calibrated.", "A circuit of a job, or a loose sensor.")
        calibration = Calibration(
            uid=uuid4(),
            sensor=sensor,
            setup=setup,
            technician_uid=technician_uid,
            started_at=now(),
            circuit_uid=circuit_uid,
        )
        store.calibrations.add(shop.uid, calibration)
    return calibration


def take_point(database: Database, calibration_uid: UUID, new: NewPoint) -> KeptPoint:
    """Store a point; the same form sent twice is one point.

    Raises `EntryError` for what cannot be read, `StaleFormError` when the place went on meanwhile, `RefusedRequestError`
    once the record is signed.
    """
    with database.unit() as store:
        shop = require_shop(store)
        calibration = _open_record(store, calibration_uid)
        same = next((p for p in calibration.points if p.uid == new.uid), None)
        if same is not None:
            return same
        point = _kept(shop, calibration, new)
        current = next((p for p in calibration.current if p.place == new.place), None)
        if (None if current is None else current.uid) != new.seen_uid:
            raise StaleFormError(
                f"Point {new.place + 1}", "something else" if current is None else current.typed_reading
            )
        if current is not None:
            point = replace(point, supersedes_uid=current.uid, reason=new.reason or PointReason.AGAIN, run=current.run)
        if not store.calibrations.add_point(calibration_uid, point):
            raise StaleFormError(f"Point {new.place + 1}", "something else")
    return point


def leave_out(database: Database, calibration_uid: UUID, place: int, why: str, seen_uid: UUID | None) -> None:
    """Keep a point out of the line, with the reason; an empty reason takes it in again."""
    with database.unit() as store:
        calibration = _open_record(store, calibration_uid)
        current = next((p for p in calibration.current if p.place == place), None)
        if current is None:
            raise NotFoundError("point", str(place + 1))
        if current.uid != seen_uid:
            raise StaleFormError(f"Point {place + 1}", current.typed_reading)
        if bool(why) == bool(current.left_out):
            return
        changed = replace(
            current,
            uid=uuid4(),
            taken_at=now(),
            supersedes_uid=current.uid,
            reason=PointReason.LEFT_OUT if why else PointReason.TAKEN_IN,
            left_out=why,
        )
        store.calibrations.add_point(calibration_uid, changed)


def sign(database: Database, calibration_uid: UUID, technician_uid: UUID, remark: str) -> None:
    """Sign the record; from then on it stands as it is."""
    with database.unit() as store:
        calibration = _open_record(store, calibration_uid)
        if not calibration.current:
            raise EntryError("technician_uid", "", "There is no point yet, so there is nothing to sign.")
        if not store.calibrations.sign(calibration_uid, now(), technician_uid, remark):
            raise RefusedRequestError("This record was signed meanwhile.", "Open it again.")


def supersede(database: Database, calibration_uid: UUID) -> Calibration:
    """A new record in place of a signed one, with its set-up and its points, open for corrections."""
    with database.unit() as store:
        shop = require_shop(store)
        old = store.calibrations.calibration(calibration_uid, alone=True)
        if old.signed_at is None:
            raise RefusedRequestError("This record is still open.", "Correct its points where they stand.")
        if store.calibrations.successor(calibration_uid) is not None:
            raise RefusedRequestError("This record was superseded already.", "Correct the newer one.")
        if old.circuit_uid is not None:
            open_job(store, old.circuit_uid)
        points = tuple(replace(p, uid=uuid4(), supersedes_uid=None, reason=None) for p in old.current)
        new = replace(
            old, uid=uuid4(), started_at=now(), points=points, signed_at=None, signed_by_uid=None, remark="",
            supersedes_uid=old.uid,
        )  # fmt: skip
        store.calibrations.add(shop.uid, new)
    return new


def with_typed(view: CalibrationView, new: NewPoint) -> CalibrationView:
    """The calibration as it would be with a point that is being typed; `EntryError` while that cannot be read."""
    kept = _kept(view.shop, view.calibration, new)
    rest = [p for p in view.calibration.current if p.place != new.place]
    run = next((p.run for p in view.calibration.current if p.place == new.place), kept.run)
    return replace(view, result=_judged(view, points_to_judge([*rest, replace(kept, run=run)])))


def _judged(view: CalibrationView, points: list[CalibrationPoint]) -> CalibrationResult:
    calibration = view.calibration
    return judge_calibration(
        calibration.channel.curve,
        points,
        calibration.sensor.tolerance_pct_span,
        calibration.feed,
        sources_of(calibration, view.meter, view.gauge),
    )


def _open_record(store: Store, uid: UUID) -> Calibration:
    calibration = store.calibrations.calibration(uid, alone=True)
    if calibration.signed_at is not None:
        raise RefusedRequestError("This record is signed, so it stays as it is.", "Supersede it to correct something.")
    if calibration.circuit_uid is not None:
        open_job(store, calibration.circuit_uid)
    return calibration


def _kept(shop: Shop, calibration: Calibration, new: NewPoint) -> KeptPoint:
    """The point that was typed; the run is the plan's, or the way from the point before."""
    stimulus, step = _stimulus(shop, calibration, new.stimulus)
    reading = _reading(calibration, new.reading, "reading")
    reference_v = _reference(calibration, new.reference)
    return KeptPoint(
        uid=new.uid,
        place=new.place,
        run=_run(calibration, new.place, stimulus),
        stimulus=stimulus,
        reading=reading,
        reference_v=reference_v,
        stimulus_step=step,
        typed_stimulus=new.stimulus.strip()[:_LONGEST_TYPED],
        typed_reading=new.reading.strip()[:_LONGEST_TYPED],
        taken_at=now(),
    )


def _run(calibration: Calibration, place: int, stimulus: float) -> Run:
    plan = calibration.setup.plan
    if place < len(plan):
        return plan[place].run
    before = [p for p in calibration.current if p.place < place]
    return Run.DOWN if before and stimulus < before[-1].stimulus else Run.UP


def _stimulus(shop: Shop, calibration: Calibration, typed: str) -> tuple[float, float]:
    """The stimulus in the fixed unit on the curve's base, and what its last digit is worth."""
    curve, setup = calibration.channel.curve, calibration.setup
    unit = shop.units[curve.quantity]
    span = curve.value_high - curve.value_low
    sensed = parse_sensed(
        typed,
        curve.quantity,
        field="stimulus",
        unit=unit,
        base=setup.stimulus_base,
        limits=Limits(curve.value_low - 2 * span, curve.value_high + 2 * span),
        impossible=f"Look at the gauge and its unit again: the sensor goes up to {show(curve.value_high, unit, trim=True)}.",
    )
    base = sensed.said or setup.stimulus_base
    return rebase(sensed.value, base, curve.pressure_base, setup.atmosphere_kpa), sensed.step


def _reading(calibration: Calibration, typed: str, field: str) -> float:
    curve, feed = calibration.channel.curve, calibration.feed
    quantity = reading_quantity(curve.kind, feed)
    limits = Limits(-32.0, 32.0) if quantity is Quantity.VOLTAGE else Limits(0.0, 1e8)
    entry: Entry = parse_entry(typed, quantity, field=field, limits=limits)
    assert entry.value is not None  # no over-range word is allowed here
    return entry.value


def _reference(calibration: Calibration, typed: str) -> float | None:
    if not calibration.setup.reference_each or not typed.strip():
        return None
    entry = parse_entry(typed, Quantity.VOLTAGE, field="reference", limits=Limits(0.5, 32.0))
    return entry.value


def shown_scale(shop: Shop, calibration: Calibration) -> Scale:
    """How stimuli are typed and shown: the shop's unit, on the base of the reference instrument."""
    curve, setup = calibration.channel.curve, calibration.setup
    base = None if curve.pressure_base is None else (setup.stimulus_base or curve.pressure_base)
    return Scale(shop.units[curve.quantity], base, setup.atmosphere_kpa)
