"""One verdict everywhere: what the Bench says is what the Job, the Floor, the sheet, a file and a program say."""

import json
from dataclasses import replace
from uuid import uuid4

import pytest

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.formats.job_json import read_job, write_job
from irongauge.workflows.bench import verdicts
from irongauge.workflows.bench.readings import NewReading, look_at_bench, record_reading
from irongauge.workflows.bench.verdicts import TimeLeft
from irongauge.workflows.shop.jobs import (
    change_circuit,
    judge_open_jobs,
    look_at_floor,
    look_at_job,
    look_at_jobs,
    look_at_sheet,
)
from irongauge.workflows.shop.shelf import look_at_shelf
from irongauge.workflows.shop.transfer import export_job
from tests.shops import meter_of
from tests.workflows.named import circuit_named

# A sensor without supply: its own volts are out, and the fault is the reference wire's, not the sensor's.
NO_REFERENCE = (
    ("battery_v", "12.6"),
    ("battery_lamp", "bright"),
    ("open_v:A", "0.01"),
    ("open_v:B", "2mV"),
    ("open_v:C", "0.01"),
)


def record(demo, circuit, test_point, typed):
    people = look_at_shelf(demo).people
    new = NewReading(
        uid=uuid4(), test_point=test_point, typed=typed, technician_uid=people.technicians[0].uid,
        instrument_uid=meter_of(people),
    )  # fmt: skip
    return record_reading(demo, circuit.uid, new).assessment.verdict


def everywhere(demo, circuit):
    """The verdict by every way there is."""
    job = next(
        j.job
        for j in look_at_jobs(demo, is_open=None, limit=99, offset=0)
        for v in j.circuits
        if v.circuit.uid == circuit.uid
    )
    pages = {
        "bench": look_at_bench(demo, circuit.uid).view,
        "job": next(v for v in look_at_job(demo, job.uid).view.circuits if v.circuit.uid == circuit.uid),
        "floor": next(v for j in look_at_floor(demo).jobs for v in j.circuits if v.circuit.uid == circuit.uid),
        "sheet": next(v for v in look_at_sheet(demo, job.uid).page.view.circuits if v.circuit.uid == circuit.uid),
    }
    found = {name: view.assessment.verdict for name, view in pages.items()}
    found["file"] = next(r.verdict for r in export_job(demo, job.uid).circuits if r.circuit.uid == circuit.uid)
    return found


def test_after_every_reading_all_say_the_same(demo):
    brake = circuit_named(demo, "Brake line pressure")
    for test_point, typed in (
        *NO_REFERENCE,
        ("lamp_negative:A", "dark"),
        ("lamp_negative_v:A", "0"),
        ("off_ohm:A", "OL"),
    ):
        said = record(demo, brake, test_point, typed)
        assert everywhere(demo, brake) == dict.fromkeys(("bench", "job", "floor", "sheet", "file"), said), test_point


def test_every_circuit_of_the_demo_says_one_thing(demo):
    for job in look_at_floor(demo).jobs:
        for view in job.circuits:
            said = everywhere(demo, view.circuit)
            assert len(set(said.values())) == 1, (view.circuit.name, said)


@pytest.fixture
def counted(monkeypatch):
    asked, concluded = [], verdicts.concluded

    def one(facts):
        asked.append(facts.circuit.name)
        return concluded(facts)

    monkeypatch.setattr(verdicts, "concluded", one)
    return asked


def test_the_floor_concludes_nothing_that_was_concluded_before(demo, counted):
    brake = circuit_named(demo, "Brake line pressure")
    for test_point, typed in NO_REFERENCE:
        record(demo, brake, test_point, typed)
    counted.clear()
    look_at_floor(demo)
    assert counted == []


def test_a_changed_card_or_changed_rules_are_concluded_anew(demo, counted, monkeypatch):
    brake = circuit_named(demo, "Brake line pressure")
    for test_point, typed in NO_REFERENCE:
        record(demo, brake, test_point, typed)
    change_circuit(demo, replace(brake, live_full_scale_v=3.3), brake)
    counted.clear()
    look_at_floor(demo)
    assert counted == [brake.name]
    monkeypatch.setattr(verdicts, "_rules", lambda: b"others")
    counted.clear()
    judge_open_jobs(demo)
    assert brake.name in counted
    counted.clear()
    look_at_floor(demo)
    assert counted == []


def test_a_floor_that_has_no_time_left_says_so_and_goes_on(demo, monkeypatch):
    monkeypatch.setattr(verdicts, "_rules", lambda: b"others")
    monkeypatch.setattr("irongauge.workflows.shop.jobs._FLOOR_S", 0.0)
    waiting = [
        v.circuit
        for j in look_at_floor(demo).jobs
        for v in j.circuits
        if "Not judged again" in v.assessment.verdict.headline
    ]
    assert waiting, "the demo has more than one circuit that needs a diagnosis"
    assert look_at_bench(demo, waiting[0].uid).view.assessment.verdict.headline != "Not judged again yet"
    for _ in range(len(waiting)):
        look_at_floor(demo)
    left = {v.assessment.verdict.headline for j in look_at_floor(demo).jobs for v in j.circuits}
    assert "Not judged again yet" not in left


def test_time_left_lets_one_through_whatever_it_is():
    none, endless = TimeLeft(0.0), TimeLeft()
    assert [none.take(), none.take()] == [True, False]
    assert [endless.take() for _ in range(3)] == [True] * 3


def test_a_file_says_its_verdicts_and_is_never_believed(demo):
    brake = circuit_named(demo, "Brake line pressure")
    for test_point, typed in NO_REFERENCE:
        record(demo, brake, test_point, typed)
    job = next(j.job for j in look_at_floor(demo).jobs for v in j.circuits if v.circuit.uid == brake.uid)
    written = json.loads(write_job(export_job(demo, job.uid)))
    part = next(c for c in written["circuits"] if c["uid"] == str(brake.uid))
    assert part["verdict"]["level"] in set(VerdictLevel)
    assert part["verdict"]["headline"]
    part["verdict"] = {"level": "proved good", "headline": "Trust me", "detail": ""}
    read = read_job("file", json.dumps(written).encode())
    assert {r.verdict for r in read.circuits} == {None}


def test_a_verdict_that_cannot_be_kept_is_still_said(demo, monkeypatch):
    from sqlalchemy.exc import OperationalError  # noqa: PLC0415

    from irongauge.store.repositories.verdicts import VerdictRepository  # noqa: PLC0415

    def full(*_args):
        raise OperationalError("INSERT", {}, Exception("disk full"))

    monkeypatch.setattr(VerdictRepository, "keep", full)
    brake = circuit_named(demo, "Brake line pressure")
    said = [record(demo, brake, test_point, typed) for test_point, typed in NO_REFERENCE]
    assert said[-1].headline
    assert look_at_bench(demo, brake.uid).view.assessment.verdict == said[-1]
