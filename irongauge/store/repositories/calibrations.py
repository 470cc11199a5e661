"""Calibrations with their points, cross-checks, and what controllers hold."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import ColumnElement, select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Calibration, KeptPoint, Manner, Planned, PointReason, Setup, Stage
from irongauge.core.controllers.cross_checks import CheckKind, CrossVerdict
from irongauge.core.controllers.record import KeptCheck, KeptEntry
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import PressureBase
from irongauge.errors import NotFoundError
from irongauge.store.among import among
from irongauge.store.curve_models import CalibrationPointRow, CalibrationRow, ControllerEntryRow, CrossCheckRow
from irongauge.store.repositories.shelf import sensor_type_of

__all__ = ["CalibrationRepository"]


def _base(word: str | None) -> PressureBase | None:
    return None if word is None else PressureBase(word)


def _point_of(row: CalibrationPointRow) -> KeptPoint:
    return KeptPoint(
        uid=row.uid,
        place=row.place,
        run=Run(row.run),
        stimulus=row.stimulus,
        reading=row.reading,
        reference_v=row.reference_v,
        stimulus_step=row.stimulus_step,
        typed_stimulus=row.typed_stimulus,
        typed_reading=row.typed_reading,
        taken_at=row.taken_at,
        supersedes_uid=row.supersedes_uid,
        reason=None if row.reason is None else PointReason(row.reason),
        left_out=row.left_out,
    )


def _calibration_of(row: CalibrationRow, points: Sequence[KeptPoint]) -> Calibration:
    setup = Setup(
        channel=row.channel,
        stage=Stage(row.stage),
        manner=Manner(row.manner),
        plan=tuple(Planned(float(value), Run(run)) for value, run in row.plan),
        serial=row.serial,
        meter_uid=row.meter_uid,
        gauge_uid=row.gauge_uid,
        reference_v=row.reference_v,
        reference_each=row.reference_each,
        pull_up_ohm=row.pull_up_ohm,
        shunt_ohm=row.shunt_ohm,
        pull_up_v=row.pull_up_v,
        stimulus_base=_base(row.stimulus_base),
        atmosphere_kpa=row.atmosphere_kpa,
        atmosphere_measured=row.atmosphere_measured,
    )
    return Calibration(
        uid=row.uid,
        sensor=sensor_type_of(row.sensor),
        setup=setup,
        technician_uid=row.technician_uid,
        started_at=row.started_at,
        points=tuple(points),
        circuit_uid=row.circuit_uid,
        signed_at=row.signed_at,
        signed_by_uid=row.signed_by_uid,
        remark=row.remark,
        supersedes_uid=row.supersedes_uid,
    )


class CalibrationRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def loose_ones(self, shop_uid: UUID, most: int) -> tuple[Calibration, ...]:
        """The newest calibrations of sensors that are in no circuit."""
        return self._with_points((CalibrationRow.shop_uid == shop_uid) & CalibrationRow.circuit_uid.is_(None), most)

    def successor(self, uid: UUID) -> UUID | None:
        """The record that corrects another, if there is one."""
        return self._session.scalar(select(CalibrationRow.uid).where(CalibrationRow.supersedes_uid == uid))

    def of_circuits(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[Calibration, ...]]:
        """The calibrations of each circuit, the newest first."""
        found: dict[UUID, list[Calibration]] = {uid: [] for uid in circuit_uids}
        for calibration in self._with_points(among(CalibrationRow.circuit_uid, found)):
            if calibration.circuit_uid is not None:
                found[calibration.circuit_uid].append(calibration)
        return {uid: tuple(group) for uid, group in found.items()}

    def calibration(self, uid: UUID, *, alone: bool = False) -> Calibration:
        """One record. With `alone`, others who ask so wait until this unit of work ends: points and the signature of one
        record take turns.
        """
        if alone:
            self._session.execute(select(CalibrationRow.uid).where(CalibrationRow.uid == uid).with_for_update())
        found = self._with_points(CalibrationRow.uid == uid)
        if not found:
            raise NotFoundError("calibration", str(uid))
        return found[0]

    def _with_points(self, condition: ColumnElement[bool], most: int | None = None) -> tuple[Calibration, ...]:
        newest_first = (CalibrationRow.started_at.desc(), CalibrationRow.uid)
        query = select(CalibrationRow).where(condition).order_by(*newest_first).limit(most)
        rows = list(self._session.scalars(query))
        points: dict[UUID, list[KeptPoint]] = {row.uid: [] for row in rows}
        if rows:
            taken = (
                select(CalibrationPointRow)
                .where(among(CalibrationPointRow.calibration_uid, points))
                .order_by(CalibrationPointRow.taken_at, CalibrationPointRow.uid)
            )
            for row in self._session.scalars(taken):
                points[row.calibration_uid].append(_point_of(row))
        return tuple(_calibration_of(row, points[row.uid]) for row in rows)

    def add(self, shop_uid: UUID, calibration: Calibration) -> None:
        setup = calibration.setup
        self._session.add(
            CalibrationRow(
                uid=calibration.uid,
                shop_uid=shop_uid,
                circuit_uid=calibration.circuit_uid,
                sensor_type_uid=calibration.sensor.uid,
                channel=setup.channel,
                stage=setup.stage,
                manner=setup.manner,
                plan=[[p.stimulus, p.run] for p in setup.plan],
                serial=setup.serial,
                meter_uid=setup.meter_uid,
                gauge_uid=setup.gauge_uid,
                reference_v=setup.reference_v,
                reference_each=setup.reference_each,
                pull_up_ohm=setup.pull_up_ohm,
                shunt_ohm=setup.shunt_ohm,
                pull_up_v=setup.pull_up_v,
                stimulus_base=setup.stimulus_base,
                atmosphere_kpa=setup.atmosphere_kpa,
                atmosphere_measured=setup.atmosphere_measured,
                technician_uid=calibration.technician_uid,
                started_at=calibration.started_at,
                remark=calibration.remark,
                supersedes_uid=calibration.supersedes_uid,
            )
        )
        self._session.flush()
        for point in calibration.points:
            self.add_point(calibration.uid, point)

    def add_point(self, calibration_uid: UUID, point: KeptPoint) -> bool:
        """Store a point. False, with nothing stored, when it exists or when its place already went on otherwise."""
        statement = (
            insert(CalibrationPointRow)
            .values(
                uid=point.uid,
                calibration_uid=calibration_uid,
                place=point.place,
                run=point.run,
                stimulus=point.stimulus,
                reading=point.reading,
                reference_v=point.reference_v,
                stimulus_step=point.stimulus_step,
                typed_stimulus=point.typed_stimulus,
                typed_reading=point.typed_reading,
                taken_at=point.taken_at,
                supersedes_uid=point.supersedes_uid,
                reason=point.reason,
                left_out=point.left_out,
            )
            .on_conflict_do_nothing()
            .returning(CalibrationPointRow.uid)
        )
        return self._session.scalar(statement) is not None

    def sign(self, uid: UUID, at: datetime, technician_uid: UUID, remark: str) -> bool:
        """Sign a record that is open; False for one that is signed. The caller holds it `alone`."""
        row = self._session.get(CalibrationRow, uid)
        if row is None:
            raise NotFoundError("calibration", str(uid))
        if row.signed_at is not None:
            return False
        row.signed_at, row.signed_by_uid, row.remark = at, technician_uid, remark
        self._session.flush()
        return True

    def checks_of(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[KeptCheck, ...]]:
        """The cross-checks of each circuit, the newest first."""
        found: dict[UUID, list[KeptCheck]] = {uid: [] for uid in circuit_uids}
        query = (
            select(CrossCheckRow)
            .where(among(CrossCheckRow.circuit_uid, found))
            .order_by(CrossCheckRow.taken_at.desc(), CrossCheckRow.uid)
        )
        for row in self._session.scalars(query):
            verdict = CrossVerdict(
                kind=CheckKind(row.kind),
                mark=Mark(row.mark),
                finding=row.finding,
                sentence=row.sentence,
                cause=row.cause,
                difference=row.difference,
                expanded_u=row.expanded_u,
            )
            found[row.circuit_uid].append(KeptCheck(row.uid, verdict, row.given, row.technician_uid, row.taken_at))
        return {uid: tuple(group) for uid, group in found.items()}

    def add_check(self, circuit_uid: UUID, check: KeptCheck) -> None:
        verdict = check.verdict
        self._session.add(
            CrossCheckRow(
                uid=check.uid,
                circuit_uid=circuit_uid,
                kind=verdict.kind,
                given=dict(check.given),
                mark=verdict.mark,
                finding=verdict.finding,
                sentence=verdict.sentence,
                cause=verdict.cause,
                difference=verdict.difference,
                expanded_u=verdict.expanded_u,
                technician_uid=check.technician_uid,
                taken_at=check.taken_at,
            )
        )
        self._session.flush()

    def entries_of(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[KeptEntry, ...]]:
        """The controller entries of each circuit as they were last read, by name; those no longer there left out."""
        found: dict[UUID, list[KeptEntry]] = {uid: [] for uid in circuit_uids}
        query = (
            select(ControllerEntryRow)
            .where(among(ControllerEntryRow.circuit_uid, found))
            .ext(distinct_on(ControllerEntryRow.circuit_uid, ControllerEntryRow.name))
            .order_by(ControllerEntryRow.circuit_uid, ControllerEntryRow.name, ControllerEntryRow.entered_at.desc())
        )
        for row in self._session.scalars(query):
            if row.figures is not None:
                entry = KeptEntry(
                    uid=row.uid,
                    name=row.name,
                    figures=row.figures,
                    unit=row.unit,
                    base=_base(row.base),
                    technician_uid=row.technician_uid,
                    entered_at=row.entered_at,
                )
                found[row.circuit_uid].append(entry)
        return {uid: tuple(group) for uid, group in found.items()}

    def add_entry(self, circuit_uid: UUID, entry: KeptEntry) -> None:
        self._session.add(
            ControllerEntryRow(
                uid=entry.uid,
                circuit_uid=circuit_uid,
                name=entry.name,
                figures=None if entry.figures is None else dict(entry.figures),
                unit=entry.unit,
                base=entry.base,
                technician_uid=entry.technician_uid,
                entered_at=entry.entered_at,
            )
        )
        self._session.flush()
