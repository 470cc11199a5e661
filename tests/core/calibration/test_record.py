"""A record before anything is measured: its plan, its places, and where its uncertainty comes from."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, datetime
from uuid import UUID, uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import (
    Calibration,
    KeptPoint,
    Manner,
    PointReason,
    Setup,
    Stage,
    current_points,
    even_plan,
    points_to_judge,
    result_of,
    sources_of,
)
from irongauge.core.measure.uncertainty import GaugeSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import Instrument, InstrumentKind, SensorType
from irongauge.core.sensors.families import Family
from irongauge.core.sensors.thermistor import Thermistor
from tests.cards import METER, SENSOR

NOW = datetime(2026, 3, 2, 9, tzinfo=UTC)
DIAL = Instrument(
    uid=UUID(int=7), kind=InstrumentKind.GAUGE, name="Dial", gauge=GaugeSpec(Quantity.PRESSURE, 1600.0, 0.5)
)
SETUP = Setup(
    channel="signal",
    stage=Stage.AS_FOUND,
    manner=Manner.FULL,
    plan=even_plan(0, 1000, 5, down=True),
    stimulus_base=PressureBase.GAUGE,
)


def _record(setup=SETUP, sensor=SENSOR, points=()):
    return Calibration(
        uid=uuid4(), sensor=sensor, setup=setup, technician_uid=uuid4(), started_at=NOW, points=tuple(points)
    )


def _kept(place, **more):
    fields = {"supersedes_uid": None, "reason": None} | more
    return KeptPoint(
        uid=uuid4(),
        place=place,
        run=Run.UP,
        stimulus=0.0,
        reading=0.5,
        reference_v=None,
        stimulus_step=fields.pop("step", 1.0),
        typed_stimulus="0",
        typed_reading="0.5",
        taken_at=NOW,
        **fields,
    )


@given(st.floats(-100, 1000), st.floats(-100, 1000), st.integers(2, 30), st.booleans())
def test_a_plan_goes_from_end_to_end_and_back(first, last, count, down):
    if abs(first - last) < 1e-3:
        return
    plan = even_plan(first, last, count, down=down)
    assert len(plan) == count * (1 + down)
    assert plan[0].stimulus == first
    assert plan[count - 1].stimulus == pytest.approx(last)
    assert {p.run for p in plan[:count]} == {Run.UP if last > first else Run.DOWN}
    if down:
        assert plan[-1].stimulus == first
        assert plan[-1].run is not plan[0].run


@pytest.mark.parametrize(("first", "last", "count"), [(0, 0, 2), (0, 10, 0)])
def test_a_plan_that_is_none_is_refused(first, last, count):
    with pytest.raises(ValueError, match="at least one point, and two ends"):
        even_plan(first, last, count, down=False)


def test_the_next_place_is_the_first_that_is_free_then_one_beyond():
    assert _record().next_place == 0
    assert _record(points=[_kept(0), _kept(2)]).next_place == 1
    done = _record(points=[_kept(n) for n in range(10)])
    assert (done.next_place, done.is_planned_done) == (10, True)


def test_a_superseded_point_no_longer_counts():
    first = _kept(0)
    second = _kept(0, supersedes_uid=first.uid, reason=PointReason.AGAIN)
    other = _kept(1)
    assert current_points([other, first, second]) == (second, other)


def test_a_point_that_supersedes_says_why():
    with pytest.raises(ValueError, match="says why"):
        _kept(0, supersedes_uid=uuid4())
    with pytest.raises(ValueError, match="finite"):
        replace(_kept(0), reading=math.nan)


def test_the_finest_step_that_was_typed_is_the_dials():
    assert {p.stimulus_step for p in points_to_judge([_kept(0, step=100.0), _kept(1, step=1.0)])} == {1.0}
    assert points_to_judge([]) == []


def test_sources_follow_the_instruments_and_what_was_measured():
    plain = sources_of(_record(), None, None)
    assert plain.stimulus_u == 0.0
    assert plain.meter.standard_uncertainty(5.0) > METER.meter.standard_uncertainty(5.0)
    assert plain.assumed_reference_u == pytest.approx(0.1 / math.sqrt(3))
    known = sources_of(_record(replace(SETUP, reference_v=4.98)), METER, DIAL)
    assert known.assumed_reference_u is None
    assert known.stimulus_u == pytest.approx(8 / math.sqrt(3))
    assert known.atmosphere_u == 0.0
    absolute = replace(SETUP, stimulus_base=PressureBase.ABSOLUTE)
    assert sources_of(_record(absolute), METER, DIAL).atmosphere_u == pytest.approx(2.5 / math.sqrt(3))
    read = replace(absolute, atmosphere_measured=True)
    assert sources_of(_record(read), METER, DIAL).atmosphere_u == pytest.approx(0.1 / math.sqrt(3))


def test_a_thermistor_is_read_in_ohms_or_through_its_pull_up():
    ntc = SensorType(
        uid=uuid4(),
        name="N10",
        maker="",
        family=Family.THERMISTOR,
        supply_v=5.0,
        curve=None,
        tolerance_pct_span=3.0,
        element=Thermistor(10_000.0, 3435.0),
    )
    loose = Setup(
        channel="temperature", stage=Stage.AS_FOUND, manner=Manner.FULL, plan=even_plan(0, 100, 3, down=False)
    )
    record = _record(loose, ntc)
    assert sources_of(record, METER, None).reading_unit == "ohm"
    plugged = _record(replace(loose, pull_up_ohm=2200.0, pull_up_v=5.0, reference_v=4.99), ntc)
    assert sources_of(plugged, METER, None).reading_unit == "V"
    assert plugged.feed.pull_up_v == 4.99
    point = replace(_kept(0), stimulus=80.0, reading=2.1521 * 4.99 / 5.0)
    assert result_of(replace(plugged, points=(point,)), METER, None).points[0].error == pytest.approx(0.0, abs=0.01)
