"""`./iron measure logs`: recorded drives of another hand with known truth, through the reader and the judge that people use.

    python -m tools.log_practice FOLDER [--untold] [--half 0|1] [--show]

FOLDER holds one folder for each log: `truth.json` and the files, packed with xz. Told, each channel's meaning, unit and span are
those of the truth, as a shop would have told them once; untold, they are guessed from the heading.
"""

from __future__ import annotations

import argparse
import json
import lzma
import re
import tempfile
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from irongauge.core.measure.units import PressureBase
from irongauge.core.traces.channels import Channel, Log
from irongauge.core.traces.findings import FindingKind, LogFinding
from irongauge.core.traces.judging import judge_log
from irongauge.core.traces.record import ChannelMeaning
from irongauge.core.traces.rules import SHIPPED_RULES, apply_rules
from irongauge.core.traces.senses import Sense
from irongauge.errors import IronGaugeError
from irongauge.formats.log_csv import read_log_csv
from irongauge.formats.logs import RawLog
from irongauge.workflows.trace.log_channels import meant
from irongauge.workflows.trace.log_samples import in_unit
from tools.figures import Figure

__all__ = ["log_practice_figures"]

_NEAR_S = 2.5
_SENSE = {
    "rpm": Sense.ENGINE_SPEED, "speed": Sense.ROAD_SPEED, "gps_speed": Sense.ROAD_SPEED, "throttle": Sense.LOAD,
    "pedal": Sense.LOAD, "load": Sense.LOAD, "coolant_temp": Sense.COOLANT_TEMPERATURE, "oil_temp": Sense.OIL_TEMPERATURE,
    "intake_temp": Sense.AIR_TEMPERATURE, "oil_press": Sense.OIL_PRESSURE, "fuel_press": Sense.FUEL_PRESSURE,
    "coolant_press": Sense.COOLANT_PRESSURE, "boost": Sense.BOOST_PRESSURE, "map": Sense.BOOST_PRESSURE,
    "crankcase": Sense.CRANKCASE_PRESSURE, "baro": Sense.BAROMETER, "battery": Sense.BATTERY_VOLTS,
    "ref_a": Sense.REFERENCE_VOLTS, "ref_b": Sense.REFERENCE_VOLTS, "wheel_fl": Sense.ROAD_SPEED,
    "wheel_fr": Sense.ROAD_SPEED, "wheel_rl": Sense.ROAD_SPEED, "wheel_rr": Sense.ROAD_SPEED,
}  # fmt: skip
_ACCEPTED: dict[str, set[FindingKind]] = {
    "charging_low": {FindingKind.RULE},
    "clamped": {FindingKind.CLAMPED, FindingKind.PEGGED},
    "coarse_resolution": {FindingKind.COARSE},
    "crankcase_high": {FindingKind.RULE},
    "drift_temp": {FindingKind.DRIFT},
    "dropout_single": {FindingKind.DROPOUT},
    "dropout_repeated": {FindingKind.DROPOUT},
    "dropout_vibration": {FindingKind.DROPOUT},
    "dropout_shared": {FindingKind.SHARED},
    "dup_fixed": {FindingKind.STUCK, FindingKind.PEGGED, FindingKind.DISAGREES},
    "dup_lag": {FindingKind.LAG},
    "dup_offset": {FindingKind.DISAGREES},
    "dup_slope": {FindingKind.DISAGREES},
    "fuel_sag": {FindingKind.RULE},
    "head_lifted": {FindingKind.RULE},
    "keyon_implausible": {FindingKind.KEY_ON, FindingKind.OUTSIDE},
    "noise_alternator": {FindingKind.NOISE, FindingKind.RIPPLE},
    "noise_broadband": {FindingKind.NOISE},
    "noise_ignition": {FindingKind.NOISE},
    "oil_low_hot": {FindingKind.RULE},
    "oil_rough": {FindingKind.RULE, FindingKind.NOISE},
    "pegged": {FindingKind.PEGGED, FindingKind.CLAMPED, FindingKind.STUCK},
    "step_change": {FindingKind.STEP},
    "stuck": {FindingKind.STUCK},
    "time_base_offset": {FindingKind.CLOCKS},
    "time_base_rate": {FindingKind.CLOCKS},
    "swapped": {FindingKind.SWAPPED},
    "wheel_tooth": {FindingKind.TOOTH},
    "wrong_scaling": {FindingKind.SCALE, FindingKind.OUTSIDE, FindingKind.DISAGREES},
}
_ABSOLUTE = {"map", "baro"}


@dataclass
class Graded:
    """What was made of one log."""

    name: str
    truth: dict[str, Any]
    refused: str = ""
    misread: list[str] = field(default_factory=list)
    right: int = 0
    misplaced: int = 0
    misnamed: int = 0
    missed: list[str] = field(default_factory=list)
    false: list[LogFinding] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def is_healthy(self) -> bool:
        return not self.truth["findings"]


def _read(folder: Path, truth: dict[str, Any]) -> list[tuple[dict[str, Any], RawLog]]:
    found = []
    for told in truth["files"]:
        with tempfile.TemporaryDirectory() as beside:
            path = Path(beside) / told["file"]
            path.write_bytes(lzma.decompress((folder / f"{told['file']}.xz").read_bytes()))
            has_channels = any(c["file"] == told["file"] for c in truth["channels"])
            if has_channels:
                found.append((told, read_log_csv(told["file"], path)))
    return found


def _told_unit(channel: dict[str, Any]) -> str:
    unit = str(channel["unit"])
    return {"1/min": "rpm", "λ": "", "AFR": "", "g": "", "ms": "", "m/s²": "", "°": ""}.get(unit, unit)


def _channels(
    told: dict[str, Any], raw: RawLog, truth: dict[str, Any], *, is_told: bool, graded: Graded
) -> list[tuple[str, Channel]]:
    """Each channel with the identity that the truth gives it."""
    own = [c for c in truth["channels"] if c["file"] == told["file"]]
    if len(raw.channels) != len(own):
        graded.misread.append(f"{len(raw.channels)} channels of {len(own)}: {[c.name for c in raw.channels]}")
    rows = max(len(c.value) for c in raw.channels)
    if abs(rows - told["rows"]) > 0.01 * told["rows"]:
        graded.misread.append(f"{rows} rows of {told['rows']}")
    found = []
    left = list(raw.channels)
    for channel in sorted(own, key=lambda c: c["column"]):
        mine = next(
            (
                c
                for c in left
                if channel["heading"].startswith(re.sub(r" \(\d+\)$", "", c.name))
                or c.name.startswith(channel["heading"])
            ),
            None,
        )
        if mine is None:
            graded.misread.append(f"no channel for {channel['heading']!r}")
            continue
        left.remove(mine)
        meaning = None
        # What is wrong with a heading nobody has told either.
        is_mistaken = any(
            f["kind"] in {"swapped", "wrong_scaling"} and channel["id"] in f["channels"] for f in truth["findings"]
        )
        quantity = channel["quantity"]
        if is_told and not is_mistaken:
            meaning = ChannelMeaning(
                heading=mine.name,
                sense=_SENSE.get(quantity, Sense.OTHER) if channel["role"] != "raw_volts" else Sense.OTHER,
                unit=_told_unit(channel),
                base=PressureBase.ABSOLUTE if quantity in _ABSOLUTE else None,
            )
        kept = meant(mine, meaning, 0, 0)
        value = in_unit(mine.value, kept)
        span = tuple(channel["sensor_range"]) if is_told and channel["sensor_range"] and kept.quantity else None
        if span is not None and channel["role"] == "raw_volts":
            span = None
        found.append(
            (
                channel["id"],
                Channel(name=mine.name, unit=kept.unit, quantity=kept.quantity, sense=kept.sense, time_s=mine.time_s, value=value,
                        span=span, base=kept.base,
                        shares="" if not is_told or not channel["reference"] else f"the reference {channel['reference']}"),
            )
        )  # fmt: skip
    return found


def _grade(folder: Path, *, is_told: bool) -> Graded:
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))
    graded = Graded(folder.name, truth)
    begun = time.perf_counter()
    try:
        read = _read(folder, truth)
    except IronGaugeError as error:
        graded.refused = str(error)
        return graded
    found: list[LogFinding] = []
    ids: dict[str, set[str]] = {}
    for told, raw in read:
        channels = _channels(told, raw, truth, is_told=is_told, graded=graded)
        for identity, channel in channels:
            ids.setdefault(channel.name, set()).add(identity)
        log = Log(tuple(channel for _, channel in channels))
        found += [*judge_log(log), *apply_rules(log, SHIPPED_RULES)]
    graded.seconds = time.perf_counter() - begun
    _compare(graded, found, ids)
    return graded


def _compare(graded: Graded, found: list[LogFinding], ids: dict[str, set[str]]) -> None:
    of = {id(f): set().union(*(ids.get(name, set()) for name in (f.channel, *f.others))) for f in found}
    matched: set[int] = set()
    for true in graded.truth["findings"]:
        pair = true.get("pair") or []
        names = {*true["channels"], *([pair] if isinstance(pair, str) else pair)}
        on = [f for f in found if of[id(f)] & names]
        matched |= {id(f) for f in on}
        named = [f for f in on if f.kind in _ACCEPTED.get(true["kind"], set())]
        placed = [f for f in named if not f.at_s or _meets(f, true["intervals"])]
        graded.right += bool(placed)
        graded.misplaced += bool(named) and not placed
        graded.misnamed += bool(on) and not named
        if not on:
            graded.missed.append(f"{true['kind']} ({true['tier']})")
    graded.false = [f for f in found if id(f) not in matched]


def _meets(finding: LogFinding, intervals: list[list[float]]) -> bool:
    return any(a <= end + _NEAR_S and begin <= b + _NEAR_S for a, b in finding.at_s for begin, end in intervals)


def graded_logs(folder: Path, *, is_told: bool, half: int | None = None, only: str = "") -> list[Graded]:
    """Every log of the folder, or every second of them, or those of a name."""
    folders = sorted(path.parent for path in folder.glob("*/truth.json") if only in path.parent.name)
    chosen = [each for at, each in enumerate(folders) if half is None or at % 2 == half]
    with ProcessPoolExecutor() as pool:
        return list(pool.map(partial(_grade, is_told=is_told), chosen))


def log_practice_figures(folder: Path) -> list[Figure]:
    """What is found in those logs, told and untold."""
    figures = []
    for words, is_told in (("told", True), ("not told", False)):
        logs = graded_logs(folder, is_told=is_told)
        healthy, faulty = [g for g in logs if g.is_healthy], [g for g in logs if not g.is_healthy]
        true = sum(len(g.truth["findings"]) for g in faulty)
        figures += [
            Figure(f"{words}: false findings for each healthy log, of {len(healthy)}",
                   sum(len(g.false) for g in healthy) / len(healthy), "", "at most 0.05"),
            Figure(f"{words}: false findings for each faulty log, of {len(faulty)}",
                   sum(len(g.false) for g in faulty) / len(faulty), ""),
            Figure(f"{words}: rightly named and placed", 100 * sum(g.right for g in faulty) / true, "%", "at least 90"),
            Figure(f"{words}: under another name", 100 * sum(g.misnamed for g in faulty) / true, "%", "at most 3"),
            Figure(f"{words}: not read rightly", float(sum(bool(g.refused or g.misread) for g in logs)), "logs", "0"),
        ]  # fmt: skip
    return figures


def main() -> None:
    """One line for each log, with `--show` what was said wrongly of it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=Path)
    parser.add_argument("--untold", action="store_true")
    parser.add_argument("--half", type=int)
    parser.add_argument("--only", default="")
    parser.add_argument("--show", action="store_true")
    given = parser.parse_args()
    logs = graded_logs(given.folder, is_told=not given.untold, half=given.half, only=given.only)
    for one in logs:
        made = (
            one.refused
            or f"right {one.right}, elsewhere {one.misplaced}, other name {one.misnamed}, missed {one.missed}"
        )
        print(f"{one.name:24} {made}; false {len(one.false)}; {one.seconds:.1f} s {one.misread or ''}")
        for f in one.false if given.show else ():
            print(f"      {f.kind}: {f.sentence} {f.at_s[:2]}")
    healthy = [g for g in logs if g.is_healthy]
    print(Counter(str(f.kind) for g in logs for f in g.false))
    false = [len(g.false) for g in healthy]
    print(f"{sum(map(bool, false))} of {len(healthy)} healthy with a false finding, {sum(false)} in all")
    print({name: sum(getattr(g, name) for g in logs) for name in ("right", "misplaced", "misnamed")})
    print("missed", sum(len(g.missed) for g in logs), "misread", sum(bool(g.misread or g.refused) for g in logs))


if __name__ == "__main__":
    main()
