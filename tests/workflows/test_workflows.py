"""What a technician does, against a real database: recording, correcting, handing over, moving a job."""

import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime
from uuid import uuid4

import pytest

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.measure.quantities import SupersedeReason, TestPoint
from irongauge.core.people.roles import Role
from irongauge.core.shop import Shop
from irongauge.errors import (
    BadFileError,
    EntryError,
    JobClosedError,
    NoShopError,
    NotFoundError,
    RefusedRequestError,
    StaleFormError,
)
from irongauge.formats.job_json import read_job, write_job
from irongauge.workflows.bench.readings import NewReading, look_at_bench, record_reading
from irongauge.workflows.people.accounts import add_person
from irongauge.workflows.shop.handovers import issue_sheet, sheets_of
from irongauge.workflows.shop.jobs import change_circuit, hand_over, look_at_floor, look_at_job, reopen
from irongauge.workflows.shop.shelf import add_technician, look_at_shelf
from irongauge.workflows.shop.transfer import export_job, import_job
from tests.shops import meter_of, open_shop
from tests.workflows.named import circuit_named, foreman_of


@pytest.fixture
def brake(demo):
    return circuit_named(demo, "Brake line pressure")


def new(demo, test_point, typed, **more):
    people = look_at_shelf(demo).people
    return NewReading(
        uid=uuid4(),
        test_point=test_point,
        typed=typed,
        technician_uid=people.technicians[0].uid,
        instrument_uid=meter_of(people),
        **more,
    )


def test_a_reading_is_stored_with_everything_about_it(demo, brake):
    recorded = record_reading(demo, brake.uid, new(demo, "open_v:A", "4,98 V"))
    assert recorded.is_new
    assert recorded.note == "“4,98 V” was read as 4.980 V."
    view = look_at_bench(demo, brake.uid).view
    stored = view.readings[-1]
    assert (stored.value, stored.unit, stored.typed) == (4.98, "V", "4,98 V")
    assert stored.state == "key on, engine off"
    assert stored.instrument_uid is not None


def test_the_same_form_sent_twice_stores_one_reading(demo, brake):
    form = new(demo, "open_v:A", "4.98")
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda _: record_reading(demo, brake.uid, form), range(8)))
    assert sorted(a.is_new for a in answers) == [False] * 7 + [True]
    assert len(look_at_bench(demo, brake.uid).view.readings) == 1


def test_two_tabs_do_not_overwrite_each_other(demo, brake):
    forms = [new(demo, "open_v:A", typed) for typed in ("4.98", "4.11", "4.22", "4.33")]

    def send(form):
        try:
            record_reading(demo, brake.uid, form)
        except StaleFormError as error:
            return str(error)
        return "saved"

    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(send, forms))
    assert answers.count("saved") == 1
    assert all("nothing was saved over it" in answer for answer in answers if answer != "saved")
    assert len(look_at_bench(demo, brake.uid).view.readings) == 1


def test_a_correction_supersedes_and_the_old_one_stays(demo, brake):
    first = record_reading(demo, brake.uid, new(demo, "open_v:A", "9.48")).reading
    record_reading(demo, brake.uid, new(demo, "open_v:A", "4.98", seen_uid=first.uid, reason=SupersedeReason.MISTYPED))
    view = look_at_bench(demo, brake.uid).view
    assert [r.value for r in view.readings] == [9.48, 4.98]
    current = view.assessment.case.readings[TestPoint("open_v", "A")]
    assert (current.value, current.supersedes_uid, current.reason) == (4.98, first.uid, SupersedeReason.MISTYPED)


def test_a_form_that_was_used_for_another_value_is_not_dropped_silently(demo, brake):
    form = new(demo, "open_v:A", "4.98")
    record_reading(demo, brake.uid, form)
    with pytest.raises(StaleFormError, match=r"recorded as 4\.98 V"):
        record_reading(demo, brake.uid, replace(form, typed="4.11"))


@pytest.mark.parametrize(
    ("test_point", "typed", "error", "says"),
    [
        ("open_v:A", "abc", EntryError, "is not a number"),
        ("open_v:A", "40", EntryError, "cannot be right here"),
        ("open_v:A", "-3", EntryError, "swapped meter leads"),
        ("open_v:B", "12", EntryError, "If the meter shows millivolts, type 12mV"),
        ("battery_lamp", "blue", EntryError, r"Answer dark \(D\), dim \(G\) or bright \(B\)"),
        ("lamp_positive:A", "dark", EntryError, "not safe on that pin yet"),
        ("mated_v:C:0", "0.5", EntryError, "Look at the gauge"),
        ("open_v:Z", "5", NotFoundError, "There is no test point"),
        ("paint:A", "5", NotFoundError, "There is no test point"),
        ("a:b:c:d", "5", NotFoundError, "There is no test point"),
    ],
)
def test_what_cannot_be_recorded_is_refused_and_nothing_is_stored(demo, brake, test_point, typed, error, says):
    with pytest.raises(error, match=says):
        record_reading(demo, brake.uid, new(demo, test_point, typed, stimulus_typed="9999 bar"))
    assert look_at_bench(demo, brake.uid).view.readings == ()


def test_an_unknown_person_or_instrument_is_refused(demo, brake):
    form = new(demo, "open_v:A", "4.98")
    for broken in (replace(form, technician_uid=uuid4()), replace(form, instrument_uid=uuid4())):
        with pytest.raises(NotFoundError):
            record_reading(demo, brake.uid, broken)


def test_the_stimulus_that_was_applied_is_what_the_signal_is_held_against(demo, brake):
    test_point = "mated_v:C:1"
    record_reading(demo, brake.uid, new(demo, "mated_v:A", "4.93"))
    record_reading(demo, brake.uid, new(demo, test_point, "2.31", stimulus_typed="4.6"))
    judgement = look_at_bench(demo, brake.uid).view.assessment.judgements[TestPoint.from_text(test_point)]
    assert judgement.mark == "pass"
    assert "4.607 bar; 4.6 bar is applied" in judgement.sentence


@pytest.mark.parametrize(
    ("typed", "kpa", "note"),
    [
        ("1.8", 180.0, ""),
        ("180 kPa abs", 180.0, ""),
        ("0.98818 bar gauge", 180.0, "is 1.800 bar absolute at a standard 0.812 bar here."),
        ("14.332 psi g", 180.0, "is 1.800 bar absolute at a standard 0.812 bar here."),
    ],
)
def test_a_dial_that_reads_gauge_is_turned_into_absolute_where_the_vehicle_stands(demo, typed, kpa, note):
    """At 1 830 m the standard atmosphere is 81.188 kPa (the published table), so 98.818 kPa gauge are 180.006 absolute."""
    air = circuit_named(demo, "Manifold absolute pressure")
    recorded = record_reading(demo, air.uid, new(demo, "mated_v:C:1", "3.36", stimulus_typed=typed))
    assert recorded.reading.stimulus_value == pytest.approx(kpa, abs=0.02)
    assert recorded.note.endswith(note)


def test_a_pressure_below_vacuum_is_refused(demo):
    air = circuit_named(demo, "Manifold absolute pressure")
    for typed in ("-0.1 bar", "-1.2 bar gauge"):
        with pytest.raises(EntryError, match="Look at the gauge"):
            record_reading(demo, air.uid, new(demo, "mated_v:C:1", "3.36", stimulus_typed=typed))


def test_a_job_is_handed_over_only_when_all_is_proved_and_can_be_reopened(demo):
    floor = look_at_floor(demo)
    ready = next(j for j in floor.jobs if j.job.vehicle.tag == "D-3")
    tractor = next(j for j in floor.jobs if j.job.vehicle.tag == "LT-7")
    reviewer = foreman_of(demo)
    with pytest.raises(RefusedRequestError, match="Not every circuit is proved good: Brake line pressure"):
        hand_over(demo, tractor.job.uid, reviewer)
    assert look_at_job(demo, tractor.job.uid).view.job.handed_over_at is None
    hand_over(demo, ready.job.uid, reviewer)
    spray = ready.circuits[0].circuit
    with pytest.raises(JobClosedError, match="Reopen it"):
        record_reading(demo, spray.uid, new(demo, "open_v:A", "4.98"))
    reopen(demo, ready.job.uid)
    assert look_at_job(demo, ready.job.uid).view.job.handed_over_at is None


def test_a_circuit_read_at_one_point_is_handed_over_only_as_that(demo, database):
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    job = next(j for j in look_at_floor(demo).jobs if j.job.vehicle.tag == "D-3").job
    record = export_job(demo, job.uid)
    first = record.circuits[0]
    at_one = replace(
        first,
        circuit=replace(first.circuit, stimuli=first.circuit.stimuli[:1]),
        readings=tuple(r for r in first.readings if r.test_point.point != 1),
    )
    import_job(database, replace(record, circuits=(at_one, *record.circuits[1:])), "job.json")
    view = look_at_job(database, job.uid).view
    assert view.levels[VerdictLevel.WIRING] == 1
    with pytest.raises(RefusedRequestError, match=f"{job.technician.name} tested this job"):
        hand_over(database, job.uid, job.technician.uid)
    hand_over(database, job.uid, add_person(database, "Ottoline Marsh's colleague", Role.FOREMAN))
    reopen(database, job.uid)
    change_circuit(database, first.circuit, at_one.circuit)
    view = look_at_job(database, job.uid).view
    assert view.levels[VerdictLevel.WIRING] == 0
    assert not view.may_be_handed_over, "the second point is asked for now"


def without_deeds(text):
    """A job file without what it claims that somebody signed: that stays where it was done."""
    told = json.loads(text)
    told.pop("technicians")  # who reviewed it is no longer named
    for record in (told["job"], *(c for circuit in told["circuits"] for c in circuit.get("calibrations", ()))):
        for claim in ("handed_over_at", "reviewed_by_uid", "signed_at", "signed_by_uid", "remark"):
            record.pop(claim, None)
    for circuit in told["circuits"]:  # that it is no part of the brakes is to be said here again
        circuit.pop("part_of", None)
        if circuit["name"].startswith("Brake"):
            circuit.pop("verdict", None)
    return told


def test_what_a_file_claims_is_no_deed_of_this_shop(demo):
    job = next(v.job for v in look_at_floor(demo).jobs if v.job.vehicle.tag == "G-12")
    record = export_job(demo, job.uid)
    forged = replace(
        record,
        job=replace(job, uid=uuid4(), number=4711, handed_over_at=datetime(2026, 11, 1, tzinfo=UTC), reviewed_by=job.technician),
        circuits=(), kit=(), codes=(),
    )  # fmt: skip
    imported = import_job(demo, read_job("forged.json", write_job(forged).encode()), "forged.json")
    view = look_at_job(demo, imported.job_uid).view
    assert view.job.handed_over_at is None
    assert view.job.reviewed_by is None
    assert any("handed over elsewhere on 01 Nov 2026, reviewed by" in note for note in imported.notes)
    with pytest.raises(RefusedRequestError, match="not handed over"):
        issue_sheet(demo, imported.job_uid, lambda _: b"%PDF")
    assert sheets_of(demo, imported.job_uid) == ()


def test_a_job_moves_to_another_shop_without_loss(demo, database):
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    for view in look_at_floor(demo).jobs:
        text = write_job(export_job(demo, view.job.uid))
        import_job(database, read_job("job.json", text.encode()), "job.json")
        assert without_deeds(write_job(export_job(database, view.job.uid))) == without_deeds(text)
    levels = [view.levels for view in look_at_floor(database).jobs]
    assert sum(level[VerdictLevel.FAULT] for level in levels) == 1
    assert sum(level[VerdictLevel.GROUP] for level in levels) == 2


def test_an_import_says_what_it_did_differently(demo, database):
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Bram Keldby")
    job = next(v.job for v in look_at_floor(demo).jobs if v.job.vehicle.tag == "G-12")
    record = export_job(demo, job.uid)
    imported = import_job(database, record, "job.json")
    assert imported.notes == (
        "“Bram Keldby” is the name of something else here, so the one from the file is “Bram Keldby (2)”.",
    )
    with pytest.raises(BadFileError, match="is this very job"):
        import_job(database, record, "job.json")
    other = replace(record, job=replace(record.job, uid=uuid4()))
    with pytest.raises(BadFileError, match="Nothing was imported"):
        import_job(database, other, "job.json")
    assert len(look_at_floor(database).jobs) == 1


def test_a_new_database_has_no_shop_and_opens_one_once(database):
    with pytest.raises(NoShopError, match="three questions"):
        look_at_floor(database)
    open_shop(database, Shop(uid=uuid4(), name="Boat shed"), "Ottoline")
    assert look_at_floor(database).jobs == ()
    with pytest.raises(EntryError, match="already the name of a technician"):
        add_technician(database, "Ottoline")


def test_an_instrument_that_is_overdue_needs_a_reason_and_the_reading_keeps_it(demo):
    brake = circuit_named(demo, "Brake line pressure")
    people = look_at_shelf(demo).people
    late = next(i for i in people.instruments if i.name.startswith("Meter 2"))
    body = replace(new(demo, "open_v:A", "4.98"), instrument_uid=late.uid)
    with pytest.raises(EntryError, match="The calibration of Meter 2") as refused:
        record_reading(demo, brake.uid, body)
    assert refused.value.field == "overdue_why"
    told = replace(body, overdue_why="  the other one is on the road  ")
    assert record_reading(demo, brake.uid, told).reading.overdue_why == "the other one is on the road"
    job = next(j.job for j in look_at_floor(demo).jobs if j.job.vehicle.tag == "LT-7")
    record = read_job("job.json", write_job(export_job(demo, job.uid)).encode())
    assert any(r.overdue_why for c in record.circuits for r in c.readings)
