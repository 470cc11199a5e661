"""Captures as a workflow: taken in turn, stored whole or not at all, and never with a job that is finished."""

from __future__ import annotations

import io
import threading
from uuid import uuid4

import pytest

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.record import About, PulseKind
from irongauge.errors import BadFileError, EntryError, JobClosedError, NotFoundError, RefusedRequestError
from irongauge.instruments.waveforms import Ring
from irongauge.workflows.pulse.captures import (
    NewCapture,
    keep_capture,
    look_at_capture,
    look_at_captures,
    remove_capture,
    take_in,
    tell_capture,
)
from irongauge.workflows.pulse.kept_checks import kept_pulses
from irongauge.workflows.shop.jobs import hand_over, look_at_floor
from tests.captured import csv_of
from tests.workflows.named import foreman_of

UNEVEN = csv_of(Ring(24, late_pct={7: 6.0}))
GOOD = csv_of()


def _floor(demo):
    return {view.job.vehicle.tag: view for view in look_at_floor(demo).jobs}


def _who(demo):
    return look_at_floor(demo).people.technicians[0].uid


def _circuit(demo, tag, name):
    return next(v.circuit.uid for v in _floor(demo)[tag].circuits if v.circuit.name == name)


def _taken(demo, content=UNEVEN, **about):
    new = NewCapture(uid=uuid4(), name="bench.csv", about=About(**about))
    for _ in take_in(demo, new, io.BytesIO(content)):
        pass
    return new.uid


def test_the_steps_are_told_in_order_and_the_file_is_closed(demo):
    file = io.BytesIO(UNEVEN)
    steps = list(take_in(demo, NewCapture(uid=uuid4(), name="bench.csv"), file))
    assert [round(step.share, 2) for step in steps] == sorted(round(step.share, 2) for step in steps)
    assert (steps[0].share, steps[-1].share) == (0.0, 1.0)
    assert file.closed


def test_a_file_that_is_refused_leaves_nothing_behind_and_lets_the_next_one_in(demo):
    before, _ = look_at_captures(demo, None)
    file = io.BytesIO(b"no capture")
    with pytest.raises(BadFileError, match="cannot be told apart"):
        list(take_in(demo, NewCapture(uid=uuid4(), name="notes.txt"), file))
    assert file.closed
    assert look_at_captures(demo, None)[0] == before
    assert look_at_capture(demo, _taken(demo)).capture.examination.headline == "uneven tooth"


def test_one_is_read_at_a_time_and_whoever_goes_away_holds_nobody_up(demo):
    first = take_in(demo, NewCapture(uid=uuid4(), name="left.csv"), io.BytesIO(UNEVEN))
    assert next(first).doing == "Waiting for another capture"
    assert next(first).doing == "Reading the rows"
    done = []
    other = threading.Thread(target=lambda: done.append(_taken(demo)))
    other.start()
    other.join(0.5)
    assert done == []
    first.close()
    other.join(20)
    assert len(done) == 1


def test_what_is_told_is_kept_with_the_capture_and_examined_anew(demo):
    uid = _taken(demo, teeth=24)
    assert look_at_capture(demo, uid).capture.examination.ring.teeth == 24
    tell_capture(demo, uid, About(teeth=48, gap_teeth=0, pull_up_v=12.0))
    capture = look_at_capture(demo, uid).capture
    assert (capture.about.teeth, capture.about.pull_up_v, capture.examination.ring.teeth) == (48, 12.0, 48)
    assert "high level too low" in [f.what for f in capture.examination.findings]


def test_a_kept_capture_stays_with_its_circuit(demo):
    uid, who = _taken(demo), _who(demo)
    circuit, other = _circuit(demo, "LT-7", "Propeller shaft speed"), _circuit(demo, "LT-7", "Axle speed")
    keep_capture(demo, uid, circuit, who)
    with pytest.raises(EntryError, match="kept with another circuit already"):
        keep_capture(demo, uid, other, who)
    with pytest.raises(RefusedRequestError, match="kept with a circuit"):
        remove_capture(demo, uid)
    keep_capture(demo, uid, circuit, who)
    (newest, first) = kept_pulses(demo, circuit)
    assert {newest.kind, first.kind} == {PulseKind.WAVEFORM}
    assert newest.mark is Mark.FAIL
    assert look_at_capture(demo, uid).capture.kept_uid == newest.uid


def test_nothing_is_kept_with_a_finished_job_or_by_nobody(demo):
    uid, who = _taken(demo, GOOD), _who(demo)
    circuit = _circuit(demo, "D-3", "Spray pressure")
    with pytest.raises(NotFoundError):
        keep_capture(demo, uid, circuit, uuid4())
    with pytest.raises(NotFoundError):
        keep_capture(demo, uid, uuid4(), who)
    hand_over(demo, _floor(demo)["D-3"].job.uid, foreman_of(demo))
    for attempt in (
        lambda: keep_capture(demo, uid, circuit, who),
        lambda: list(take_in(demo, NewCapture(uid=uuid4(), name="late.csv", circuit_uid=circuit), io.BytesIO(GOOD))),
    ):
        with pytest.raises(JobClosedError):
            attempt()
    assert kept_pulses(demo, circuit) == ()
    assert "late.csv" not in [c.name for c in look_at_captures(demo, None)[0]]


def test_a_job_that_is_handed_over_while_a_capture_is_read_does_not_get_it(demo):
    circuit = _circuit(demo, "D-3", "Spray pressure")
    work = take_in(demo, NewCapture(uid=uuid4(), name="late.csv", circuit_uid=circuit), io.BytesIO(GOOD))
    assert next(work).doing == "Waiting for another capture"
    hand_over(demo, _floor(demo)["D-3"].job.uid, foreman_of(demo))
    with pytest.raises(JobClosedError):
        list(work)
    assert "late.csv" not in [c.name for c in look_at_captures(demo, None)[0]]


def test_what_failed_is_not_accepted_with_a_reason(demo):
    uid = _taken(demo)
    circuit = _circuit(demo, "LT-7", "Axle speed")
    with pytest.raises(EntryError, match="Its finding is not undecided"):
        keep_capture(demo, uid, circuit, _who(demo), "it looks fine")
    assert [k.kind for k in kept_pulses(demo, circuit)] == [PulseKind.GAP, PulseKind.EXPECTED]
