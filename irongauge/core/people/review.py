"""Who tested a job, and who may review it: four eyes, said once for the page, the sheet and the act itself."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Protocol
from uuid import UUID

from irongauge.core.people.accounts import Person
from irongauge.core.people.roles import Deed, Role

__all__ = ["Measured", "may_review", "who_tested"]


class Measured(Protocol):
    """Anything that somebody measured: a reading, a calibration, a check of pulses."""

    @property
    def technician_uid(self) -> UUID:
        """Who measured it."""


def who_tested(entered: Iterable[UUID], measured: Iterable[Measured]) -> frozenset[UUID]:
    """Everybody who measured something of a job, and everybody who `entered` it, be it in somebody else's name."""
    return frozenset(entered) | {one.technician_uid for one in measured}


def may_review(person: Person, testers: Collection[UUID], *, foreman_alone: bool) -> bool:
    """True for somebody who is here, may hand over and did not test; with `foreman_alone` for a foreman who did."""
    if not person.may(Deed.HAND_OVER):
        return False
    return person.uid not in testers or (foreman_alone and person.role is Role.FOREMAN)
