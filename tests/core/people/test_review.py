"""Four eyes: who tested, and who may review it."""

from dataclasses import dataclass
from uuid import UUID, uuid4

import pytest

from irongauge.core.people.accounts import Person
from irongauge.core.people.review import may_review, who_tested
from irongauge.core.people.roles import Role

NELL, BRAM, OTTOLINE = uuid4(), uuid4(), uuid4()


@dataclass(frozen=True)
class Reading:
    technician_uid: UUID


# Role, has left, tested it, the shop lets a foreman review alone: may that person review?
REVIEWS = [
    (Role.FOREMAN, False, False, False, True),
    (Role.FOREMAN, False, True, False, False),
    (Role.FOREMAN, False, True, True, True),
    (Role.FOREMAN, True, False, True, False),
    (Role.FOREMAN, True, True, True, False),
    (Role.TECHNICIAN, False, False, False, False),
    (Role.TECHNICIAN, False, False, True, False),
    (Role.TECHNICIAN, False, True, True, False),
    (Role.APPRENTICE, False, False, True, False),
]


@pytest.mark.parametrize(("role", "has_left", "tested", "alone", "may"), REVIEWS)
def test_who_tested_does_not_review(role, has_left, tested, alone, may):
    person = Person(uid=OTTOLINE, name="Ottoline", role=role, has_left=has_left)
    testers = {OTTOLINE, BRAM} if tested else {BRAM}
    assert may_review(person, testers, foreman_alone=alone) is may


def test_who_measured_and_who_entered_it_for_somebody_else_both_tested():
    assert who_tested({NELL}, [Reading(BRAM), Reading(BRAM)]) == {NELL, BRAM}
    assert who_tested((), ()) == frozenset()
