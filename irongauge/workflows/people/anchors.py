"""How far the record went, written down outside the database by the server itself.

A record that was cut, or sealed anew, does not agree with it. `record-seen.jsonl` in the server's folder has a line for each
time: at each hand-over, every few minutes in which something was changed, and at each audit. A restored backup begins a new
stretch; what was seen before holds only as far as that backup goes. Who may write this file as well as the database can write
both anew.
"""

from __future__ import annotations

import json
import os
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from irongauge.core.people.record import Seal
from irongauge.store.database import Database
from irongauge.workflows.shop.view import now

__all__ = ["note_end", "note_restore", "note_seal", "seals_seen"]

_FILE, _RESTORED = "record-seen.jsonl", "restored"


@dataclass(frozen=True)
class _Seen:
    """An end of the record that was seen, when, and whether it was that of a backup which was restored then."""

    seal: Seal
    at: datetime
    restored: bool


def _lines(folder: Path) -> Iterator[_Seen]:
    """What was seen, the oldest first."""
    try:
        text = (folder / _FILE).read_text(encoding="utf-8")
    except OSError:
        return
    for line in text.splitlines():
        try:
            told = json.loads(line)
            seal = Seal(int(told["number"]), bytes.fromhex(told["seal"]))
            yield _Seen(seal, datetime.fromisoformat(told["at"]), bool(told.get(_RESTORED)))
        except (ValueError, KeyError, TypeError):
            continue  # half a line is what a machine that died leaves


def seals_seen(folder: Path, backups: Path | None = None) -> list[Seal]:
    """The seals that the record must agree with: of the stretch that goes on, and of plain backups that belong to it."""
    seen: list[_Seen] = []
    restored: _Seen | None = None
    for one in _lines(folder):
        if one.restored:
            restored = one
            seen = [before for before in seen if before.seal.number < one.seal.number]
        seen.append(one)
    made = [
        one.seal
        for one in _of_backups(backups)
        if restored is None or one.at > restored.at or one.seal.number <= restored.seal.number
    ]
    return [one.seal for one in seen] + made


def _of_backups(backups: Path | None) -> Iterator[_Seen]:
    for path in sorted(backups.glob("iron-gauge-*.zip")) if backups is not None and backups.is_dir() else ():
        try:
            with zipfile.ZipFile(path) as archive:
                told = json.loads(archive.read("manifest.json"))
            seal = Seal(int(told["record"]["number"]), bytes.fromhex(told["record"]["seal"]))
            yield _Seen(seal, datetime.fromisoformat(told["made_at"]), restored=False)
        except (OSError, zipfile.BadZipFile, ValueError, KeyError, TypeError):
            continue  # encrypted, or none of ours


def note_seal(folder: Path, seal: Seal, *, restored: bool = False) -> None:
    """Write down where the record ends, unless that is known already."""
    known = list(_lines(folder))
    if not restored and known and known[-1].seal.number >= seal.number:
        return
    told = {"number": seal.number, "seal": seal.seal.hex(), "at": now().isoformat()}
    folder.mkdir(parents=True, exist_ok=True)
    handle = os.open(folder / _FILE, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        file.write(json.dumps(told | ({_RESTORED: True} if restored else {})) + "\n")
        file.flush()
        os.fsync(file.fileno())


def note_end(database: Database, folder: Path) -> None:
    """Write down where the record ends now."""
    with database.unit() as store:
        seal = store.people.end_of_record()
    if seal is not None:
        note_seal(folder, seal)


def note_restore(folder: Path, seal: Seal) -> int:
    """Write down that a backup was restored whose record ends there; how many lines beyond it had been seen."""
    before = max((one.number for one in seals_seen(folder)), default=0)
    note_seal(folder, seal, restored=True)
    return max(0, before - seal.number)
