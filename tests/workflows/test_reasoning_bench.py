"""The Bench that reasons, against a real database: readings taken back, looked at ahead, and taken by the simulator."""

from dataclasses import replace
from datetime import UTC, datetime
from uuid import uuid4

import pytest

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.diagnosis.faults import words_of
from irongauge.core.measure.quantities import SupersedeReason, TestPoint
from irongauge.core.shop import SIMULATOR_NAME
from irongauge.demo.shelf import MORE_SENSORS
from irongauge.errors import EntryError, JobClosedError, NotFoundError, RefusedRequestError, StaleFormError
from irongauge.workflows.bench.readings import NewReading, look_ahead, look_at_bench, record_reading, take_back
from irongauge.workflows.bench.simulate import debrief, hidden_fault, may_simulate, practise_again, simulate_reading
from irongauge.workflows.shop.jobs import add_circuit, hand_over, look_at_floor, look_at_job
from irongauge.workflows.shop.shelf import look_at_shelf
from tests.cards import circuit_of
from tests.workflows.named import circuit_named, every_job

MOST_READINGS = 45


def typed(demo, test_point, text, **more):
    person = look_at_shelf(demo).people.technicians[0].uid
    return NewReading(uid=uuid4(), test_point=test_point, typed=text, technician_uid=person, **more)


@pytest.fixture
def brake(demo):
    return circuit_named(demo, "Brake line pressure")


def points_at(demo, circuit) -> set[str]:
    return {str(test_point) for test_point in look_at_bench(demo, circuit.uid).view.assessment.case.readings}


def test_a_reading_that_is_taken_back_stays_in_the_record_and_counts_no_more(demo, brake):
    first = record_reading(demo, brake.uid, typed(demo, "open_v:A", "0.3")).reading
    take_back(demo, brake.uid, first.uid, first.technician_uid)
    assert "open_v:A" not in points_at(demo, brake)
    record = look_at_bench(demo, brake.uid).view.readings
    assert [(r.value, r.reason) for r in record] == [(0.3, None), (0.3, SupersedeReason.TAKEN_BACK)]
    again = record_reading(demo, brake.uid, typed(demo, "open_v:A", "4.98"))
    assert again.is_new
    assert "open_v:A" in points_at(demo, brake)


def test_only_the_current_reading_can_be_taken_back(demo, brake):
    first = record_reading(demo, brake.uid, typed(demo, "open_v:A", "0.3")).reading
    correction = typed(demo, "open_v:A", "4.98", seen_uid=first.uid, reason=SupersedeReason.MISTYPED)
    second = record_reading(demo, brake.uid, correction).reading
    with pytest.raises(StaleFormError):
        take_back(demo, brake.uid, first.uid, first.technician_uid)
    with pytest.raises(NotFoundError):
        take_back(demo, brake.uid, uuid4(), first.technician_uid)
    with pytest.raises(NotFoundError):
        take_back(demo, brake.uid, second.uid, uuid4())
    take_back(demo, brake.uid, second.uid, second.technician_uid)
    with pytest.raises(StaleFormError):
        take_back(demo, brake.uid, second.uid, second.technician_uid)


def test_a_finished_record_is_not_changed(demo):
    done = next(j for j in every_job(demo) if j.job.handed_over_at is not None)
    reading = done.circuits[0].readings[-1]
    with pytest.raises(JobClosedError):
        take_back(demo, done.circuits[0].circuit.uid, reading.uid, reading.technician_uid)


def test_looking_ahead_stores_nothing_and_tells_what_a_reading_would_leave(demo, brake):
    for test_point, text in {"open_v:A": "4.98", "open_v:B": "2mV", "open_v:C": "5mV"}.items():
        record_reading(demo, brake.uid, typed(demo, test_point, text))
    before = points_at(demo, brake)
    open_return = look_ahead(demo, brake.uid, "lamp_positive:B", "dark")
    assert {s.fault for s in open_return.suspects[:2]} & {"return_open"}
    assert open_return.supposed == "dark"
    assert {"bright", "dark"} <= {p.reads for p in look_ahead(demo, brake.uid, "lamp_positive:B", "").predictions}
    with pytest.raises(EntryError):
        look_ahead(demo, brake.uid, "lamp_positive:B", "purple")
    assert points_at(demo, brake) == before


def test_a_silent_controller_is_found_by_a_screen_that_shows_nothing(demo, brake):
    for test_point, text in {
        "battery_v": "12.6", "battery_lamp": "b", "open_v:A": "0.00", "open_v:B": "1mV", "open_v:C": "0.00",
        "lamp_negative:A": "d", "live_v::0": "no data", "live_jumped_v:C": "no data", "sharers_off_v:A": "0.00",
        "off_ohm:A": "2.2k", "off_ohm:B": "0.4",
    }.items():  # fmt: skip
        record_reading(demo, brake.uid, typed(demo, test_point, text))
    found = look_at_bench(demo, brake.uid).view.assessment
    assert found.diagnosis.leader.fault == "controller_off"
    assert "silent" in found.judgements[TestPoint.from_text("live_v::0")].sentence


def test_the_simulator_reads_only_a_practice_job_and_what_nobody_else_has_read(demo, brake):
    board = circuit_named(demo, "Oil pressure")
    simulated = simulate_reading(demo, board.uid, "battery_v")
    people = look_at_shelf(demo).people
    assert simulated.reading.technician_uid == next(t.uid for t in people.technicians if t.name == SIMULATOR_NAME)
    assert may_simulate(look_at_bench(demo, board.uid))
    record_reading(demo, board.uid, typed(demo, "battery_lamp", "b"))
    assert not may_simulate(look_at_bench(demo, board.uid))
    with pytest.raises(RefusedRequestError, match="jobs for practice"):
        simulate_reading(demo, board.uid, "open_v:A")
    assert not may_simulate(look_at_bench(demo, brake.uid)), "a customer's job"
    with pytest.raises(RefusedRequestError):
        simulate_reading(demo, brake.uid, "battery_v")
    assert debrief(look_at_bench(demo, brake.uid)) is None
    with pytest.raises(RefusedRequestError, match="not for practice"):
        practise_again(demo, brake.uid)


def practice_job(demo):
    return next(j.job for j in look_at_floor(demo).jobs if j.job.is_practice)


def test_a_practice_job_is_never_handed_over(demo):
    with pytest.raises(RefusedRequestError, match="for practice"):
        hand_over(demo, practice_job(demo).uid, look_at_shelf(demo).people.technicians[0].uid)
    with pytest.raises(ValueError, match="not handed over"):
        replace(practice_job(demo), handed_over_at=datetime.now(UTC), reviewed_by=practice_job(demo).technician)


def test_another_try_is_the_same_card_with_something_else_hidden(demo):
    page = look_at_job(demo, practice_job(demo).uid)
    board = next(v.circuit for v in page.view.circuits if v.circuit.name == "Coolant temperature")
    hidden, names = set(), []
    for _ in range(6):
        view = look_at_bench(demo, practise_again(demo, board.uid))
        hidden.add(hidden_fault(view.view.assessment.case))
        names.append(view.view.circuit.name)
    assert names == [f"Coolant temperature {n}" for n in range(2, 8)]
    assert len(hidden) > 1
    assert replace(view.view.circuit, uid=board.uid, name=board.name) == board


def test_the_end_tells_what_was_hidden_and_what_it_cost(demo):
    board = circuit_named(demo, "Oil pressure")
    for _ in range(MOST_READINGS):
        found = look_at_bench(demo, board.uid).view.assessment
        if found.next_test is None:
            break
        simulate_reading(demo, board.uid, str(found.next_test.test_point))
    told = debrief(look_at_bench(demo, board.uid))
    assert told.found
    assert told.readings == len(look_at_bench(demo, board.uid).view.readings), "one measured again counts again"
    assert told.readings / 5 < told.minutes < 3 * told.readings
    assert 1 <= told.state_changes <= told.readings
    assert told.titles == tuple(words.title for words in words_of(hidden_fault(found.case)))


def shelved(demo, sensor):
    """The sensor type as the demo shop has it on its Shelf."""
    return next(s for s in look_at_shelf(demo).sensor_types if s.uid == sensor.uid)


@pytest.mark.parametrize("sensor", MORE_SENSORS, ids=lambda s: str(s.family))
def test_the_simulator_takes_a_circuit_of_every_family_to_its_hidden_fault(demo, sensor):
    job = practice_job(demo)
    circuit = circuit_of(shelved(demo, sensor))
    add_circuit(demo, job.uid, circuit)
    assert look_at_bench(demo, circuit.uid).view.circuit == circuit, "its card is kept as it was written"
    hidden = hidden_fault(look_at_bench(demo, circuit.uid).view.assessment.case)
    for _ in range(MOST_READINGS):
        found = look_at_bench(demo, circuit.uid).view.assessment
        if found.next_test is None:
            break
        simulate_reading(demo, circuit.uid, str(found.next_test.test_point))
    assert hidden in {s.fault for s in found.diagnosis.group}, (hidden, [str(s) for s in found.case.readings])
    good = found.verdict.level is VerdictLevel.GOOD
    assert good == (hidden == "healthy") or found.diagnosis.leader.is_healthy
