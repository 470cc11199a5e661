"""Everything that is said of calibrations, held against what was approved."""

from dataclasses import replace

from irongauge.core.calibration.judging import CalibrationPoint, Run, Sources, fitted_curve, judge_calibration
from irongauge.core.calibration.record import even_plan
from irongauge.core.measure.uncertainty import MeterSpec
from irongauge.core.sensors.conversion import Feed, reading_at
from irongauge.core.sensors.thermistor import Thermistor
from irongauge.core.sensors.transfer import NtcCurve
from tests.cards import CURVE
from tests.said import approved, text_of

FEED = Feed(5.0)
SOURCES = Sources(meter=MeterSpec(0.3, 2, 6000), stimulus_u=2.0, unit="kPa")
N10 = NtcCurve(Thermistor(10_000.0, 3435.0))


def _points(stimuli, errors, run=Run.UP, curve=CURVE, feed=FEED, **more):
    return [
        CalibrationPoint(stimulus=v, reading=reading_at(curve, v + e, feed), run=run, **more)
        for v, e in zip(stimuli, errors, strict=True)
    ]


def _cases():
    five = (0.0, 250.0, 500.0, 750.0, 1000.0)
    up = _points(five, (1.0, 0.5, -0.5, 0.4, 1.2))
    down = _points(five[::-1], (2.0, 3.1, 3.9, 3.2, 1.1), Run.DOWN)
    odd = _points((*five, 600.0), (0.4, 0.2, -0.3, 0.1, 0.5, 24.0))
    fed = _points(five, (0.0, 0.2, 0.1, -0.2, 0.1), feed=Feed(4.94), reference_v=4.94)
    ntc = _points((0.0, 25.0, 60.0, 90.0), (0.3, 0.2, -0.2, 0.4), curve=N10, feed=Feed(5.0, 2200.0))
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
        "the line as a curve": fitted_curve(CURVE, good.fit),
        "a plan up": even_plan(0.0, 1000.0, 5, down=False),
        "a plan up and down": even_plan(0.0, 1000.0, 3, down=True),
        "a plan of two": even_plan(-50.0, 50.0, 2, down=True),
    }  # fmt: skip


SAID = ("calibration", _cases)


def test_what_is_said_of_calibrations_is_what_was_approved():
    assert text_of(_cases()) == approved("calibration")
