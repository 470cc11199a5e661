"""The one table that says who may do what."""

from __future__ import annotations

from enum import StrEnum

__all__ = ["DEEDS_OF_ROLE", "DEEDS_OF_SCOPE", "Deed", "Role", "Scope", "may"]


class Role(StrEnum):
    """What somebody is in the shop."""

    APPRENTICE = "apprentice"
    TECHNICIAN = "technician"
    FOREMAN = "foreman"


class Deed(StrEnum):
    """What can be done, as far as it matters who does it."""

    OWN = "change what is one's own: password, number, devices"
    LOOK = "look at the shop, and let it calculate"
    MEASURE = "record what was measured, logged, captured or done"
    ARRANGE = "bring in vehicles and jobs, change circuits, wiring, plans and the Shelf"
    SIGN = "sign a calibration"
    HAND_OVER = "review a job, hand it over, send it back, open it again"
    FOR_OTHERS = "enter what somebody else measured, in that person's name"
    RUN = "change the shop's settings and its people, and read the record"


class Scope(StrEnum):
    """What a program may do with the token of the person who gave it one."""

    LOOK = "look"
    MEASURE = "measure"
    ARRANGE = "arrange"


_EVERYBODY = frozenset({Deed.OWN, Deed.LOOK, Deed.MEASURE})

DEEDS_OF_ROLE = {
    Role.APPRENTICE: _EVERYBODY,
    Role.TECHNICIAN: _EVERYBODY | {Deed.ARRANGE, Deed.SIGN},
    Role.FOREMAN: frozenset(Deed),
}

# No program signs, hands over or changes people: those are decisions of a person who looks at a page.
DEEDS_OF_SCOPE = {
    Scope.LOOK: frozenset({Deed.LOOK}),
    Scope.MEASURE: frozenset({Deed.LOOK, Deed.MEASURE}),
    Scope.ARRANGE: frozenset({Deed.LOOK, Deed.MEASURE, Deed.ARRANGE, Deed.FOR_OTHERS}),
}


def may(role: Role, deed: Deed, scope: Scope | None = None) -> bool:
    """True where somebody of that role may do it; by a program, where its token's scope has it as well."""
    return deed in DEEDS_OF_ROLE[role] and (scope is None or deed in DEEDS_OF_SCOPE[scope])
