"""Trouble codes of a job: what was there, what was cleared, and whether it came back after the vehicle had been driven.

A code that is gone after clearing proves nothing yet: a controller sets it again only once its check has run. So a code counts as
not back when, since clearing, the controller counted a warm-up (J1979 parameter 30: from cold to 70 °C) or some distance (31).
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from uuid import UUID

__all__ = ["CodeReading", "CodeStory", "CodesWhen", "codes_from_text", "story_of"]

WARM_UPS, DISTANCE_KM = "Warm-ups since clearing", "Distance since clearing"
_CODE = re.compile(r"[PCBU][0-3][0-9A-F]{3}")
_LEAST_KM = 2.0  # a drive out of the yard


class CodesWhen(StrEnum):
    """Why the codes were read."""

    READ = "read"
    BEFORE_CLEARING = "before clearing"
    AFTER_CLEARING = "just after clearing"


@dataclass(frozen=True, kw_only=True)
class CodeReading:
    """Codes as they were at a moment. `permanent` ones stay until the controller itself has seen the part right; `not_told` names
    what it would not tell. `frozen_code` is what the freeze frame belongs to, `frozen` and `values` say by name what
    stood in it and what was so when it was read. `source` says where it came from.
    """

    uid: UUID
    job_uid: UUID
    taken_at: datetime
    technician_uid: UUID | None
    source: str
    when: CodesWhen = CodesWhen.READ
    stored: tuple[str, ...] = ()
    pending: tuple[str, ...] = ()
    permanent: tuple[str, ...] = ()
    not_told: tuple[str, ...] = ()
    frozen_code: str = ""
    frozen: Mapping[str, float] = field(default_factory=dict)
    values: Mapping[str, float] = field(default_factory=dict)

    @property
    def was_driven(self) -> bool:
        """True where the controller itself counted a drive since it was cleared."""
        return self.values.get(WARM_UPS, 0) >= 1 or self.values.get(DISTANCE_KM, 0) >= _LEAST_KM

    @property
    def text(self) -> str:
        """Its codes in a few words."""
        parts = [", ".join(self.stored) + " stored" if self.stored else "nothing stored"]
        parts += [", ".join(self.pending) + " pending"] if self.pending else []
        parts += [", ".join(self.permanent) + " permanent"] if self.permanent else []
        parts += [f"not told: {', '.join(self.not_told)}"] if self.not_told else []
        return "; ".join(parts)


@dataclass(frozen=True)
class CodeStory:
    """What became of one code: its last state as a sentence's end, and whether that is settled."""

    code: str
    state: str
    is_settled: bool


def codes_from_text(typed: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Codes out of what was typed, and the words that are none.

    >>> codes_from_text("p0522, P0118 x9")
    (('P0522', 'P0118'), ('x9',))
    """
    words = [word for word in re.split(r"[\s,;/]+", typed.strip()) if word]
    good = tuple(dict.fromkeys(word.upper() for word in words if _CODE.fullmatch(word.upper())))
    return good, tuple(word for word in words if not _CODE.fullmatch(word.upper()))


def story_of(readings: Sequence[CodeReading]) -> tuple[CodeStory, ...]:
    """What became of every code of a job, from its readings, the oldest first."""
    codes = dict.fromkeys(c for r in readings for c in (*r.stored, *r.pending, *r.permanent))
    return tuple(_story(code, readings) for code in codes)


def _story(code: str, readings: Sequence[CodeReading]) -> CodeStory:
    last = readings[-1]
    cleared = [at for at, r in enumerate(readings) if r.when is CodesWhen.AFTER_CLEARING]
    if code in last.stored or code in last.pending:
        kind = "stored" if code in last.stored else "pending"
        is_back = any(code not in readings[at].stored for at in cleared)
        return CodeStory(code, f"is {'back, and ' if is_back else ''}{kind}", is_settled=False)
    if code in last.permanent:
        state = "is kept as permanent until the controller has found its part right on a drive"
        return CodeStory(code, state, is_settled=False)
    return _story_of_gone(code, readings, cleared)


def _story_of_gone(code: str, readings: Sequence[CodeReading], cleared: Sequence[int]) -> CodeStory:
    """Of a code that the last reading does not have."""
    seen_at = max((at for at, r in enumerate(readings) if code in r.stored or code in r.pending), default=-1)
    if seen_at < 0:
        return CodeStory(code, "was kept as permanent, and the controller has let it go by itself", is_settled=True)
    since = next((at for at in cleared if at > seen_at), None)
    if since is None:
        return CodeStory(code, "went without being cleared, so it may come again", is_settled=False)
    driven = next((r for r in readings[since + 1 :] if r.was_driven), None)
    if driven is None:
        return CodeStory(code, "was cleared, and the vehicle has not been driven since", is_settled=False)
    warm_ups = int(driven.values.get(WARM_UPS, 0))
    after = f"{warm_ups} warm-up{'s' if warm_ups > 1 else ''}" if warm_ups else f"{driven.values[DISTANCE_KM]:.0f} km"
    return CodeStory(code, f"was cleared and did not come back after {after}", is_settled=True)
