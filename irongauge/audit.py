"""`./iron audit`: the whole record is checked line by line, against itself and against what was seen of it before.

Every signed sheet is held against its digest, and says how far the record went when it was signed.
"""

from __future__ import annotations

from irongauge.settings import Settings
from irongauge.store.database import Database
from irongauge.workflows.people.anchors import note_seal, seals_seen
from irongauge.workflows.people.record import check_record
from irongauge.workflows.shop.backups import backup_folder
from irongauge.workflows.shop.handovers import check_sheets

__all__ = ["audit"]


def audit(database: Database, settings: Settings) -> bool:
    """Print what was checked and what is wrong; true where nothing is.

    How far the record went, and its seal there, is kept beside the database (`anchors`): a record that is cut or sealed anew
    does not agree with it. What each table holds is held against its lines: what was changed past the record is found too.
    """
    known = seals_seen(settings.local_dir, backup_folder(settings))
    sheets, problems = check_sheets(database)
    known += [sheet.seal for sheet in sheets]
    checked = check_record(database, known)
    checked.problems += problems
    if not checked.problems:
        last = checked.end.seal.hex()[:16]
        print(f"The record holds: {checked.lines} lines, the last sealed {last}; {len(sheets)} signed sheets.")
        note_seal(settings.local_dir, checked.end)
        return True
    print(f"The record of {checked.lines} lines does not hold:")
    for problem in checked.problems:
        print(f"  {problem}")
    print("Keep this machine as it is, and compare with the newest backup.")
    return False
