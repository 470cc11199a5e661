"""Calibrating against a real database: what arrives together, what comes late, what moves to another shop."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import pytest

from irongauge.core.calibration.judging import fitted_curve
from irongauge.core.calibration.points import Run
from irongauge.core.calibration.record import Manner, PointReason, Setup, Stage, even_plan
from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.units import PressureBase
from irongauge.core.shop import Shop
from irongauge.errors import EntryError, JobClosedError, NotFoundError, RefusedRequestError, StaleFormError
from irongauge.formats.job_json import read_job, write_job
from irongauge.workflows.curve.calibrate import (
    NewPoint,
    leave_out,
    look_at_calibration,
    look_at_curve_room,
    sign,
    start,
    supersede,
    take_point,
    with_typed,
)
from irongauge.workflows.curve.controllers import look_at_subject
from irongauge.workflows.shop.jobs import look_at_floor
from irongauge.workflows.shop.shelf import look_at_shelf
from irongauge.workflows.shop.transfer import export_job, import_job
from tests.shops import open_shop
from tests.workflows.named import every_job

GOOD = (("0.00", "0.497"), ("5.00", "2.482"), ("10.00", "4.468"))


@pytest.fixture
def people(demo):
    return look_at_shelf(demo).people


@pytest.fixture
def brake(demo):
    room = look_at_curve_room(demo)
    return next(c.circuit for c in room.circuits if c.circuit.name == "Brake line pressure")


@pytest.fixture
def record(demo, brake, people):
    tools = {i.name: i.uid for i in people.instruments}
    setup = Setup(
        channel="signal",
        stage=Stage.AS_FOUND,
        manner=Manner.FULL,
        plan=even_plan(0.0, 1000.0, 3, down=False),
        serial="OR-1",
        meter_uid=tools["Meter 4"],
        gauge_uid=tools["Dial 16 bar"],
        reference_v=4.963,
        stimulus_base=PressureBase.GAUGE,
    )
    return start(demo, setup, people.technicians[0].uid, circuit_uid=brake.uid, sensor_uid=None)


def _point(place, stimulus, reading, **more):
    return NewPoint(uid=uuid4(), place=place, stimulus=stimulus, reading=reading, **more)


def _take_all(demo, record):
    for place, (stimulus, reading) in enumerate(GOOD):
        take_point(demo, record.uid, _point(place, stimulus, reading))
    return look_at_calibration(demo, record.uid)


def test_a_record_comes_back_as_it_was_set_up(demo, record):
    view = look_at_calibration(demo, record.uid)
    assert view.calibration.setup == record.setup
    assert (view.meter.name, view.gauge.name) == ("Meter 4", "Dial 16 bar")
    assert view.result.mark is Mark.NOT_MEASURED
    view = _take_all(demo, record)
    assert [p.stimulus for p in view.calibration.current] == pytest.approx([0, 500, 1000])
    assert view.result.mark is Mark.PASS
    own = fitted_curve(view.calibration.channel.curve, view.result.fit)
    assert own.signal_low == pytest.approx(0.497 / 4.963, abs=1e-4)


def test_one_form_from_eight_hands_is_one_point(demo, record):
    new = _point(0, "0", "0.497")
    with ThreadPoolExecutor(8) as pool:
        points = list(pool.map(lambda _: take_point(demo, record.uid, new), range(8)))
    assert {p.uid for p in points} == {new.uid}
    assert len(look_at_calibration(demo, record.uid).calibration.points) == 1


def test_of_eight_different_hands_one_takes_the_place(demo, record):
    def take(n):
        try:
            take_point(demo, record.uid, _point(0, "0", f"0.49{n}"))
        except StaleFormError:
            return "late"
        return "taken"

    with ThreadPoolExecutor(8) as pool:
        found = sorted(pool.map(take, range(8)))
    assert found == ["late"] * 7 + ["taken"]
    assert len(look_at_calibration(demo, record.uid).calibration.current) == 1


def test_a_point_and_a_signature_that_arrive_together_take_turns(demo, record, people):
    _take_all(demo, record)

    def attempt(n):
        try:
            if n % 2:
                sign(demo, record.uid, people.technicians[0].uid, "")
            else:
                take_point(demo, record.uid, _point(3 + n, "5", "2.48"))
        except (RefusedRequestError, StaleFormError):
            return "refused"
        return "done"

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(attempt, range(6)))
    view = look_at_calibration(demo, record.uid)
    assert view.calibration.signed_at is not None
    assert all(p.taken_at <= view.calibration.signed_at for p in view.calibration.points)


def test_a_corrected_point_keeps_its_run_and_names_the_old(demo, record):
    view = _take_all(demo, record)
    old = view.calibration.current[1]
    new = take_point(demo, record.uid, _point(1, "5", "2.49", seen_uid=old.uid, reason=PointReason.MISTYPED))
    assert (new.supersedes_uid, new.reason, new.run) == (old.uid, PointReason.MISTYPED, Run.UP)
    assert len(look_at_calibration(demo, record.uid).calibration.points) == 4
    with pytest.raises(StaleFormError):
        take_point(demo, record.uid, _point(1, "5", "2.50", seen_uid=old.uid))
    with pytest.raises(StaleFormError):
        leave_out(demo, record.uid, 1, "why", old.uid)
    with pytest.raises(NotFoundError):
        leave_out(demo, record.uid, 7, "why", None)


def test_what_is_only_typed_changes_nothing(demo, record):
    view = _take_all(demo, record)
    seen = with_typed(view, _point(3, "2.5", "4.0"))
    assert seen.result.mark is Mark.FAIL
    assert len(seen.result.points) == 4
    assert len(look_at_calibration(demo, record.uid).calibration.points) == 3
    with pytest.raises(EntryError):
        with_typed(view, _point(3, "2.5", "4.0.0"))


def test_points_beyond_the_plan_find_their_way_by_themselves(demo, record):
    _take_all(demo, record)
    assert take_point(demo, record.uid, _point(3, "7.5", "3.48")).run is Run.DOWN
    assert take_point(demo, record.uid, _point(4, "8.0", "3.68")).run is Run.UP


def test_nothing_is_signed_without_a_point_or_twice_or_corrected_twice(demo, record, people):
    who = people.technicians[0].uid
    with pytest.raises(EntryError, match="There is no point yet"):
        sign(demo, record.uid, who, "")
    with pytest.raises(RefusedRequestError, match="still open"):
        supersede(demo, record.uid)
    _take_all(demo, record)
    sign(demo, record.uid, who, "")
    with pytest.raises(RefusedRequestError, match="signed"):
        sign(demo, record.uid, who, "")
    newer = supersede(demo, record.uid)
    with pytest.raises(RefusedRequestError, match="superseded already"):
        supersede(demo, record.uid)
    again = look_at_calibration(demo, newer.uid).calibration
    assert [(p.stimulus, p.reading) for p in again.current] == [
        (p.stimulus, p.reading) for p in look_at_calibration(demo, record.uid).calibration.current
    ]
    assert look_at_calibration(demo, record.uid).superseded_by == newer.uid


def test_a_job_that_was_handed_over_takes_no_calibration(demo, people, record):
    jobs = {v.job.vehicle.tag: v for v in every_job(demo)}
    circuit = next(v.circuit for v in jobs["P-2"].circuits if v.circuit.name == "Brake reservoir pressure")
    with pytest.raises(JobClosedError):
        start(demo, record.setup, people.technicians[0].uid, circuit_uid=circuit.uid, sensor_uid=None)
    signed = look_at_subject(
        demo, circuit_uid=circuit.uid, sensor_uid=None, calibration_uid=None, channel=""
    ).calibrations[0]
    with pytest.raises(JobClosedError):
        supersede(demo, signed.uid)
    with pytest.raises(EntryError, match="Choose what is calibrated"):
        start(demo, record.setup, people.technicians[0].uid, circuit_uid=None, sensor_uid=None)


def test_a_loose_sensor_is_calibrated_without_a_job(demo, brake, people, record):
    made = start(demo, record.setup, people.technicians[0].uid, circuit_uid=None, sensor_uid=brake.sensor.uid)
    _take_all(demo, made)
    assert look_at_calibration(demo, made.uid).circuit is None
    assert [c.uid for c in look_at_curve_room(demo).loose] == [made.uid]
    subject = look_at_subject(demo, circuit_uid=None, sensor_uid=None, calibration_uid=made.uid, channel="")
    assert subject.title == "Orrin P10, 0–10 bar OR-1, as calibrated (as found)"
    assert subject.channel.curve != brake.sensor.curve


def test_a_job_moves_to_another_shop_with_its_calibrations(demo, record, people, database):
    _take_all(demo, record)
    sign(demo, record.uid, people.technicians[0].uid, "moved")
    job_uid = next(v.job.uid for v in look_at_floor(demo).jobs if v.job.vehicle.tag == "LT-7")
    text = write_job(export_job(demo, job_uid))
    back = read_job("lt-7.json", text.encode())
    open_shop(database, Shop(uid=uuid4(), name="Another shop"), "Somebody")
    imported = import_job(database, back, "lt-7.json")
    assert any("1 calibration is signed elsewhere. Here nobody has signed it yet." in note for note in imported.notes)
    moved = look_at_calibration(database, record.uid)
    assert (moved.calibration.signed_at, moved.calibration.signed_by_uid) == (None, None), "a claim of elsewhere"
    assert moved.result.mark is Mark.PASS
