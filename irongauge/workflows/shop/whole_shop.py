"""A whole shop in open formats, so that nobody is locked in: JSON, CSV, Parquet and PDF files in one folder; and its jobs back.

A backup (`store/backup.py`) is what a shop is restored from; this is what another program can read.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

from irongauge.core.shop import Job
from irongauge.errors import BadFileError, SetupError
from irongauge.formats.circuit_parts import instrument_part, sensor_part
from irongauge.formats.job_json import read_job, write_job
from irongauge.formats.readings_csv import write_readings
from irongauge.store.database import Database
from irongauge.workflows.people.record import record_file
from irongauge.workflows.pulse.samples import whole
from irongauge.workflows.shop.transfer import export_job, import_job
from irongauge.workflows.shop.view import require_shop
from irongauge.workflows.trace.log_samples import in_unit, whole_times, whole_values

__all__ = ["Exported", "TakenIn", "export_shop", "import_jobs"]

_KINDS = {"image/jpeg": "jpg", "image/png": "png", "image/webp": "webp"}
_MOST = 1_000_000  # of anything that a shop has
_LARGEST_JOB = 64_000_000


@dataclass(frozen=True)
class Exported:
    """How many of each kind were written."""

    jobs: int
    sheets: int
    captures: int
    logs: int
    pictures: int


@dataclass(frozen=True)
class TakenIn:
    """Jobs that were taken in, and why others were not, by the name of their file."""

    jobs: int
    refused: tuple[tuple[str, str], ...]


def export_shop(database: Database, folder: Path) -> Exported:
    """Write everything that is kept of a shop into a new folder; `docs/formats/shop.md` says what stands where."""
    if folder.exists():
        raise SetupError(f"{folder} is there already. Name a folder that is not.")
    for part in ("jobs", "sheets", "captures", "logs", "pictures"):
        (folder / part).mkdir(parents=True)
    with database.unit() as store:
        shop = require_shop(store)
        jobs = store.jobs.jobs(shop.uid)
        vehicles = store.jobs.vehicles(shop.uid)
        told = {
            "name": shop.name,
            "height_m": shop.height_m,
            "timezone": shop.timezone,
            "units": shop.units,
            "limits": vars(shop.limits),
            "people": [
                {"uid": a.person.uid, "name": a.person.name, "role": a.person.role}
                for a in store.people.accounts(shop.uid)
            ],
            "vehicles": [vars(vehicle) for vehicle in vehicles],
            "sensor_types": [sensor_part(s).model_dump(mode="json") for s in store.shelf.sensor_types(shop.uid)],
            "instruments": [instrument_part(i).model_dump(mode="json") for i in store.shelf.instruments(shop.uid)],
        }
    _write_json(folder / "shop.json", told)
    record_file(database, folder / "record.csv")
    sheets = _write_jobs(database, folder, jobs)
    captures = _write_captures(database, folder / "captures", shop.uid)
    logs = _write_logs(database, folder / "logs")
    pictures = _write_pictures(database, folder / "pictures", [vehicle.uid for vehicle in vehicles])
    return Exported(len(jobs), sheets, captures, logs, pictures)


def _write_json(path: Path, told: object) -> None:
    path.write_text(json.dumps(told, indent=1, ensure_ascii=False, default=_as_text), encoding="utf-8")


def _as_text(value: object) -> str:
    return value.isoformat() if isinstance(value, datetime) else str(value)


def _file_name(job: Job) -> str:
    tag = "".join(c if c.isalnum() or c in "-_" else "_" for c in job.vehicle.tag)
    return f"{job.number}-{tag}"


def _write_jobs(database: Database, folder: Path, jobs: Iterable[Job]) -> int:
    """Each job as its file, all readings in one table, and the signed sheets."""
    sheets = 0
    with (folder / "readings.csv").open("w", encoding="utf-8", newline="") as table:
        for at, job in enumerate(jobs):
            record = export_job(database, job.uid)
            (folder / "jobs" / f"{_file_name(job)}.json").write_text(write_job(record), encoding="utf-8")
            rows = write_readings(record)
            table.write(rows if at == 0 else rows.split("\n", 1)[1])
            with database.unit() as store:
                for sheet in store.handovers.sheets(job.uid):
                    name = f"{_file_name(job)}-revision-{sheet.revision}.pdf"
                    (folder / "sheets" / name).write_bytes(store.handovers.pdf(job.uid, sheet.revision) or b"")
                    sheets += 1
    return sheets


def _write_captures(database: Database, folder: Path, shop_uid: UUID) -> int:
    """Each capture as two columns, seconds and volts; what is known of it stands in `captures.json`."""
    import polars as pl

    told: list[dict[str, Any]] = []
    with database.unit() as store:
        captures = store.pulses.captures(shop_uid, _MOST)
    for capture in captures:
        with database.unit() as store:
            time_s, signal_v = whole(store, capture)
        pl.DataFrame({"time_s": time_s, "signal_v": signal_v}).write_parquet(folder / f"{capture.uid}.parquet")
        told.append(
            {"uid": capture.uid, "name": capture.name, "circuit_uid": capture.circuit_uid, "taken_at": capture.taken_at}
        )
    _write_json(folder / "captures.json", told)
    return len(captures)


def _write_logs(database: Database, folder: Path) -> int:
    """Each channel of a log as two columns, seconds and the value in its fixed unit."""
    import polars as pl

    told: list[dict[str, Any]] = []
    with database.unit() as store:
        logs = store.traces.logs(None, _MOST)
    for log in logs:
        channels = []
        for channel in log.channels:
            with database.unit() as store:
                time_s = whole_times(store, log.uid, channel.times)
                value = in_unit(whole_values(store, log.uid, channel), channel)
            name = f"{log.uid}-{channel.place}.parquet"
            pl.DataFrame({"time_s": time_s[: len(value)], "value": value[: len(time_s)]}).write_parquet(folder / name)
            channels.append({"file": name, "name": channel.name, "unit": channel.unit, "sense": channel.sense})
        told.append(
            {
                "uid": log.uid,
                "name": log.name,
                "vehicle_uid": log.vehicle_uid,
                "started_at": log.started_at,
                "channels": channels,
            }
        )
    _write_json(folder / "logs.json", told)
    return len(logs)


def _write_pictures(database: Database, folder: Path, vehicles: Iterable[UUID]) -> int:
    told: list[dict[str, Any]] = []
    for vehicle_uid in vehicles:
        with database.unit() as store:
            pictures = store.vehicles.pictures(vehicle_uid)
        for picture in pictures:
            with database.unit() as store:
                content = store.vehicles.picture(picture.uid)[1]
            name = f"{picture.uid}.{_KINDS.get(picture.media_type, 'bin')}"
            (folder / name).write_bytes(content)
            told.append(
                {"file": name, "title": picture.title, "vehicle_uid": vehicle_uid, "added_at": picture.added_at}
            )
    _write_json(folder / "pictures.json", told)
    return len(told)


def import_jobs(database: Database, folder: Path) -> TakenIn:
    """Take in every job of such a folder, as each would be from its file; one that is here already is passed over and told."""
    files = sorted((folder / "jobs").glob("*.json") if (folder / "jobs").is_dir() else folder.glob("*.json"))
    if not files:
        raise BadFileError(
            str(folder), "There are no job files in it.", "Name a folder that ./iron export has written."
        )
    taken, refused = 0, []
    for path in files:
        try:
            if path.stat().st_size > _LARGEST_JOB:
                raise BadFileError(path.name, "It is larger than any job.", "Take it out of the folder.")
            import_job(database, read_job(path.name, path.read_bytes()), path.name)
        except BadFileError as error:
            refused.append((path.name, f"{error.problem} {error.would_do}"))
        else:
            taken += 1
    return TakenIn(taken, tuple(refused))
