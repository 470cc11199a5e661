"""Curves and calibrations as parts of a file."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from irongauge.core.calibration.record import Calibration, KeptPoint, Setup
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import SensorType
from irongauge.core.sensors.transfer import CurveKind, LinearCurve, StraightCurve, TableCurve
from irongauge.formats.parts import FilePart, Finite, Moment

__all__ = ["CalibrationPart", "CurvePart", "curve_from_part", "curve_part"]


class CurvePart(FilePart):
    kind: Literal[CurveKind.RATIO, CurveKind.VOLTS, CurveKind.CURRENT]
    quantity: Quantity
    pressure_base: PressureBase | None = None
    signal_low: Finite = Field(description="Share of the reference (0.1 is 10 %), volts or mA, by kind")
    signal_high: Finite
    value_low: Finite = Field(description="Fixed unit of the quantity")
    value_high: Finite
    points: list[tuple[Finite, Finite]] = Field(
        default=[], max_length=5000, description="Signal and value of every point of a table; none for a straight line"
    )


class CalibrationPart(FilePart):
    """A calibration as it was set up, with every point of it, superseded ones too."""

    uid: UUID
    sensor_type_uid: UUID
    setup: Setup
    technician_uid: UUID
    started_at: Moment
    points: list[KeptPoint] = Field(default=[], max_length=5000)
    signed_at: Moment | None = None
    signed_by_uid: UUID | None = None
    remark: Annotated[str, StringConstraints(max_length=400)] = ""
    supersedes_uid: UUID | None = None

    @classmethod
    def from_core(cls, record: Calibration) -> CalibrationPart:
        return cls(
            uid=record.uid,
            sensor_type_uid=record.sensor.uid,
            setup=record.setup,
            technician_uid=record.technician_uid,
            started_at=record.started_at.astimezone(UTC),
            points=[replace(p, taken_at=p.taken_at.astimezone(UTC)) for p in record.points],
            signed_at=None if record.signed_at is None else record.signed_at.astimezone(UTC),
            signed_by_uid=record.signed_by_uid,
            remark=record.remark,
            supersedes_uid=record.supersedes_uid,
        )

    def to_core(self, circuit_uid: UUID, sensors: dict[UUID, SensorType]) -> Calibration:
        """The record; `ValueError` when it names a sensor type that is not in the file."""
        if self.sensor_type_uid not in sensors:
            msg = f"a calibration names the sensor type {self.sensor_type_uid}, which is not in it"
            raise ValueError(msg)
        return Calibration(
            uid=self.uid,
            sensor=sensors[self.sensor_type_uid],
            setup=self.setup,
            technician_uid=self.technician_uid,
            started_at=self.started_at,
            points=tuple(self.points),
            circuit_uid=circuit_uid,
            signed_at=self.signed_at,
            signed_by_uid=self.signed_by_uid,
            remark=self.remark,
            supersedes_uid=self.supersedes_uid,
        )


def curve_part(curve: StraightCurve | None) -> CurvePart | None:
    if curve is None:
        return None
    return CurvePart(
        kind=curve.kind if curve.kind in {CurveKind.RATIO, CurveKind.CURRENT} else CurveKind.VOLTS,
        quantity=curve.quantity,
        pressure_base=curve.pressure_base,
        signal_low=curve.signal_low,
        signal_high=curve.signal_high,
        value_low=curve.value_low,
        value_high=curve.value_high,
        points=list(curve.points) if isinstance(curve, TableCurve) else [],
    )


def curve_from_part(part: CurvePart) -> StraightCurve:
    """The curve; `ValueError` when its points make none."""
    if part.points:
        signals, values = zip(*part.points, strict=True)
        return TableCurve(part.kind, part.quantity, signals, values, part.pressure_base)
    return LinearCurve(
        kind=part.kind,
        quantity=part.quantity,
        signal_low=part.signal_low,
        signal_high=part.signal_high,
        value_low=part.value_low,
        value_high=part.value_high,
        pressure_base=part.pressure_base,
    )
