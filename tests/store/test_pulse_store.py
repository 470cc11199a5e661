"""What the database itself refuses of pulses, and what comes back of what was kept."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from uuid import uuid4

import numpy as np
import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.stretch import BLOCK
from irongauge.core.pulses.examination import examine
from irongauge.core.pulses.record import About, Capture, KeptPulse, PulseKind, PulseMark
from irongauge.errors import NotFoundError
from irongauge.instruments.waveforms import Pickup, Ring, capture
from irongauge.workflows.pulse.samples import packed, stretch, whole

NOW = datetime(2026, 3, 2, 9, tzinfo=UTC)
TAKEN = capture(
    Ring(36, missing=frozenset({3})), Pickup(coil_v_per_hz=0.01), turn_hz=(5, 8), seconds=2, rate_hz=20_000, seed=1
)


def _circuit(store, name="Propeller shaft speed"):
    shop = store.shops.first()
    jobs = store.jobs.jobs(shop.uid)
    circuits = store.circuits.of_jobs(j.uid for j in jobs)
    return next(c for j in jobs for c in circuits[j.uid] if c.name == name)


def _check(store, mark=Mark.FAIL, later_s=0, kind=PulseKind.WAVEFORM):
    who = store.shops.technicians(store.shops.first().uid)[0].uid
    return KeptPulse(
        uid=uuid4(),
        kind=kind,
        mark=mark,
        finding="missing tooth",
        sentence="Tooth 4.",
        given={"teeth": 36},
        technician_uid=who,
        taken_at=NOW + timedelta(seconds=later_s),
    )


@pytest.fixture
def taken(demo):
    """A capture that is stored, kept with a circuit."""
    step_s, samples = packed(*TAKEN)
    found = examine(*TAKEN)
    made = Capture(
        uid=uuid4(),
        name="bench.csv",
        note="40,000 samples",
        samples=40_000,
        seconds=found.seconds,
        step_s=step_s,
        about=About(teeth=36, gap_teeth=0, pull_up_v=12.0),
        examination=found,
        taken_at=NOW,
    )
    with demo.unit() as store:
        circuit, check = _circuit(store), _check(store)
        store.pulses.add_check(circuit.uid, check)
        store.pulses.add_capture(store.shops.first().uid, made, samples)
        store.pulses.keep(made.uid, circuit.uid, check.uid)
    return replace(made, circuit_uid=circuit.uid, kept_uid=check.uid)


def test_a_capture_comes_back_as_it_was_handed_in(demo, taken):
    with demo.unit() as store:
        back = store.pulses.capture(taken.uid)
        assert back == taken
        time_s, signal_v = whole(store, back)
        assert taken in store.pulses.captures(store.shops.first().uid, 5)
        assert store.pulses.captures_by([taken.kept_uid]) == {taken.kept_uid: taken.uid}
    assert time_s == pytest.approx(TAKEN[0], abs=1e-12)
    assert signal_v == pytest.approx(TAKEN[1], abs=1e-6)


@pytest.mark.parametrize("is_even", [True, False])
@pytest.mark.parametrize(("from_s", "until_s"), [(0.0, 2.0), (0.5, 0.51), (1.999, 5.0), (-3.0, 0.0), (1.0, 1.0)])
def test_a_stretch_holds_what_lies_in_it(demo, is_even, from_s, until_s):
    time_s = TAKEN[0] if is_even else TAKEN[0] + np.random.default_rng(1).uniform(0, 4e-5, len(TAKEN[0]))
    time_s = np.sort(time_s) - time_s[0]
    step_s, samples = packed(time_s, TAKEN[1])
    assert (step_s is None) is not is_even
    made = Capture(
        uid=uuid4(),
        name="x",
        note="",
        samples=40_000,
        seconds=float(time_s[-1]),
        step_s=step_s,
        about=About(),
        examination=examine(time_s, TAKEN[1]),
        taken_at=NOW,
    )
    with demo.unit() as store:
        store.pulses.add_capture(store.shops.first().uid, made, samples)
        found = stretch(store, made, from_s, until_s, 200)
    assert 2 <= len(found.time_s) <= 200
    inside = TAKEN[1][(time_s >= from_s) & (time_s <= until_s)]
    if len(inside):
        assert found.low.min() <= inside.min() + 1e-6
        assert found.high.max() >= inside.max() - 1e-6
    beside = 2 * BLOCK / 20_000
    assert found.time_s[0] >= min(max(from_s, 0), time_s[-1]) - 0.01 - beside


def test_the_newest_of_each_kind_counts(demo):
    with demo.unit() as store:
        circuit = _circuit(store)
        store.pulses.add_check(circuit.uid, _check(store, Mark.FAIL, 5))
        store.pulses.add_check(circuit.uid, _check(store, Mark.PASS, 9))
        store.pulses.add_check(circuit.uid, _check(store, Mark.UNDECIDED, 7))
        store.pulses.add_check(circuit.uid, _check(store, Mark.FAIL, 1, PulseKind.GAP))
        other = _circuit(store, "Brake line pressure").uid
        marks = store.pulses.marks_of([circuit.uid, other])
        assert [c.taken_at.second for c in store.pulses.checks_of([circuit.uid])[circuit.uid]] == [9, 7, 5, 1]
    assert set(marks[circuit.uid]) == {
        PulseMark(PulseKind.WAVEFORM, Mark.PASS, "missing tooth"),
        PulseMark(PulseKind.GAP, Mark.FAIL, "missing tooth"),
    }
    assert marks[other] == ()


BAD = [
    ("UPDATE pulse_check SET mark = 'pass'", "never changed"),
    ("DELETE FROM pulse_check", "never changed"),
    ("UPDATE capture SET signal = signal || 'x'", "captured is never changed|signal_whole"),
    ("UPDATE capture SET signal = overlay(signal placing 'x' from 9)", "captured is never changed"),
    ("UPDATE capture SET circuit_uid = NULL", "captured is never changed"),
    ("UPDATE capture SET samples = 9", "signal_whole"),
    ("UPDATE capture SET step_s = NULL", "times_where_uneven"),
    ("UPDATE capture SET teeth = 1", "teeth_possible"),
    ("UPDATE capture SET name = ''", "name_length"),
    ("DELETE FROM capture", "is not deleted"),
]


@pytest.mark.parametrize(("statement", "says"), BAD, ids=[b[0][:40] for b in BAD])
def test_the_database_keeps_what_was_recorded(demo, taken, statement, says):
    with pytest.raises(DBAPIError, match=says), demo.engine.begin() as connection:
        connection.execute(text(statement))
    with demo.unit() as store:
        assert store.pulses.capture(taken.uid) == taken


def test_what_is_not_there_is_said_so(demo):
    with demo.unit() as store:
        with pytest.raises(NotFoundError):
            store.pulses.capture(uuid4())
        with pytest.raises(NotFoundError):
            store.pulses.keep(uuid4(), uuid4(), uuid4())
        assert store.pulses.remove(uuid4()) is False
