"""Everything that is said of calibrations, held against what was approved."""

from dataclasses import replace
from datetime import UTC, datetime
from uuid import UUID, uuid5

import pytest

from irongauge.core.calibration.budget import Sources
from irongauge.core.calibration.judging import fitted_curve, judge_calibration
from irongauge.core.calibration.points import CalibrationPoint, Run
from irongauge.core.calibration.record import (
    Calibration,
    KeptPoint,
    Manner,
    PointReason,
    Setup,
    Stage,
    even_plan,
    in_force,
    points_to_judge,
    result_of,
)
from irongauge.core.measure.uncertainty import GaugeSpec, MeterSpec
from irongauge.core.measure.units import PressureBase, Quantity
from irongauge.core.sensors.circuits import Instrument, InstrumentKind
from irongauge.core.sensors.conversion import Feed, reading_at
from tests.cards import CURVE, METER, NAMESPACE, SENSOR, TECHNICIAN
from tests.curves import N10
from tests.said import approved, text_of

FEED = Feed(5.0)
SOURCES = Sources(meter=MeterSpec(0.3, 2, 6000), stimulus_u=2.0, unit="kPa")
NOW = datetime(2026, 3, 2, 9, 0, tzinfo=UTC)
DIAL = Instrument(
    uid=UUID(int=7), kind=InstrumentKind.GAUGE, name="Dial", gauge=GaugeSpec(Quantity.PRESSURE, 1600.0, 0.5)
)


def _points(stimuli, errors, run=Run.UP, curve=CURVE, feed=FEED, **more):
    return [
        CalibrationPoint(stimulus=v, reading=reading_at(curve, v + e, feed), run=run, **more)
        for v, e in zip(stimuli, errors, strict=True)
    ]


def _record(remark):
    """A record of three points, one taken again and one left out, each with its own reference and the dial's step."""
    setup = Setup(channel="signal", stage=Stage.AS_FOUND, manner=Manner.FULL, plan=even_plan(0, 1000, 3, down=False),
                  stimulus_base=PressureBase.GAUGE, meter_uid=METER.uid, gauge_uid=DIAL.uid, reference_each=True)  # fmt: skip
    kept = [
        KeptPoint(uid=UUID(int=100 + n), place=n, run=Run.UP, stimulus=500.0 * n, reading=0.5 + 2.0 * n, reference_v=4.96,
                  stimulus_step=5.0, typed_stimulus=f"{5 * n}", typed_reading="0", taken_at=NOW, left_out="slipped" * (n == 2))
        for n in range(3)
    ]  # fmt: skip
    again = replace(kept[1], uid=UUID(int=200), reading=2.51, supersedes_uid=kept[1].uid, reason=PointReason.AGAIN)
    return Calibration(uid=uuid5(NAMESPACE, remark), sensor=SENSOR, setup=setup, technician_uid=TECHNICIAN, started_at=NOW,
                       points=(*kept, again), remark=remark)  # fmt: skip


def _cases():
    five = (0.0, 250.0, 500.0, 750.0, 1000.0)
    up = _points(five, (1.0, 0.5, -0.5, 0.4, 1.2))
    down = _points(five[::-1], (2.0, 3.1, 3.9, 3.2, 1.1), Run.DOWN)
    odd = _points((*five, 600.0), (0.4, 0.2, -0.3, 0.1, 0.5, 24.0))
    fed = _points(five, (0.0, 0.2, 0.1, -0.2, 0.1), feed=Feed(4.94), reference_v=4.94)
    ntc = _points((0.0, 25.0, 60.0, 90.0), (0.3, 0.2, -0.2, 0.4), curve=N10, feed=Feed(5.0, 2200.0))
    own = [replace(p, reading=p.reading * 4.9 / 5.0, reference_v=4.9) for p in ntc]
    two_odd = _points((*five, 600.0, 300.0), (0.4, 0.2, -0.3, 0.1, 0.5, 24.0, -20.0))
    record = _record("as found")
    corrected = replace(_record("corrected"), supersedes_uid=record.uid)
    signed = [replace(c, signed_at=NOW, signed_by_uid=UUID(int=5)) for c in (corrected, record)]
    later = [_record("open"), *signed, replace(_record("as left"), signed_at=NOW, signed_by_uid=UUID(int=5))]
    good = judge_calibration(CURVE, up, 2.0, FEED, SOURCES)
    return {
        "up alone": good,
        "up and down": judge_calibration(CURVE, up + down, 2.0, FEED, SOURCES),
        "beyond its tolerance": judge_calibration(CURVE, _points(five, (30, 31, 29, 30, 32)), 2.0, FEED, SOURCES),
        "too close to call": judge_calibration(CURVE, _points(five, (16, 17, 18, 17, 16)), 2.0, FEED, SOURCES),
        "one point that does not fit": judge_calibration(CURVE, odd, 2.0, FEED, SOURCES),
        "the same point twice": judge_calibration(CURVE, up + up[:1], 2.0, FEED, SOURCES),
        "a reference of its own": judge_calibration(CURVE, fed, 2.0, FEED, SOURCES),
        "outside the range": judge_calibration(CURVE, _points((0.0, 1100.0), (0.0, 0.0)), 2.0, FEED, SOURCES),
        "one point": judge_calibration(CURVE, up[:1], 2.0, FEED, SOURCES),
        "none": judge_calibration(CURVE, [], 2.0, FEED, SOURCES),
        "two points": judge_calibration(CURVE, up[::4], 2.0, FEED, replace(SOURCES, atmosphere_u=1.0)),
        "a thermistor": judge_calibration(N10, ntc, 1.0, Feed(5.0, 2200.0),
                                          Sources(meter=SOURCES.meter, stimulus_u=0.2, unit="degC")),
        "a supply of its own at each point": judge_calibration(N10, own, 1.0, Feed(5.0, 2200.0), SOURCES),
        "a reading that has no value": judge_calibration(N10, [*ntc, CalibrationPoint(stimulus=25.0, reading=5.0, run=Run.UP)],
                                                         1.0, Feed(5.0, 2200.0), SOURCES),
        "at the very end of the range": judge_calibration(CURVE, _points((0.0, 1000.0), (0.0, 0.0)), 2.0, FEED, SOURCES),
        "two points that do not fit": judge_calibration(CURVE, two_odd, 2.0, FEED, SOURCES),
        "a step of the dial": judge_calibration(CURVE, _points(five, (1, 1, 1, 1, 1), stimulus_step=10.0), 2.0, FEED, SOURCES),
        "a plan of one": even_plan(100.0, 100.0, 1, down=False),
        "a plan that falls": even_plan(900.0, 100.0, 3, down=True),
        "a record": result_of(record, METER, DIAL),
        "a record without its instruments": result_of(record, None, None),
        "what counts of a record": points_to_judge(record.points),
        "in force": [c.remark for c in in_force(later)],
        "the line as a curve": fitted_curve(CURVE, good.fit),
        "a plan up": even_plan(0.0, 1000.0, 5, down=False),
        "a plan up and down": even_plan(0.0, 1000.0, 3, down=True),
        "a plan of two": even_plan(-50.0, 50.0, 2, down=True),
    }  # fmt: skip


SAID = ("calibration", _cases)


def test_what_is_said_of_calibrations_is_what_was_approved():
    assert text_of(_cases()) == approved("calibration")


def test_what_a_point_may_not_be_is_said():
    with pytest.raises(ValueError, match="a point"):
        CalibrationPoint(stimulus=float("nan"), reading=1.0, run=Run.UP)
