"""Forms of People. What is secret is read from the post itself and never shown again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from irongauge.core.people.roles import Role, Scope
from irongauge.web.forms import Day, FormState, OptionalUid, PostedForm, choice, text

__all__ = ["SECRET", "LinkForm", "PersonForm", "ProgramForm", "RoleForm", "TakeOverForm", "without_secrets"]

SECRET = frozenset({"password", "password_now", "repeated", "old", "pin"})


class PersonForm(PostedForm):
    """Somebody who is new."""

    name: Annotated[str, text(80, what="the person's name")]
    role: Annotated[str, choice(*Role)] = Role.TECHNICIAN


class RoleForm(PostedForm):
    """What somebody may do from now on."""

    role: Annotated[str, choice(*Role)]
    has_left: Annotated[str, choice("", "yes")] = ""


class ProgramForm(PostedForm):
    """A program that gets a token."""

    program: Annotated[str, text(80, what="the program's name")]
    scope: Annotated[str, choice(*Scope)] = Scope.LOOK
    ends_on: Day


class LinkForm(PostedForm):
    """A link for a customer."""

    for_whom: Annotated[str, text(80, what="whom the link is for")]
    ends_on: Day


class TakeOverForm(PostedForm):
    """Who takes over the work of somebody who leaves."""

    person_uid: OptionalUid = None


def without_secrets(values: Mapping[str, str], errors: Mapping[str, str] | None = None) -> FormState:
    """The form again without what nobody should read over a shoulder."""
    return FormState({name: value for name, value in values.items() if name not in SECRET}, errors or {})
