"""`./iron audit`: the whole record is checked line by line, against itself and against what was seen of it before.

Every signed sheet is held against its digest, and says how far the record went when it was signed.
"""

from __future__ import annotations

import json
from pathlib import Path

from irongauge.core.people.record import Seal
from irongauge.settings import Settings
from irongauge.store.database import Database
from irongauge.workflows.people.record import check_record
from irongauge.workflows.shop.handovers import check_sheets

__all__ = ["audit"]


def audit(database: Database, settings: Settings) -> bool:
    """Print what was checked and what is wrong; true where nothing is.

    How far the record went, and its seal there, is kept beside the database: a record that is cut or written anew later does not
    agree with it.
    """
    path = settings.local_dir / "record-seen.json"
    known = _seen(path)
    sheets, problems = check_sheets(database)
    known += [sheet.seal for sheet in sheets]
    checked = check_record(database, known)
    checked.problems += problems
    if not checked.problems:
        last = checked.end.seal.hex()[:16]
        print(f"The record holds: {checked.lines} lines, the last sealed {last}; {len(sheets)} signed sheets.")
        path.write_text(json.dumps({"number": checked.end.number, "seal": checked.end.seal.hex()}), encoding="utf-8")
        return True
    print(f"The record of {checked.lines} lines does not hold:")
    for problem in checked.problems:
        print(f"  {problem}")
    print("Keep this machine as it is, and compare with the newest backup.")
    return False


def _seen(path: Path) -> list[Seal]:
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        return [Seal(int(told["number"]), bytes.fromhex(told["seal"]))]
    except (OSError, ValueError, KeyError, TypeError):
        return []
