import pytest

from irongauge.core.people.roles import DEEDS_OF_ROLE, Deed, Role, Scope, may

# Who may do what, as the shop was promised it: apprentice, technician, foreman.
PROMISED = {
    Deed.OWN: (True, True, True),
    Deed.LOOK: (True, True, True),
    Deed.MEASURE: (True, True, True),
    Deed.ARRANGE: (False, True, True),
    Deed.SIGN: (False, True, True),
    Deed.HAND_OVER: (False, False, True),
    Deed.FOR_OTHERS: (False, False, True),
    Deed.RUN: (False, False, True),
}


@pytest.mark.parametrize("deed", Deed)
def test_each_role_may_do_what_was_promised(deed):
    assert tuple(may(role, deed) for role in (Role.APPRENTICE, Role.TECHNICIAN, Role.FOREMAN)) == PROMISED[deed]


def test_a_program_never_decides_for_its_person():
    for scope in Scope:
        assert not any(may(Role.FOREMAN, deed, scope) for deed in (Deed.SIGN, Deed.HAND_OVER, Deed.RUN, Deed.OWN))


def test_a_program_may_not_do_what_its_person_may_not():
    for role in Role:
        for scope in Scope:
            allowed = {deed for deed in Deed if may(role, deed, scope)}
            assert allowed <= DEEDS_OF_ROLE[role]
    assert not may(Role.APPRENTICE, Deed.ARRANGE, Scope.ARRANGE)
