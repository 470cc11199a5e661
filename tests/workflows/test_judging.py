"""A reading outlives whatever happens to its judgement, and what several people do at once is told apart."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from threading import Event
from uuid import uuid4

import pytest
from sqlalchemy.exc import IntegrityError

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.shop import Technician
from irongauge.errors import EntryError, JobClosedError, RefusedRequestError
from irongauge.settings import get_settings
from irongauge.workflows.bench import judging
from irongauge.workflows.bench.readings import NewReading, look_at_bench, record_reading
from irongauge.workflows.shop.jobs import add_circuit, change_circuit, hand_over, look_at_floor, look_at_job
from irongauge.workflows.shop.shelf import add_technician, look_at_shelf, named
from tests.shops import meter_of
from tests.workflows.named import circuit_named, foreman_of

BROKEN = RuntimeError("a sum that nobody foresaw")


def _new(demo, typed="12.61", test_point="battery_v"):
    people = look_at_shelf(demo).people
    return NewReading(
        uid=uuid4(),
        test_point=test_point,
        typed=typed,
        technician_uid=people.technicians[0].uid,
        instrument_uid=meter_of(people),
    )


@pytest.fixture
def fresh(demo):
    """A circuit that nobody has read yet."""
    return next(v.circuit for job in look_at_floor(demo).jobs for v in job.circuits if not v.readings)


@pytest.fixture
def quick(monkeypatch):
    monkeypatch.setattr(get_settings(), "diagnosis_limit_s", 0.2)


def _raise(_assessment):
    raise BROKEN


@pytest.mark.parametrize("where", ["conclude", "assess"])
def test_a_judgement_that_fails_loses_no_reading_and_is_made_at_the_next_look(demo, fresh, monkeypatch, where):
    with monkeypatch.context() as broken:
        broken.setattr(judging, where, _raise)
        recorded = record_reading(demo, fresh.uid, _new(demo))
        assert recorded.is_new
        assert recorded.assessment.verdict.headline == "Saved; cannot be judged now"
        assert "Every reading is kept" in recorded.assessment.verdict.detail
        seen = look_at_bench(demo, fresh.uid).view
        assert [r.value for r in seen.readings] == [12.61]
        assert seen.assessment.verdict.level is VerdictLevel.OPEN
    after = look_at_bench(demo, fresh.uid).view
    assert [r.uid for r in after.readings] == [recorded.reading.uid]
    assert after.assessment.diagnosis is not None
    assert after.assessment.verdict.headline != judging.NOT_JUDGED


@pytest.mark.usefixtures("quick")
def test_a_diagnosis_that_takes_for_ever_loses_no_reading_and_keeps_nobody_waiting(demo, fresh, monkeypatch):
    go_on, conclude = Event(), judging.conclude

    def stuck(assessment):
        go_on.wait(20)
        return conclude(assessment)

    monkeypatch.setattr(judging, "conclude", stuck)
    recorded = record_reading(demo, fresh.uid, _new(demo))
    assert recorded.assessment.verdict.headline == judging.NOT_JUDGED
    assert "takes longer" in recorded.assessment.verdict.detail
    # Others can go on: the job's row is not held while the diagnosis runs.
    second = record_reading(demo, fresh.uid, _new(demo, "bright", "battery_lamp"))
    assert second.is_new
    get_settings().diagnosis_limit_s = 20
    go_on.set()
    after = look_at_bench(demo, fresh.uid).view
    assert len(after.readings) == 2
    assert after.assessment.verdict.headline != judging.NOT_JUDGED


def test_a_circuit_that_cannot_be_judged_takes_no_page_with_it_and_no_hand_over(demo, monkeypatch):
    job = next(j for j in look_at_floor(demo).jobs if j.may_be_handed_over)
    monkeypatch.setattr(judging, "assess", _raise)
    monkeypatch.setattr(judging, "_marks", judging._Kept(judging._assess, 10))
    assert {v.assessment.verdict.headline for j in look_at_floor(demo).jobs for v in j.circuits} == {judging.NOT_JUDGED}
    page = look_at_job(demo, job.job.uid)
    assert not page.view.may_be_handed_over
    with pytest.raises(RefusedRequestError, match="Nothing was signed"):
        hand_over(demo, job.job.uid, page.people.technicians[0].uid)


def test_whoever_asks_for_the_same_circuit_waits_for_the_same_judgement(demo, fresh, monkeypatch):
    asked, assess = [], judging.assess

    def counted(case):
        asked.append(case)
        return assess(case)

    monkeypatch.setattr(judging, "assess", counted)
    record_reading(demo, fresh.uid, _new(demo, "12.34"))
    first = len(asked)
    with ThreadPoolExecutor(8) as pool:
        looks = list(pool.map(lambda _: look_at_bench(demo, fresh.uid).view.assessment, range(8)))
    assert len({id(look.diagnosis) for look in looks}) == 1
    assert len(asked) == first


def test_two_who_hand_over_at_once_leave_one_signature_and_one_word(demo):
    job = next(j.job for j in look_at_floor(demo).jobs if j.may_be_handed_over)
    reviewer = foreman_of(demo)

    def one(_):
        try:
            hand_over(demo, job.uid, reviewer)
        except (JobClosedError, RefusedRequestError) as error:
            return type(error)
        return None

    with ThreadPoolExecutor(2) as pool:
        told = list(pool.map(one, range(2)))
    assert told.count(None) == 1
    assert JobClosedError in told or RefusedRequestError in told


def test_a_reading_between_the_look_and_the_signature_stops_the_signature(demo, monkeypatch):
    page = next(j for j in look_at_floor(demo).jobs if j.may_be_handed_over)
    circuit, test_point = page.circuits[0].circuit, next(iter(page.circuits[0].assessment.case.readings))
    seen = page.circuits[0].assessment.case.readings[test_point]
    marks = judging._marks

    def meanwhile(facts, limit_s=None):
        if facts.circuit.uid == circuit.uid and seen is not None:
            monkeypatch.setattr(judging, "_marks", marks)
            new = replace(
                _new(demo, "0.001 V" if seen.value is not None else str(seen.word), str(test_point)), seen_uid=seen.uid
            )
            record_reading(demo, circuit.uid, new)
        return marks(facts, limit_s)

    monkeypatch.setattr(judging, "_marks", meanwhile)
    with pytest.raises(RefusedRequestError, match="Somebody added to this job meanwhile"):
        hand_over(demo, page.job.uid, foreman_of(demo))
    assert look_at_job(demo, page.job.uid).view.job.handed_over_at is None


def test_circuits_that_are_added_at_once_are_all_there(demo):
    job = look_at_floor(demo).jobs[0]
    pattern = job.circuits[0].circuit
    made = [replace(pattern, uid=uuid4(), name=f"Added {n}") for n in range(6)]
    with ThreadPoolExecutor(6) as pool:
        list(pool.map(lambda circuit: add_circuit(demo, job.job.uid, circuit), made))
    names = [v.circuit.name for v in look_at_job(demo, job.job.uid).view.circuits]
    assert set(names) >= {circuit.name for circuit in made}


def _add_person(demo, shop_uid, technician):
    with named("uq_technician_shop_uid_name", "name", technician.name, "a technician"), demo.unit() as store:
        store.shops.add_technician(shop_uid, technician)


def test_only_the_constraint_that_means_it_says_that_a_name_is_taken(demo):
    job = look_at_floor(demo).jobs[0]
    circuit = job.circuits[0].circuit
    with pytest.raises(EntryError, match="already the name of a circuit of this job"):
        add_circuit(demo, job.job.uid, replace(circuit, uid=uuid4()))
    with pytest.raises(EntryError, match="already the name of a technician"):
        add_technician(demo, look_at_shelf(demo).people.technicians[0].name)
    other = circuit_named(demo, circuit.name)
    with pytest.raises(IntegrityError, match="pk_circuit"):
        add_circuit(demo, job.job.uid, replace(other, name="Another name, the same identity"))
    shop, known = look_at_shelf(demo).shop, look_at_shelf(demo).people.technicians[0]
    with pytest.raises(IntegrityError, match="pk_technician"):
        _add_person(demo, shop.uid, Technician(known.uid, "A new name for one who is there"))
    change_circuit(demo, replace(circuit, others_on_reference="boost pressure"), other)
    assert look_at_bench(demo, circuit.uid).view.circuit.others_on_reference == "boost pressure"
