"""Circuits with their pins and stimuli."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any
from uuid import UUID

from sqlalchemy import Row, ScalarSelect, func, select
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.orm import InstrumentedAttribute, Session

from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.circuits import Circuit, Pin, PullUp, Role, SensorType, Stimulus
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.sensors.live_reader import LiveReader
from irongauge.core.sensors.unreadable import Hindrance, Unreadable
from irongauge.errors import NotFoundError
from irongauge.store.among import among
from irongauge.store.models import CircuitRow, JobRow, PinRow, SensorTypeRow, StimulusRow, VehicleRow
from irongauge.store.repositories.shelf import sensor_type_of

__all__ = ["CircuitRepository"]

_ENOUGH = 50  # circuits on one type of controller: among them one that senses the same


def _listed(
    columns: Sequence[InstrumentedAttribute[Any]], table: type[PinRow | StimulusRow], place: InstrumentedAttribute[int]
) -> ScalarSelect[Any]:
    """What hangs on a circuit as one list in its row: a tenth of the time of mapped objects, of which a shop has hundreds."""
    listed = func.json_agg(aggregate_order_by(func.json_build_array(*columns), place))
    return select(listed).where(table.circuit_uid == CircuitRow.uid).scalar_subquery()


_COLUMNS = [column for column in CircuitRow.__table__.columns if column.name not in {"sensor_type_uid", "place"}]
# A circuit whole: its sensor type, its own columns, its pins and its stimuli.
_CIRCUITS = select(
    SensorTypeRow,
    *_COLUMNS,
    _listed((PinRow.cavity, PinRow.wire_colour, PinRow.role), PinRow, PinRow.place).label("pins"),
    _listed((StimulusRow.label, StimulusRow.value, StimulusRow.temperature_degc), StimulusRow, StimulusRow.point).label(
        "stimuli"
    ),
).join(SensorTypeRow, SensorTypeRow.uid == CircuitRow.sensor_type_uid)


def _circuit_of(row: Row[Any], made: dict[UUID, SensorType] | None = None) -> Circuit:
    """The circuit that a row tells. `made` are sensor types that were made of the same answer's rows already."""
    type_row = row.SensorTypeRow
    sensor = (made or {}).get(type_row.uid) or sensor_type_of(type_row)
    if made is not None:
        made[sensor.uid] = sensor
    return Circuit(
        uid=row.uid,
        name=row.name,
        family=Family(row.family),
        pins=tuple(Pin(cavity, colour, None if role is None else Role(role)) for cavity, colour, role in row.pins),
        reference_v=row.reference_v,
        sensor=sensor,
        stimuli=tuple(Stimulus(label, value, degc) for label, value, degc in row.stimuli),
        pull_up=_pull_up_of(row.pull_up_ohm, row.pull_up_to_v),
        live_channel=row.live_channel,
        live_full_scale_v=row.live_full_scale_v,
        others_on_reference=row.sharers,
        temperature_pull_up=_pull_up_of(row.temperature_pull_up_ohm, row.temperature_pull_up_to_v),
        battery_fed=row.battery_fed,
        differential=row.differential,
        shielded=row.shielded,
        unpulled=row.unpulled,
        controller=row.controller,
        retired_why=row.retired_why,
        shunt_ohm=row.shunt_ohm,
        part_of=PartOf(row.part_of),
        to_wire=row.to_wire,
        unreadable=tuple(Unreadable(TestPoint.from_text(point), Hindrance(why)) for point, why in row.unreadable),
        reader=LiveReader(
            shows_signal=row.reader_shows_signal,
            shows_value=row.reader_shows_value,
            least=row.reader_least,
            most=row.reader_most,
            fault_value=row.reader_fault_value,
        ),
    )


def _pull_up_of(ohm: float | None, to_v: float | None) -> PullUp | None:
    return None if ohm is None or to_v is None else PullUp(ohm, to_v)


class CircuitRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def of_jobs(self, job_uids: Iterable[UUID]) -> dict[UUID, tuple[Circuit, ...]]:
        """The circuits of each job, in the order in which they were added."""
        found: dict[UUID, list[Circuit]] = {uid: [] for uid in job_uids}
        made: dict[UUID, SensorType] = {}  # a shop has a dozen types, and its open jobs hundreds of circuits
        query = _CIRCUITS.where(among(CircuitRow.job_uid, found)).order_by(CircuitRow.place)
        for row in self._session.execute(query):
            found[row.job_uid].append(_circuit_of(row, made))
        return {uid: tuple(circuits) for uid, circuits in found.items()}

    def circuit(self, uid: UUID) -> tuple[Circuit, UUID]:
        """The circuit, and the job that it belongs to."""
        row = self._session.execute(_CIRCUITS.where(CircuitRow.uid == uid)).one_or_none()
        if row is None:
            raise NotFoundError("circuit", str(uid))
        return _circuit_of(row), row.job_uid

    def add(self, job_uid: UUID, circuit: Circuit) -> None:
        place = self._session.scalar(
            select(func.coalesce(func.max(CircuitRow.place), 0) + 1).where(CircuitRow.job_uid == job_uid)
        )
        row = CircuitRow(uid=circuit.uid, job_uid=job_uid, place=place or 1)
        self._write(row, circuit)
        row.stimuli = [
            StimulusRow(point=i, label=s.label, value=s.value, temperature_degc=s.temperature_degc)
            for i, s in enumerate(circuit.stimuli)
        ]
        row.pins = [
            PinRow(place=i, cavity=p.cavity, wire_colour=p.wire_colour, role=p.role) for i, p in enumerate(circuit.pins)
        ]
        self._session.add(row)
        self._session.flush()

    def change(self, circuit: Circuit) -> None:
        """Write a circuit's changed card. Cavities and stimuli stay, since readings refer to them; more may follow."""
        row = self._row(circuit.uid)
        self._write(row, circuit)
        for pin_row in row.pins:
            pin_row.role = None  # two pins may be exchanging their roles, which only one may hold at a time
        self._session.flush()
        for pin_row, pin in zip(row.pins, circuit.pins, strict=True):
            pin_row.wire_colour, pin_row.role = pin.wire_colour, pin.role
        row.stimuli += [StimulusRow(point=place) for place in range(len(row.stimuli), len(circuit.stimuli))]
        for stimulus_row, stimulus in zip(row.stimuli, circuit.stimuli, strict=True):
            stimulus_row.label, stimulus_row.value = stimulus.label, stimulus.value
            stimulus_row.temperature_degc = stimulus.temperature_degc
        self._session.flush()

    def last_on(self, shop_uid: UUID, controller: str) -> tuple[Circuit, ...]:
        """The shop's newest circuits on a controller of this type, however its name was written; a few are enough."""
        query = (
            select(CircuitRow)
            .join(JobRow, JobRow.uid == CircuitRow.job_uid)
            .join(VehicleRow, VehicleRow.uid == JobRow.vehicle_uid)
            .where(VehicleRow.shop_uid == shop_uid, func.lower(CircuitRow.controller) == controller.strip().lower())
            .order_by(JobRow.number.desc(), CircuitRow.place.desc())
            .limit(_ENOUGH)
        )
        uids = list(self._session.scalars(query.with_only_columns(CircuitRow.uid)))
        rows = self._session.execute(_CIRCUITS.where(CircuitRow.uid.in_(uids)))
        found = {row.uid: _circuit_of(row) for row in rows}
        return tuple(found[uid] for uid in uids)

    def controllers(self, shop_uid: UUID) -> tuple[str, ...]:
        """The types of controllers that this shop's circuits name, in the order of the alphabet."""
        query = (
            select(CircuitRow.controller)
            .join(JobRow, JobRow.uid == CircuitRow.job_uid)
            .join(VehicleRow, VehicleRow.uid == JobRow.vehicle_uid)
            .where(VehicleRow.shop_uid == shop_uid, CircuitRow.controller != "")
            .distinct()
            .order_by(CircuitRow.controller)
        )
        return tuple(self._session.scalars(query))

    def _row(self, uid: UUID) -> CircuitRow:
        row = self._session.get(CircuitRow, uid)
        if row is None:
            raise NotFoundError("circuit", str(uid))
        return row

    @staticmethod
    def _write(row: CircuitRow, circuit: Circuit) -> None:
        row.name = circuit.name
        row.family = circuit.family
        row.reference_v = circuit.reference_v
        row.pull_up_ohm = None if circuit.pull_up is None else circuit.pull_up.resistance_ohm
        row.pull_up_to_v = None if circuit.pull_up is None else circuit.pull_up.to_v
        row.sensor_type_uid = circuit.sensor.uid
        row.live_channel = circuit.live_channel
        row.live_full_scale_v = circuit.live_full_scale_v
        row.sharers = circuit.others_on_reference
        other = circuit.temperature_pull_up
        row.temperature_pull_up_ohm = None if other is None else other.resistance_ohm
        row.temperature_pull_up_to_v = None if other is None else other.to_v
        row.battery_fed, row.differential, row.shielded = circuit.battery_fed, circuit.differential, circuit.shielded
        row.unpulled = circuit.unpulled
        row.part_of = circuit.part_of
        row.to_wire = circuit.to_wire
        row.controller = circuit.controller
        row.retired_why = circuit.retired_why
        row.shunt_ohm = circuit.shunt_ohm
        row.unreadable = [[str(one.test_point), str(one.hindrance)] for one in circuit.unreadable]
        row.reader_shows_signal, row.reader_shows_value = circuit.reader.shows_signal, circuit.reader.shows_value
        row.reader_least, row.reader_most = circuit.reader.least, circuit.reader.most
        row.reader_fault_value = circuit.reader.fault_value
