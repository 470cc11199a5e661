"""`./iron measure pulse`: simulated captures with a known truth, and how a large file compares with a bare parse of it.

The captures are drawn wide: 12 to 80 teeth, square outputs and coils, sweeping speeds, noise, jitter, offsets, few samples a
tooth.
"""

from __future__ import annotations

import http
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from enum import StrEnum
from pathlib import Path

import httpx
import numpy as np
import polars as pl

from irongauge.core.measure.quantities import Mark
from irongauge.core.pulses.examination import Examination, examine
from irongauge.core.pulses.principle import Looks, Principle, find_principle
from irongauge.demo import load_demo
from irongauge.formats.waveform_csv import read_waveform
from irongauge.instruments.waveforms import Pickup, Ring, capture
from irongauge.store.database import Database
from irongauge.store.migrate import migrate
from tools.field_waves import KINDS, FieldWave, draw_wave
from tools.figures import Figure, p95
from tools.serving import serving, throwaway_cluster

__all__ = ["Outcome", "outcome_of", "pulse_figures"]

# What is hidden in a capture, and how much of it is to be named rightly, in %.
_KINDS = {
    "clean": "100",
    "uneven tooth": "at least 99",
    "run-out": "at least 99",
    "missing tooth": "at least 99",
    "unequal joints": "at least 99",
    "low level too high": "at least 99",
    "high level too low": "at least 99",
    "noise pick-up": "at least 99",
    "extra pulses": "at least 99",
    "pulses drop out": "at least 99",
    "flat tops": "at least 99",
    "signal lost below a speed": "at least 99",
}
_SWITCHING_ONLY = {"low level too high", "high level too low"}
_LARGE = 5_000_000
_FREQUENCY_OFF = 0.01  # of the truth: a speed display may be 1 % off


def pulse_figures(cases: int = 200, clean: int = 1000) -> list[Figure]:
    """Everything about pulses that is promised in numbers: `cases` of every kind, and so many clean ones."""
    return [*_field_waves(), *_captures(cases, clean), *_principles(cases * 10), *_large_file()]


class Outcome(StrEnum):
    """What an examination is worth, held against what was hidden."""

    RIGHT = "right"
    HONEST = "cannot tell"
    WRONG = "sure and wrong"


def outcome_of(wave: FieldWave, found: Examination) -> Outcome:
    """Sure and wrong is a failing finding that is none, teeth that are not there, a frequency 1 % off, or a fault that passes."""
    named = {finding.what for finding in found.findings}
    failed = {finding.what for finding in found.findings if finding.mark is Mark.FAIL}
    teeth_off = wave.teeth is not None and found.ring is not None and found.ring.teeth != wave.teeth
    off = 0.0 if wave.hertz is None or found.frequency_hz is None else abs(found.frequency_hz / wave.hertz - 1)
    if failed - wave.right or teeth_off or off > _FREQUENCY_OFF or (wave.right and not named):
        return Outcome.WRONG
    return Outcome.RIGHT if (named & wave.right if wave.right else not named) else Outcome.HONEST


def _field_waves(of_each: int = 12, first: int = 8000) -> list[Figure]:
    """Waveforms from the physics of the part, which is none of the simulated pickup's; so many of each kind."""
    seen: Counter[Outcome] = Counter()
    for kind in KINDS:
        for seed in range(first, first + of_each):
            wave = draw_wave(kind, seed)
            seen[outcome_of(wave, examine(wave.time_s, wave.signal_v, **wave.told))] += 1
    total = seen.total()
    return [
        Figure(
            f"right, of {total} waveforms of {len(KINDS)} kinds from the physics",
            100 * seen[Outcome.RIGHT] / total,
            "%",
            "at least 95",
        ),
        Figure("  sure and wrong", 100 * seen[Outcome.WRONG] / total, "%", "0"),
        Figure("  cannot tell, and says why", 100 * seen[Outcome.HONEST] / total, "%", "the rest"),
    ]


def _captures(cases: int, clean: int) -> list[Figure]:
    seen: Counter[str] = Counter()
    errors: dict[str, list[float]] = {"frequency": [0.0], "duty": [0.0], "run-out": [0.0]}
    for at, kind in enumerate(_KINDS):
        for seed in range(clean if kind == "clean" else cases):
            ring, pickup, turn_hz, found = _drawn(np.random.default_rng(100_000 * at + seed), kind, seed)
            seen[kind] += 1
            seen[f"{kind} right"] += _right(kind, ring, found)
            if kind == "clean" and found.frequency_hz is not None:
                errors["frequency"].append(abs(found.frequency_hz / (ring.teeth * turn_hz) - 1) * 100)
                if pickup.coil_v_per_hz is None and found.duty_pct is not None:
                    errors["duty"].append(abs(found.duty_pct - 100 * pickup.duty))
            if kind == "run-out" and found.ring is not None:
                errors["run-out"].append(abs(found.ring.run_out_pct / ring.run_out_pct - 1) * 100)
    return [
        Figure("frequency, greatest error", max(errors["frequency"]), "%", "within 0.05"),
        Figure("duty, greatest error", max(errors["duty"]), "", "within 0.2"),
        Figure("run-out, greatest error", max(errors["run-out"]), "%", "within 5"),
        *(
            Figure(f"{kind}: named rightly, of {seen[kind]}", 100 * seen[f"{kind} right"] / seen[kind], "%", wanted)
            for kind, wanted in _KINDS.items()
        ),
    ]


def _drawn(rng: np.random.Generator, kind: str, seed: int) -> tuple[Ring, Pickup, float, Examination]:
    teeth, turn_hz = int(rng.integers(12, 80)), float(rng.uniform(3, 40))
    tooth, sign = int(rng.integers(1, teeth - 1)), float(rng.choice([-1, 1]))
    is_coil = seed % 2 == 1 and kind not in _SWITCHING_ONLY
    ring = {
        "uneven tooth": Ring(teeth, late_pct={tooth: sign * float(rng.uniform(2.5, 10))}),
        "run-out": Ring(teeth, run_out_pct=float(rng.uniform(1.5, 6))),
        "missing tooth": Ring(teeth, missing=frozenset({tooth})),
        "unequal joints": Ring(teeth, joint_pct=float(rng.uniform(3, 10))),
    }.get(kind, Ring(teeth))
    rate_hz = teeth * turn_hz * float(rng.uniform(50, 200))
    # The speed of a clean ring stands, so that its frequency has one truth.
    sweep = 1.0 if kind in {"clean", "flat tops"} else float(rng.uniform(0.8, 1.25))
    if kind == "signal lost below a speed":
        sweep = float(rng.choice([0.3, 3.0]))
    speeds = (turn_hz * 2 / (1 + sweep), turn_hz * 2 * sweep / (1 + sweep))
    low_v = float(rng.uniform(1.1, 2)) if kind == "low level too high" else float(rng.uniform(0, 0.45))
    high_v = float(rng.uniform(2, 3)) if kind == "high level too low" else float(rng.uniform(4.2, 5))
    swing_v = float(10 ** rng.uniform(-0.8, 0.6))  # a coil far from its ring, or near it
    noise_v = float(rng.uniform(0, 0.03)) * (min(swing_v, 1.0) if is_coil or kind == "flat tops" else 1.0)
    if kind == "noise pick-up":
        noise_v = float(rng.uniform(0.3, 0.45)) * (swing_v / 3 if is_coil else 1)
    pickup = Pickup(
        low_v=low_v,
        high_v=high_v,
        duty=float(rng.uniform(0.3, 0.7)),
        rise_s=float(rng.uniform(0, 2)) / rate_hz,
        noise_v=noise_v,
        jitter_pct=float(rng.uniform(0, 0.15)),
        offset_v=float(rng.uniform(-0.3, 0.3)),
        coil_v_per_hz=swing_v / (teeth * turn_hz) if is_coil else None,
        reversed_leads=bool(rng.integers(0, 2)),
        lost_below_hz=0.8 * teeth * turn_hz if kind == "signal lost below a speed" else 0.0,
        dropouts=3 if kind == "pulses drop out" else 0,
        spikes=12 if kind == "extra pulses" else 0,
        clip_v=float(rng.uniform(0.4, 0.85)) * swing_v if kind == "flat tops" else np.inf,
    )  # fmt: skip
    if kind == "flat tops":
        pickup = replace(pickup, coil_v_per_hz=swing_v / (teeth * turn_hz), offset_v=0.0)
    turns = float(rng.uniform(8, 30))
    taken = capture(ring, pickup, turn_hz=speeds, seconds=turns / turn_hz, rate_hz=rate_hz, seed=seed)
    return (
        ring,
        pickup,
        turn_hz,
        examine(*taken, teeth=None if kind == "missing tooth" else teeth, gap_teeth=0, pull_up_v=5.0),
    )


def _right(kind: str, ring: Ring, found: Examination) -> bool:
    """Whether what was hidden, and nothing else, was found."""
    named = [f.what for f in found.findings]
    if kind == "clean":
        return not named
    if kind == "uneven tooth":
        (late,) = ring.late_pct.values()
        (tooth,) = found.ring.wrong if found.ring is not None and len(found.ring.wrong) == 1 else (None,)
        said = found.findings[0].sentence if named else ""
        return named == [kind] and tooth is not None and ("late" if late > 0 else "early") in said
    return named == [kind]


def _principles(cases: int) -> list[Figure]:
    """Sensors of either principle as a technician would look at them, with what a meter and a shaky hand make of it."""
    right = 0
    for seed in range(cases):
        rng = np.random.default_rng(900_000 + seed)
        if seed % 2:
            principle = Principle.RELUCTANCE
            looks = Looks(
                wires=2,
                coil_ohm=float(rng.uniform(150, 5000)),
                ac_v=float(rng.uniform(0.1, 3)) if rng.integers(0, 2) else None,
            )
        else:
            principle = Principle.SWITCHING
            supply_v, pulled = float(rng.choice([5.0, 12.0])) * float(rng.uniform(0.9, 1.1)), bool(rng.integers(0, 4))
            looks = Looks(
                wires=3,
                supply_v=supply_v,
                low_v=float(rng.uniform(0, 1.5)) if pulled else float(rng.uniform(0, 0.3)),
                high_v=supply_v * float(rng.uniform(0.85, 1)) if pulled else float(rng.uniform(0, 0.3)),
            )
        right += find_principle(looks).principle is principle
    return [Figure(f"principle named rightly, of {cases}", 100 * right / cases, "%", "at least 99")]


@contextmanager
def _large_capture() -> Iterator[Path]:
    """Five million samples as CSV, with a tooth out of place."""
    taken = capture(Ring(60, late_pct={7: 4.0}), Pickup(), turn_hz=(10, 10), seconds=10, rate_hz=500_000, seed=1)
    frame = pl.DataFrame({"time (s)": taken[0], "A (V)": taken[1].round(4)})
    with tempfile.NamedTemporaryFile(suffix=".csv") as file:
        frame.write_csv(file, float_precision=7)
        file.flush()
        del frame, taken
        yield Path(file.name)


def _large_file() -> list[Figure]:
    """Five million samples from text to findings, against a bare parse of the same text; then handed in to a server."""
    with _large_capture() as path:
        # A process of its own, so that its memory is that of reading and examining alone.
        line = [sys.executable, "-m", "tools.pulsing", str(path)]
        told = subprocess.run(line, check=True, capture_output=True, text=True).stdout
        bare_s, ours_s, peak_mb = (float(part) for part in told.split())
        return [
            Figure(f"{path.stat().st_size / 1e6:.0f} MB of capture read and examined", ours_s, "s"),
            Figure("  as a multiple of a bare parse of it", ours_s / bare_s, "×", "under 4"),
            Figure("  memory of the process, at most", peak_mb, "MB", "under 600"),
            *_handed_in(path),
            Figure(
                "  five at once handed in to a server, its memory at most", _peak_mb_of_five(path), "MB", "under 700"
            ),
        ]


def _handed_in(path: Path) -> list[Figure]:
    """The same file handed in to a server, whose pages are asked for meanwhile, and looked at as a picture."""
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        database.close()
        with serving(url) as address, httpx.Client(base_url=address, timeout=120, follow_redirects=True) as client:
            page = client.get("/pulse/waveform").text
            fields = {name: page.split(f'name="{name}" value="')[1].split('"')[0] for name in ("token", "uid")}
            cookies = dict(client.cookies)
            took: list[float] = []

            def hand_in() -> None:
                started = time.perf_counter()
                with path.open("rb") as file, httpx.Client(base_url=address, timeout=120, cookies=cookies) as mine:
                    answer = mine.post("/pulse/captures", data=fields, files={"file": ("large.csv", file)})
                assert answer.status_code == http.HTTPStatus.SEE_OTHER, answer.text[:300]
                took.append(time.perf_counter() - started)

            sender = threading.Thread(target=hand_in)
            sender.start()
            pages = []
            while sender.is_alive():
                started = time.perf_counter()
                client.get("/pulse/gap?readings=1.0+1.1+1.0").raise_for_status()
                pages.append((time.perf_counter() - started) * 1000)
                time.sleep(0.02)
            sender.join()
            views, points = [], 0
            for seconds in (10.0, 3.0, 1.0, 0.1, 0.01, 0.001):
                started = time.perf_counter()
                query = {"from_s": 2.0 if seconds < 8 else 0.0, "until_s": 2.0 + seconds, "columns": 1200}  # noqa: PLR2004
                found = client.get(f"/pulse/captures/{fields['uid']}/stretch", params=query).json()
                views.append((time.perf_counter() - started) * 1000)
                points = max(points, len(found["time_s"]))
    return [
        Figure("  handed in to a server, from the first byte to the findings", took[0], "s"),
        Figure(f"  another page meanwhile, p95 of {len(pages)}", p95(pages), "ms"),
        Figure("  a stretch of it at any zoom, slowest", max(views), "ms"),
        Figure("  columns of a stretch, at most", float(points), "", "some thousands"),
    ]


def _peak_mb_of_five(path: Path) -> float:
    """In a process of its own, so that its memory is that of the server and five uploads alone."""
    line = [sys.executable, "-m", "tools.pulsing", "five", str(path)]
    return float(subprocess.run(line, check=True, capture_output=True, text=True).stdout)


def _five_files(path: str) -> str:
    """The greatest memory of a server, in MB, to which five hands give the same file at once."""
    with throwaway_cluster() as url:
        database = Database(url)
        migrate(database.engine)
        load_demo(database)
        database.close()
        with serving(url) as address:

            def hand_in() -> None:
                with Path(path).open("rb") as file, httpx.Client(base_url=address, timeout=300) as client:
                    answer = client.post("/api/v1/captures", params={"name": "large.csv"}, content=file)
                    answer.raise_for_status()

            hands = [threading.Thread(target=hand_in) for _ in range(5)]
            for hand in hands:
                hand.start()
            for hand in hands:
                hand.join()
            stored = len(httpx.get(f"{address}/api/v1/captures").json())
    assert stored >= len(hands), stored
    return f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000}"


def _one_file(path: str) -> str:
    """Seconds of a bare parse and of ours, and the greatest memory of this process in MB."""
    started = time.perf_counter()
    pl.read_csv(path)
    bare_s = time.perf_counter() - started
    started = time.perf_counter()
    with Path(path).open("rb") as file:
        read = read_waveform("large.csv", file)
    found = examine(read.time_s, read.signal_v)
    ours_s = time.perf_counter() - started
    assert [f.what for f in found.findings] == ["uneven tooth"]
    assert len(read.time_s) == _LARGE
    return f"{bare_s} {ours_s} {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000}"


if __name__ == "__main__":
    print(_five_files(sys.argv[2]) if sys.argv[1] == "five" else _one_file(sys.argv[1]))
