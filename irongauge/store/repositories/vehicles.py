"""A vehicle's own record: what was changed, notes and pictures."""

from __future__ import annotations

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from irongauge.core.shop import Picture, Vehicle, VehicleChange, VehicleNote
from irongauge.errors import NotFoundError
from irongauge.store.models import VehicleRow
from irongauge.store.plan_models import PictureRow, VehicleChangeRow, VehicleNoteRow

__all__ = ["VehicleRepository"]


def _picture_of(row: PictureRow) -> Picture:
    return Picture(
        uid=row.uid,
        title=row.title,
        media_type=row.media_type,
        width=row.width,
        height=row.height,
        added_at=row.added_at,
    )


class VehicleRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def change(self, vehicle: Vehicle) -> None:
        """Write a vehicle's changed card."""
        row = self._session.get(VehicleRow, vehicle.uid, with_for_update=True)
        if row is None:
            raise NotFoundError("vehicle", str(vehicle.uid))
        row.tag, row.description = vehicle.tag, vehicle.description
        row.system_v, row.height_m, row.batteries = vehicle.system_v, vehicle.height_m, vehicle.batteries
        self._session.flush()

    def record(self, vehicle_uid: UUID, change: VehicleChange) -> None:
        self._session.add(
            VehicleChangeRow(
                uid=change.uid,
                vehicle_uid=vehicle_uid,
                job_uid=change.job_uid,
                what=change.what,
                old=change.old,
                new=change.new,
                why=change.why,
                technician_uid=change.technician_uid,
                changed_at=change.changed_at,
            )
        )
        self._session.flush()

    def changes(self, vehicle_uid: UUID) -> tuple[VehicleChange, ...]:
        """What was changed, the newest first."""
        query = (
            select(VehicleChangeRow)
            .where(VehicleChangeRow.vehicle_uid == vehicle_uid)
            .order_by(VehicleChangeRow.changed_at.desc())
        )
        return tuple(
            VehicleChange(
                uid=row.uid,
                what=row.what,
                old=row.old,
                new=row.new,
                changed_at=row.changed_at,
                why=row.why,
                job_uid=row.job_uid,
                technician_uid=row.technician_uid,
            )
            for row in self._session.scalars(query)
        )

    def notes(self, vehicle_uid: UUID) -> tuple[VehicleNote, ...]:
        """Notes, the newest first."""
        query = (
            select(VehicleNoteRow)
            .where(VehicleNoteRow.vehicle_uid == vehicle_uid)
            .order_by(VehicleNoteRow.written_at.desc())
        )
        return tuple(
            VehicleNote(row.uid, row.text, row.technician_uid, row.written_at) for row in self._session.scalars(query)
        )

    def add_note(self, vehicle_uid: UUID, note: VehicleNote) -> None:
        self._session.add(
            VehicleNoteRow(
                uid=note.uid,
                vehicle_uid=vehicle_uid,
                text=note.text,
                technician_uid=note.technician_uid,
                written_at=note.written_at,
            )
        )
        self._session.flush()

    def pictures(self, vehicle_uid: UUID) -> tuple[Picture, ...]:
        query = select(PictureRow).where(PictureRow.vehicle_uid == vehicle_uid).order_by(PictureRow.added_at)
        return tuple(_picture_of(row) for row in self._session.scalars(query))

    def picture(self, uid: UUID) -> tuple[Picture, bytes]:
        """A picture and its bytes."""
        row = self._session.get(PictureRow, uid)
        if row is None:
            raise NotFoundError("picture", str(uid))
        return _picture_of(row), row.content

    def add_picture(self, vehicle_uid: UUID, picture: Picture, content: bytes) -> None:
        self._session.add(
            PictureRow(
                uid=picture.uid,
                vehicle_uid=vehicle_uid,
                title=picture.title,
                media_type=picture.media_type,
                width=picture.width,
                height=picture.height,
                added_at=picture.added_at,
                content=content,
            )
        )
        self._session.flush()

    def remove_picture(self, uid: UUID) -> None:
        row = self._session.get(PictureRow, uid)
        if row is not None:
            self._session.delete(row)
            self._session.flush()
