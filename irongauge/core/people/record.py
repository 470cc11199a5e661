"""The record of changes: one line for every row that was added, changed or removed, each sealed with the line before it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, field

__all__ = ["FIRST_SEAL", "Checked", "RecordLine", "Seal", "check_seals", "seal_of"]

FIRST_SEAL = bytes(32)
_BETWEEN = "\x1f"  # a character that no stored text has


@dataclass(frozen=True, kw_only=True)
class RecordLine:
    """A line as it is kept. `at` is in UTC to the microsecond; `who` tells who did it and from where, `was` and `became` the
    row's columns, as JSON text, empty where there is none; `job` is the identity of the job that it belongs to, or empty.
    """

    number: int
    at: str
    who: str
    what: str  # the table
    deed: str  # INSERT, UPDATE or DELETE
    key: str  # the row's identity
    job: str
    was: str
    became: str
    seal: bytes


@dataclass(frozen=True)
class Seal:
    """How far the record goes, and what it is sealed with there."""

    number: int
    seal: bytes


@dataclass
class Checked:
    """What came of checking the record."""

    lines: int = 0
    end: Seal = field(default_factory=lambda: Seal(0, FIRST_SEAL))
    problems: list[str] = field(default_factory=list)


def seal_of(before: bytes, line: RecordLine) -> bytes:
    """SHA-256 over the seal of the line before and all that this line says, in UTF-8 with U+001F between."""
    said = _BETWEEN.join(
        (str(line.number), line.at, line.who, line.what, line.deed, line.key, line.job, line.was, line.became)
    )
    return hashlib.sha256(before + said.encode()).digest()


def check_seals(lines: Iterable[RecordLine], known: Iterable[Seal] = (), most: int = 20) -> Checked:
    """Go through the whole record, the oldest line first, and say where it was changed, cut or lengthened.

    `known` are seals that were written down elsewhere, on a sheet or by an earlier check: a record that was cut at its end, or
    sealed anew from some line on, agrees with itself but not with them. At `most` so many problems are told.
    """
    checked = Checked()
    wanted = {seal.number: seal.seal for seal in known if seal.number}
    before = FIRST_SEAL
    for line in lines:
        if line.number != checked.end.number + 1:
            gap = f"line {checked.end.number + 1}"
            if line.number - checked.end.number > 2:  # noqa: PLR2004  more than one is missing
                gap = f"lines {checked.end.number + 1} to {line.number - 1}"
            checked.problems.append(f"{gap} missing, before {line.at}")
        elif seal_of(before, line) != line.seal:
            checked.problems.append(f"line {line.number} of {line.at} ({line.what}) is not as it was written")
        if line.number in wanted and wanted.pop(line.number) != line.seal:
            checked.problems.append(f"the record was written anew up to line {line.number} of {line.at}")
        before = line.seal
        checked.lines += 1
        checked.end = Seal(line.number, line.seal)
    checked.problems += [
        f"the record ends at line {checked.end.number}, but line {number} was there" for number in sorted(wanted)
    ]
    del checked.problems[most:]
    return checked
