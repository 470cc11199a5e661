"""One verdict for every page, file and program: the diagnosis's, kept with a digest of all that it follows from.

What the marks alone decide needs no diagnosis. Else the kept verdict holds while its digest is that of the circuit as it
stands; when a reading, the card, a limit or the rules themselves have changed it is concluded again and kept. So the Floor
says what the Bench says, and stays quick.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from pathlib import Path
from uuid import UUID

import structlog
from sqlalchemy.exc import SQLAlchemyError

import irongauge.core
from irongauge.core.bench.assessment import Assessment, Verdict, VerdictLevel, needs_diagnosis
from irongauge.store.database import Database
from irongauge.workflows.bench.judging import NOT_JUDGED, CircuitFacts, concluded, marked

__all__ = ["KeptVerdicts", "TimeLeft", "keep_verdict", "with_diagnosis", "with_verdict"]

KeptVerdicts = Mapping[UUID, tuple[str, Verdict]]

log = structlog.get_logger()

_LATER = Verdict(
    VerdictLevel.OPEN,
    "Not judged again yet",
    "Something that the verdict follows from has changed since. It is judged at the next look, or when it is opened.",
)


class TimeLeft:
    """How long a page may still conclude for; endless unless seconds are given. One circuit is always concluded."""

    def __init__(self, seconds: float | None = None) -> None:
        self._until = None if seconds is None else time.monotonic() + seconds
        self._used = False

    def take(self) -> bool:
        """True while another circuit may be concluded."""
        may = self._until is None or not self._used or time.monotonic() < self._until
        self._used = True
        return may


@cache
def _rules() -> bytes:
    """A digest of the core's own files: a verdict of other rules is not this one's."""
    digest = hashlib.sha256()
    for path in sorted(Path(irongauge.core.__file__).parent.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.digest()


def _digest(facts: CircuitFacts, marks: Assessment) -> str:
    """A digest of rules and facts; that of the facts is kept with their marks, since the Floor asks for many at every look."""
    of_facts: bytes | None = marks.case.__dict__.get("facts_digest")
    if of_facts is None:
        of_facts = marks.case.__dict__["facts_digest"] = hashlib.sha256(repr(facts).encode()).digest()
    return hashlib.sha256(_rules() + of_facts).hexdigest()


def with_verdict(
    database: Database, facts: CircuitFacts, kept: tuple[str, Verdict] | None, left: TimeLeft
) -> Assessment:
    """The judged readings with the verdict of the whole diagnosis, without the diagnosis itself."""
    marks = marked(facts)
    if marks.verdict.headline == NOT_JUDGED or not needs_diagnosis(marks):
        return marks
    digest = _digest(facts, marks)
    if kept is not None and kept[0] == digest:
        return replace(marks, verdict=kept[1])
    if not left.take():
        return marks if marks.verdict.level.is_done else replace(marks, verdict=_LATER)
    told = concluded(facts)
    keep_verdict(database, facts, told, digest)
    return replace(marks, verdict=told.verdict)


def with_diagnosis(database: Database, facts: CircuitFacts, kept: tuple[str, Verdict] | None) -> Assessment:
    """The judged readings with the diagnosis, whose verdict is kept."""
    told, marks = concluded(facts), marked(facts)
    if needs_diagnosis(marks):
        digest = _digest(facts, marks)
        if kept is None or kept[0] != digest:
            keep_verdict(database, facts, told, digest)
    return told


def keep_verdict(database: Database, facts: CircuitFacts, told: Assessment, digest: str) -> None:
    """Keep what was concluded; that it cannot be kept is no reason not to say it."""
    if told.verdict.headline == NOT_JUDGED:
        return
    try:
        with database.unit() as store:
            store.verdicts.keep(facts.circuit.uid, digest, told.verdict)
    except SQLAlchemyError as error:
        log.warning("verdict not kept", circuit=str(facts.circuit.uid), why=type(error).__name__)
