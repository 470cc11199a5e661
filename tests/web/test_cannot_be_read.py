"""A reading that nobody can take is said with one key: it is not asked for again, and stands on the Bench and the sheet."""

import pytest

from tests.web.test_pages import bench, record


def say(visitor, uid, point, hindrance):
    form = visitor.get(bench(uid, point)).form("/readings")
    form.action = f"/circuits/{uid}/cannot-be-read"
    return visitor.send(form, hindrance=hindrance)


def kept(visitor, uid):
    return visitor.client.get(f"/api/v1/circuits/{uid}").json()["unreadable"]


def test_it_is_kept_not_asked_for_again_and_taken_back(visitor, brake):
    assert "Cannot be read here" in visitor.get(bench(brake, "mated_v:B")).text
    page = say(visitor, brake, "mated_v:B", "no probe reaches the pin")
    assert page.status == 200
    assert "Not asked for again: no probe reaches the pin." in page.text
    assert kept(visitor, brake) == [{"test_point": "mated_v:B", "hindrance": "no probe reaches the pin"}]
    assert "mated_v:B" not in page.form("/readings").fields["test_point"]
    page = visitor.send(page.form("/can-be-read"))
    assert page.status == 200
    assert kept(visitor, brake) == []


def test_saying_it_again_otherwise_keeps_the_last_word(visitor, brake):
    say(visitor, brake, "mated_v:B", "no probe reaches the pin")
    say(visitor, brake, "mated_v:B", "something is in the way")
    assert [one["hindrance"] for one in kept(visitor, brake)] == ["something is in the way"]


@pytest.mark.parametrize(
    ("point", "hindrance"),
    [("mated_v:Z", "no tool for it"), ("mated_v:C:9", "no tool for it"), ("nonsense", "no tool for it"),
     ("mated_v:B", ""), ("mated_v:B", "too lazy"), ("live_v::0", "no probe reaches the pin")],
)  # fmt: skip
def test_what_the_circuit_does_not_have_is_not_kept(visitor, brake, point, hindrance):
    form = visitor.get(bench(brake, "mated_v:B")).form("/readings")
    form.action = f"/circuits/{brake}/cannot-be-read"
    assert visitor.send(form, test_point=point, hindrance=hindrance).status == 404
    assert kept(visitor, brake) == []


def test_who_reads_it_after_all_is_heard(visitor, brake):
    say(visitor, brake, "mated_v:B", "no probe reaches the pin")
    page = record(visitor, brake, "mated_v:B", value="12mV")
    assert page.status == 200
    assert len(visitor.client.get(f"/api/v1/circuits/{brake}/readings").json()) == 1
