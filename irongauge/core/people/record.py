"""The record of changes: one line for every row that was added, changed or removed, each sealed with the line before it."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

__all__ = ["FIRST_SEAL", "Checked", "Ledger", "RecordLine", "Seal", "check_seals", "seal_of"]

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


_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT[\d:.]+[+-]\d\d:\d\d")


class Ledger:
    """What every recorded table holds by the record alone, to be held against what it holds.

    `keys` are the columns by which a row of each table is known. A record that does not begin with its shop was begun later: then
    rows of which no line tells were there before it.
    """

    def __init__(self, keys: Mapping[str, tuple[str, ...]]) -> None:
        self._keys = keys
        self._rows: dict[str, dict[tuple[str, ...], str]] = {table: {} for table in keys}
        self._is_whole = False

    def follow(self, lines: Iterable[RecordLine]) -> Iterator[RecordLine]:
        """The lines, each taken in as it goes by."""
        for line in lines:
            self._take(line)
            yield line

    def _take(self, line: RecordLine) -> None:
        self._is_whole = self._is_whole or (line.what == "shop" and line.deed == "INSERT")
        if line.what not in self._keys:
            return
        rows = self._rows[line.what]
        try:
            if line.was:
                rows.pop(self._key(line.what, json.loads(line.was)), None)
            if line.became:
                rows[self._key(line.what, json.loads(line.became))] = line.became
        except (ValueError, AttributeError):
            return  # a line that was tampered with, which its seal tells

    def _key(self, table: str, row: Mapping[str, Any]) -> tuple[str, ...]:
        return tuple(str(row.get(column)) for column in self._keys[table])

    def differences(self, table: str, rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
        """What is otherwise in a table than its lines say: rows changed, gone or added past the record."""
        told = dict(self._rows[table])
        for row in rows:
            key = self._key(table, row)
            said = told.pop(key, None)
            if said is None:
                if self._is_whole:
                    yield f"{table} {'/'.join(key)} stands in no line of the record"
                continue
            was = json.loads(said)
            changed = sorted(name for name, value in row.items() if name in was and not _same(value, was[name]))
            if changed:
                yield f"{table} {'/'.join(key)} was changed past the record: {', '.join(changed)}"
        yield from (f"{table} {'/'.join(key)} is gone, and no line says so" for key in told)


def _same(one: object, other: object) -> bool:
    """Equal, also where a moment is written in another time zone."""
    if one == other:
        return True
    if isinstance(one, str) and isinstance(other, str) and _MOMENT.fullmatch(one) and _MOMENT.fullmatch(other):
        return datetime.fromisoformat(one) == datetime.fromisoformat(other)
    return False
