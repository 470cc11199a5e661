"""The record of changes as CSV, one line each, as it is kept: `docs/formats/record.md`."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator

from irongauge.core.people.record import RecordLine

__all__ = ["COLUMNS", "write_record"]

COLUMNS = ("number", "at", "who", "what", "deed", "key", "job", "was", "became", "seal")
_FORMULA = {"=", "+", "-", "@"}


def write_record(lines: Iterable[RecordLine]) -> Iterator[str]:
    """The CSV text, a line at a time, with a heading."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(COLUMNS)
    for line in lines:
        yield text.getvalue()
        text.seek(0)
        text.truncate()
        writer.writerow([_safe(str(getattr(line, name))) for name in COLUMNS[:-1]] + [line.seal.hex()])
    yield text.getvalue()


def _safe(text: str) -> str:
    """A spreadsheet takes what begins like this for a formula."""
    return f"'{text}" if text[:1] in _FORMULA else text
