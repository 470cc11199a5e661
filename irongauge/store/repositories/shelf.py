"""What stands on the Shelf: sensor types and instruments."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from sqlalchemy import Row, select, update
from sqlalchemy.orm import Session

from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import (
    Endurance,
    Instrument,
    InstrumentKind,
    SensorType,
    element_from_data,
    element_to_data,
)
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, StraightCurve, TableCurve
from irongauge.errors import NotFoundError
from irongauge.store.models import CircuitRow, InstrumentRow, JobRow, SensorTypeRow

__all__ = ["ShelfRepository", "sensor_type_of"]


def sensor_type_of(row: SensorTypeRow) -> SensorType:
    return SensorType(
        uid=row.uid,
        name=row.name,
        maker=row.maker,
        family=Family(row.family),
        supply_v=row.supply_v,
        curve=_curve_of(row),
        tolerance_pct_span=row.tolerance_pct_span,
        source=row.source,
        element=None if row.element is None else element_from_data(row.element),
        fault_low_v=row.fault_low_v,
        fault_high_v=row.fault_high_v,
        bears=Endurance(
            low_degc=row.bears_low_degc, high_degc=row.bears_high_degc, overpressure_kpa=row.overpressure_kpa
        ),
    )


def _curve_of(row: SensorTypeRow) -> StraightCurve | None:
    ends = (row.signal_low, row.signal_high, row.value_low, row.value_high)
    if row.curve_kind is None or row.quantity is None:
        return None
    low, high, value_low, value_high = (end for end in ends if end is not None)
    base = None if row.pressure_base is None else PressureBase(row.pressure_base)
    kind, quantity = CurveKind(row.curve_kind), Quantity(row.quantity)
    if row.curve_points:
        signals, values = zip(*row.curve_points, strict=True)
        return TableCurve(kind, quantity, signals, values, base)
    return LinearCurve(
        kind=kind,
        quantity=quantity,
        signal_low=low,
        signal_high=high,
        value_low=value_low,
        value_high=value_high,
        pressure_base=base,
    )


def _instrument_of(row: Row[Any]) -> Instrument:
    meter = gauge = None
    if row.reading_pct is not None and row.digits is not None and row.counts is not None:
        meter = MeterSpec(row.reading_pct, row.digits, row.counts)
    if row.quantity is not None and row.full_scale is not None and row.full_scale_pct is not None:
        gauge = GaugeSpec(Quantity(row.quantity), row.full_scale, row.full_scale_pct)
    return Instrument(
        uid=row.uid,
        kind=InstrumentKind(row.kind),
        name=row.name,
        serial=row.serial,
        meter=meter,
        gauge=gauge,
        due=row.due,
        address=row.address,
        retired=row.replaced_by_uid is not None,
    )


class ShelfRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def sensor_types(self, shop_uid: UUID, *, replaced: bool = False) -> tuple[SensorType, ...]:
        """The sensor types in use; with `replaced`, those as well that a change has put aside."""
        query = select(SensorTypeRow).where(SensorTypeRow.shop_uid == shop_uid).order_by(SensorTypeRow.name)
        if not replaced:
            query = query.where(SensorTypeRow.replaced_by_uid.is_(None))
        return tuple(sensor_type_of(row) for row in self._session.scalars(query))

    def sensor_type(self, uid: UUID) -> SensorType:
        row = self._session.get(SensorTypeRow, uid)
        if row is None:
            raise NotFoundError("sensor type", str(uid))
        return sensor_type_of(row)

    def replace_sensor_type(self, shop_uid: UUID, old_uid: UUID, new: SensorType) -> bool:
        """Put a changed type in place of another, also in the circuits of jobs that are open; False when another change
        came first.
        """
        if not self._retire(SensorTypeRow, old_uid, new.uid):
            return False
        self.add_sensor_type(shop_uid, new)
        still_open = select(JobRow.uid).where(JobRow.handed_over_at.is_(None))
        self._session.execute(
            update(CircuitRow)
            .where(CircuitRow.sensor_type_uid == old_uid, CircuitRow.job_uid.in_(still_open))
            .values(sensor_type_uid=new.uid)
        )
        return True

    def replace_instrument(self, shop_uid: UUID, old_uid: UUID, new: Instrument) -> bool:
        """Put an instrument's changed card in place of its old one; False when another change came first."""
        if not self._retire(InstrumentRow, old_uid, new.uid):
            return False
        self.add_instrument(shop_uid, new)
        return True

    def _retire(self, table: type[SensorTypeRow | InstrumentRow], old_uid: UUID, new_uid: UUID) -> bool:
        put_aside = (
            update(table)
            .where(table.uid == old_uid, table.replaced_by_uid.is_(None))
            .values(replaced_by_uid=new_uid)
            .returning(table.uid)
        )
        return self._session.scalar(put_aside) is not None

    def add_sensor_type(self, shop_uid: UUID, sensor: SensorType) -> None:
        curve = sensor.curve
        self._session.add(
            SensorTypeRow(
                uid=sensor.uid,
                shop_uid=shop_uid,
                name=sensor.name,
                maker=sensor.maker,
                family=sensor.family,
                supply_v=sensor.supply_v,
                curve_kind=curve and curve.kind,
                quantity=curve and curve.quantity,
                pressure_base=curve and curve.pressure_base,
                signal_low=curve and curve.signal_low,
                signal_high=curve and curve.signal_high,
                value_low=curve and curve.value_low,
                value_high=curve and curve.value_high,
                tolerance_pct_span=sensor.tolerance_pct_span,
                source=sensor.source,
                element=None if sensor.element is None else element_to_data(sensor.element),
                curve_points=[list(p) for p in curve.points] if isinstance(curve, TableCurve) else None,
                fault_low_v=sensor.fault_low_v,
                fault_high_v=sensor.fault_high_v,
                bears_low_degc=sensor.bears.low_degc,
                bears_high_degc=sensor.bears.high_degc,
                overpressure_kpa=sensor.bears.overpressure_kpa,
            )
        )
        self._session.flush()

    def instruments(self, shop_uid: UUID) -> tuple[Instrument, ...]:
        query = (
            select(*InstrumentRow.__table__.columns)
            .where(InstrumentRow.shop_uid == shop_uid)
            .order_by(InstrumentRow.kind.desc(), InstrumentRow.name)
        )
        return tuple(_instrument_of(row) for row in self._session.execute(query))

    def add_instrument(self, shop_uid: UUID, instrument: Instrument) -> None:
        meter, gauge = instrument.meter, instrument.gauge
        self._session.add(
            InstrumentRow(
                uid=instrument.uid,
                shop_uid=shop_uid,
                kind=instrument.kind,
                name=instrument.name,
                serial=instrument.serial,
                reading_pct=meter.reading_pct if meter else None,
                digits=meter.digits if meter else None,
                counts=meter.counts if meter else None,
                quantity=gauge.quantity if gauge else None,
                full_scale=gauge.full_scale if gauge else None,
                full_scale_pct=gauge.full_scale_pct if gauge else None,
                due=instrument.due,
                address=instrument.address,
            )
        )
        self._session.flush()
