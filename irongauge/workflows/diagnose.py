"""A diagnosis of readings that are stored nowhere: a circuit's card and what was read, in; what it may be, out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from uuid import UUID, uuid4

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.bench.assessment import Assessment, assess, conclude
from irongauge.core.bench.case import BenchCase, confirmed_points, current_readings
from irongauge.core.bench.reach import is_named_by
from irongauge.core.bench.sequence import can_be_read
from irongauge.core.measure.quantities import Reading, SupersedeReason, TestPoint
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit, Instrument, InstrumentKind
from irongauge.core.shop import Shop, Vehicle
from irongauge.errors import EntryError, NotShownError
from irongauge.workflows.bench.reader import reader_without
from irongauge.workflows.bench.readings import parse_answer

__all__ = ["Taken", "diagnose_readings"]

_NOBODY = UUID(int=0)
_METER = UUID(int=1)


@dataclass(frozen=True)
class Taken:
    """One reading as a program hands it in: a number in the fixed unit, or text as on the Bench."""

    test_point: TestPoint
    value: float | str


def diagnose_readings(
    circuit: Circuit, vehicle: Vehicle, taken: Sequence[Taken], meter: MeterSpec | None = None
) -> Assessment:
    """Judge and weigh readings of a circuit that is in no job.

    `meter` is what the readings' own meter is good for; left out, a plain one is taken. Of several readings of one test point
    the last counts, and two that agree confirm each other. `not shown` is none: it says what the reader never shows. Raises
    `EntryError` naming the place in the list of a reading that is mistyped, impossible, or of something that the circuit does
    not have.
    """
    shop = Shop(uid=_NOBODY, name="none")
    quantity = circuit.sensor.quantity
    unit = None if quantity is None else circuit.sensor.unit
    empty = BenchCase(circuit=circuit, readings={}, system_v=vehicle.system_v, value_unit=unit,
                      atmosphere_kpa=standard_atmosphere_kpa(vehicle.height_m))  # fmt: skip
    readings: list[Reading] = []
    places: dict[TestPoint, int] = {}
    reader = circuit.reader
    start = datetime(2000, 1, 1, tzinfo=UTC)
    for place, one in enumerate(taken):
        try:
            readings.append(
                _reading(shop, empty, place, one=one, before=readings, moment=start + timedelta(seconds=place))
            )
            places[one.test_point] = place
        except NotShownError:
            reader = reader_without(reader, one.test_point)
    case = BenchCase(
        circuit=replace(circuit, reader=reader),
        readings=current_readings(readings),
        system_v=vehicle.system_v,
        value_unit=unit,
        atmosphere_kpa=empty.atmosphere_kpa,
        confirmed=confirmed_points(readings),
        instruments={} if meter is None else {_METER: _instrument(meter)},
    )
    concluded = conclude(assess(case, with_set_up=False), with_set_up=False)
    if case.roles_are_given:  # else what can be asked of a pin changes with what is known of it
        for test_point, place in places.items():
            if not can_be_read(case, test_point):
                raise _not_there(place, test_point)
    return concluded


def _instrument(meter: MeterSpec) -> Instrument:
    return Instrument(uid=_METER, kind=InstrumentKind.METER, name="the readings' own", meter=meter)


def _not_there(place: int, test_point: TestPoint) -> EntryError:
    problem = f"This circuit has no {test_point}."
    return EntryError(f"readings.{place}", str(test_point), problem, "Take its cavities, points and actions.")


def _reading(
    shop: Shop, case: BenchCase, place: int, *, one: Taken, before: Sequence[Reading], moment: datetime
) -> Reading:
    field = f"readings.{place}"
    if not is_named_by(case.circuit, one.test_point):
        raise _not_there(place, one.test_point)
    typed = one.value if isinstance(one.value, str) else f"{one.value:.12g}"
    try:
        entry = parse_answer(shop, case, one.test_point, typed, in_fixed_unit=True)
    except NotShownError:
        raise
    except EntryError as error:
        raise EntryError(field, typed, error.problem, error.would_do) from error
    earlier = next((r for r in reversed(before) if r.test_point == one.test_point), None)
    return Reading(
        uid=uuid4(),
        test_point=one.test_point,
        value=entry.value,
        word=entry.word,
        unit=None if entry.value is None else entry.unit,
        state=ACTIONS[Action(one.test_point.action)].state,
        typed=typed,
        technician_uid=_NOBODY,
        taken_at=moment,
        instrument_uid=_METER if ACTIONS[Action(one.test_point.action)].reads_meter else None,
        supersedes_uid=None if earlier is None else earlier.uid,
        reason=None if earlier is None else SupersedeReason.AGAIN,
    )
