"""Two people at once: nothing of one is lost without a word, and no pair of them ends in an error."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from uuid import uuid4

import pytest

from irongauge.errors import ChangedMeanwhileError, EntryError, IronGaugeError
from irongauge.workflows.bench.readings import NewReading, record_reading
from irongauge.workflows.people.accounts import first_foreman
from irongauge.workflows.shop.jobs import (
    add_circuit,
    change_circuit,
    hand_over,
    look_at_circuit,
    look_at_job,
    look_at_sheet,
    reopen,
)
from irongauge.workflows.shop.shelf import change_shop, look_at_shelf
from tests.web.visitor import circuit

ROUNDS = 12


def at_once(*works: Callable[[], object]) -> list[object]:
    """What each of these gives, or the refusal that it ends with; anything else is raised."""
    gate, results = threading.Barrier(len(works)), [None] * len(works)

    def run(place: int, work: Callable[[], object]) -> None:
        gate.wait()
        try:
            results[place] = work()
        except IronGaugeError as error:
            results[place] = error
        except Exception as error:  # noqa: BLE001  told below
            results[place] = error

    threads = [threading.Thread(target=run, args=one) for one in enumerate(works)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    wrong = [r for r in results if isinstance(r, Exception) and not isinstance(r, IronGaugeError)]
    assert not wrong, wrong
    return results


def test_the_second_of_two_who_change_a_circuits_data_is_told_what_changed(visitor):
    path = f"/circuits/{circuit(visitor, 'Brake line pressure')}/card"
    mine, theirs = visitor.get(path).form("/card"), visitor.get(path).form("/card")
    assert visitor.send(theirs, live_channel="AI 9").status == 200
    page = visitor.send(mine, live_channel="AI 5", wire_0="brown")
    assert page.status == 409
    assert "Somebody changed this to “AI 9” meanwhile" in page.text
    again = page.form("/card")
    assert again.fields["live_channel"] == "AI 5"
    assert visitor.send(again).status == 200
    assert visitor.get(path).form("/card").fields["live_channel"] == "AI 5"


def test_the_second_of_two_who_change_the_shop_is_told_what_changed(visitor):
    mine, theirs = (visitor.get("/shelf/shop").form("/shelf/shop") for _ in range(2))
    assert visitor.send(theirs, height_m="40").status == 200
    page = visitor.send(mine, name="Saltmarsh")
    assert page.status == 409
    assert "Somebody changed this to “40” meanwhile" in page.text
    assert page.form("/shelf/shop").fields["name"] == "Saltmarsh"
    assert visitor.send(page.form("/shelf/shop"), height_m="40").status == 200
    assert visitor.get("/shelf/shop").form("/shelf/shop").fields["height_m"] == "40"


@pytest.mark.parametrize("seen", ["no json", "[]", '"x"'])
def test_a_form_that_does_not_say_what_it_saw_is_taken_as_it_is(visitor, seen):
    form = visitor.get("/shelf/shop").form("/shelf/shop")
    assert visitor.send(form, seen=seen, name="Salt").status == 200


def test_of_two_changes_at_once_one_is_refused_and_none_is_lost(demo):
    (job,) = [j for j in _jobs(demo) if j.vehicle.tag == "LT-7"]
    uid = next(v.circuit.uid for v in look_at_job(demo, job.uid).view.circuits)
    for n in range(ROUNDS):
        was, _ = look_at_circuit(demo, uid)
        results = at_once(
            lambda was=was, n=n: change_circuit(demo, replace(was, live_channel=f"A {n}"), was),
            lambda was=was, n=n: change_circuit(demo, replace(was, live_channel=f"B {n}"), was),
        )
        assert sum(isinstance(r, ChangedMeanwhileError) for r in results) == 1
        won = "AB"[results.index(None)]
        assert look_at_circuit(demo, uid)[0].live_channel == f"{won} {n}"


def test_of_two_changes_of_the_shop_at_once_one_is_refused(demo):
    for n in range(ROUNDS):
        # Never the height it has already: that is no change, and then neither is refused.
        was = look_at_shelf(demo).shop
        results = at_once(
            lambda was=was, n=n: change_shop(demo, replace(was, name=f"A {n}"), was),
            lambda was=was: change_shop(demo, replace(was, height_m=was.height_m + 1), was),
        )
        assert sum(isinstance(r, ChangedMeanwhileError) for r in results) == 1


def test_two_circuits_that_are_added_at_once_are_both_there(demo):
    (job,) = [j for j in _jobs(demo) if j.vehicle.tag == "LT-7"]
    model = look_at_job(demo, job.uid).view.circuits[0].circuit
    for n in range(ROUNDS):
        results = at_once(
            *(
                lambda n=n, who=who: add_circuit(demo, job.uid, replace(model, uid=uuid4(), name=f"{who} {n}"))
                for who in "AB"
            )
        )
        assert results == [None, None]
    names = [v.circuit.name for v in look_at_job(demo, job.uid).view.circuits]
    assert len([name for name in names if name[:2] in {"A ", "B "}]) == 2 * ROUNDS
    same = at_once(
        *(lambda: add_circuit(demo, job.uid, replace(model, uid=uuid4(), name="The same")) for _ in range(2))
    )
    assert sum(isinstance(r, EntryError) for r in same) == 1


def test_two_hand_overs_and_a_reading_at_once_end_without_an_error(demo):
    job = next(j for j in _jobs(demo) if j.vehicle.tag == "P-2" and j.handed_over_at is not None)
    circuit_uid = look_at_job(demo, job.uid).view.circuits[0].circuit.uid
    page = look_at_sheet(demo, job.uid)
    reviewer = first_foreman(demo).uid
    assert reviewer not in page.testers
    handed_over = 0
    for _ in range(ROUNDS):
        reopen(demo, job.uid)
        case = look_at_job(demo, job.uid).view.circuits[0].assessment.case
        test_point = next(iter(case.readings))
        new = NewReading(
            uid=uuid4(),
            test_point=str(test_point),
            typed=case.readings[test_point].typed,
            technician_uid=job.technician.uid,
            seen_uid=case.readings[test_point].uid,
        )
        at_once(
            lambda: hand_over(demo, job.uid, reviewer),
            lambda: hand_over(demo, job.uid, reviewer),
            lambda new=new: record_reading(demo, circuit_uid, new),
        )
        handed_over += look_at_job(demo, job.uid).view.job.handed_over_at is not None
    assert handed_over > 0, "they would have been refused for another reason"


def _jobs(database):
    with database.unit() as store:
        return store.jobs.jobs(store.shops.first().uid, is_open=None)
