"""`./iron measure trace`: made logs with a known truth, trends over jobs, and a large log against a bare parse of it."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

import numpy as np

from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.normals import JobLevel, trend_of
from irongauge.core.traces.rules import SHIPPED_RULES, apply_rules
from irongauge.demo import load_demo
from irongauge.demo.shelf import uid_of
from irongauge.formats.log_csv import read_log_csv
from irongauge.formats.log_mdf import read_log_mdf
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from irongauge.workflows.trace.log_channels import meant
from irongauge.workflows.trace.log_samples import in_unit
from irongauge.workflows.trace.logs import NewLog, hand_in, look_at_log, read_waiting
from tools.figures import Figure
from tools.logging_drives import FAULTS, made_drive
from tools.other_machines import MACHINES, PUT, worked
from tools.serving import throwaway_cluster

__all__ = ["trace_figures"]

_FIRST = 10_000  # seeds apart from those that the thresholds were looked at with
_CHANNELS, _ROWS = 100, 1_000_000
_DIFFERENT = 13  # channels of a drive, that come again with a number


def trace_figures(number: int) -> list[Figure]:
    """`number` drives of each finding, five times as many that are well; one large log as CSV and as MDF 4."""
    return [*_found(number), *_other_machines(number), *_trends(5 * number), *_large()]


def _found(number: int) -> list[Figure]:
    figures = []
    every = 0
    for kind in FAULTS:
        right = 0
        for seed in range(_FIRST, _FIRST + number):
            made = made_drive(kind, seed)
            found = judge_log(made.log)
            right += any(f.kind is kind and {f.channel, *f.others} & set(made.channels) for f in found)
        every += right
        figures.append(Figure(f"{kind}: named rightly, of {number}", 100 * right / number, "%", "at least 98"))
    figures.append(Figure("all of them named rightly", 100 * every / number / len(FAULTS), "%", "at least 98"))
    clean = 5 * number
    faulty = sum(bool(judge_log(made_drive(None, seed).log)) for seed in range(_FIRST, _FIRST + clean))
    figures.append(Figure(f"well and called faulty, of {clean}", 100 * faulty / clean, "%", "at most 0.5"))
    return figures


def _other_machines(number: int) -> list[Figure]:
    """Work of machines that share nothing with those drives, with the health rules, as it is and with what sensors cover told."""
    figures = []
    for words, is_told in (("not told", False), ("told", True)):
        every = [worked(machine, _FIRST + seed, is_told=is_told).log for machine in MACHINES for seed in range(number)]
        false = sum(len(judge_log(log)) + len(apply_rules(log, SHIPPED_RULES)) for log in every)
        figures.append(
            Figure(
                f"false findings of a healthy machine's log, {words}, of {len(every)}",
                false / len(every),
                "",
                "at most 0.05",
            )
        )
        for kind in PUT:
            made = [
                worked(machine, _FIRST + seed, kind, is_told=is_told) for machine in MACHINES for seed in range(number)
            ]
            right = sum(any(f.kind is kind and f.channel == m.channel for f in judge_log(m.log)) for m in made)
            figures.append(Figure(f"  {kind} named rightly, {words}", 100 * right / len(made), "%"))
    return figures


def _levels(rng: np.random.Generator, shift: float, between: float) -> list[JobLevel]:
    """Five jobs, a month apart, with twelve readings each; `shift` standard deviations from the first to the last."""
    found = []
    for job in range(5):
        values = rng.normal(shift * job / 4 + rng.normal(0, between), 1, 12)
        median = float(np.median(values))
        found.append(JobLevel(30.0 * job, median, 1.4826 * float(np.median(np.abs(values - median))), 12))
    return found


def _trends(number: int) -> list[Figure]:
    rng = np.random.default_rng(1)

    def share(shift: float, between: float) -> float:
        trends = (trend_of(_levels(rng, shift, between)) for _ in range(number))
        return 100 * sum(trend is not None and trend.is_one for trend in trends) / number

    return [
        Figure(f"trend of 3 standard deviations over 5 jobs found, of {number}", share(3, 0), "%"),
        Figure(f"no trend and called one, of {number}", share(0, 0), "%", "at most 1"),
        Figure("  where jobs differ by themselves by half a reading's spread", share(0, 0.5), "%"),
    ]


# A large log


def _large() -> list[Figure]:
    figures = []
    with tempfile.TemporaryDirectory(prefix="irongauge-large-") as folder, throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        database.close()
        for name, make, bare in (("CSV", _as_csv, "csv"), ("MDF 4", _as_mdf, "mdf")):
            path = Path(folder) / ("large.csv" if bare == "csv" else "large.mf4")
            make(path)
            bare_s, _ = _apart("bare", bare, str(path), url)
            judged_s, peak_mb = _apart("judged", bare, str(path), url)
            kept_s, kept_mb = _apart("kept", bare, str(path), url)
            size_mb = path.stat().st_size / 1e6
            figures += [
                Figure(f"{name} of {_CHANNELS} channels, {_ROWS:,} rows, {size_mb:.0f} MB: bare read", bare_s, "s"),
                Figure("  read and judged, as a multiple of that", judged_s / bare_s, "×", "under 4"),
                Figure("  memory of the process, at most", peak_mb, "MB", "under 1200"),
                Figure("  handed in, kept in the database and judged", kept_s / bare_s, "×"),
                Figure("  memory of the process, at most", kept_mb, "MB"),
            ]
            path.unlink()
    return figures


def _columns() -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """Drives one after the other, until they are as long as is asked for."""
    rng = np.random.default_rng(3)
    made = made_drive(None, 5).log
    time_s = np.arange(_ROWS) * 0.01
    columns: dict[str, np.ndarray] = {}
    for at in range(_CHANNELS):
        turn, place = divmod(at, _DIFFERENT)
        channel = made.channels[place]
        name = f"{channel.name} {turn + 1}" if turn else channel.name
        columns[f"{name} ({channel.unit})"] = np.round(np.resize(channel.value, _ROWS) + rng.normal(0, 0.01, _ROWS), 3)
    return time_s, columns


def _as_csv(path: Path) -> None:
    import polars as pl

    time_s, columns = _columns()
    pl.DataFrame({"Time (s)": time_s, **columns}).write_csv(path, float_precision=3)


def _as_mdf(path: Path) -> None:
    from asammdf import MDF, Signal

    time_s, columns = _columns()
    with MDF(version="4.10") as mdf:
        mdf.append(
            [
                Signal(v.astype(np.float32), time_s, name=n.split(" (")[0], unit=n.split("(")[1][:-1])
                for n, v in columns.items()
            ]
        )
        mdf.save(path, overwrite=True)


def _apart(what: str, kind: str, path: str, url: str) -> tuple[float, float]:
    """Seconds and peak megabytes of it in a process of its own."""
    command = [sys.executable, "-m", "tools.tracing", what, kind, path, url]
    told = subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()
    return float(told[-2]), float(told[-1])


def _bare_csv(path: str, _url: str) -> None:
    import polars as pl

    pl.read_csv(path)


def _bare_mdf(path: str, _url: str) -> None:
    from asammdf import MDF

    with MDF(path) as mdf:
        mdf.select([(None, 0, at) for at in range(1, _CHANNELS + 1)])


def _judged(path: str, _url: str) -> None:
    """What the worker does between the file and its findings, the database left out."""
    file = Path(path)
    raw = read_log_csv(file.name, file) if file.suffix == ".csv" else read_log_mdf(file.name, file)
    channels = []
    for at, one in enumerate(raw.channels):
        own = meant(one, None, at, 0)
        channels.append(
            Channel(
                name=own.name,
                unit=own.unit,
                quantity=own.quantity,
                sense=own.sense,
                time_s=one.time_s,
                value=in_unit(one.value, own),
                base=own.base,
            )
        )
    assert len(channels) == _CHANNELS
    judge_log(Log(tuple(channels), 12.0, 101.3))


def _kept(path: str, url: str) -> None:
    database = Database(url)
    uid = uuid4()
    with Path(path).open("rb") as file:
        hand_in(database, NewLog(uid=uid, name=Path(path).name, vehicle_uid=uid_of("P-2")), file)
    read_waiting(database, uid)
    log = look_at_log(database, uid).log
    assert len(log.channels) == _CHANNELS, log.doing
    database.close()


def main(arguments: list[str]) -> None:
    what, kind, path, url = arguments
    bare: dict[str, Callable[[str, str], None]] = {"csv": _bare_csv, "mdf": _bare_mdf}
    began = time.perf_counter()
    ours = {"judged": _judged, "kept": _kept}
    (ours.get(what) or bare[kind])(path, url)
    print(time.perf_counter() - began, _peak_mb())


def _peak_mb() -> float:
    """What this program held at most; `getrusage` would tell what the one that started it did, where that was more."""
    status = Path("/proc/self/status").read_text(encoding="ascii")
    return int(status.split("VmHWM:")[1].split()[0]) * 1024 / 1e6


if __name__ == "__main__":
    main(sys.argv[1:])
