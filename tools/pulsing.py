"""`./iron measure pulse`: simulated captures with a known truth, and how a large file compares with a bare parse of it.

The captures are drawn wide: 12 to 80 teeth, square outputs and coils, sweeping speeds, noise, jitter, offsets, few samples a
tooth.
"""

from __future__ import annotations

import io
import resource
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np
import polars as pl

from irongauge.core.tone_ring import RingFault, RingFigures, examine_ring, teeth_of
from irongauge.core.waveform import WaveformFigures, measure_waveform
from irongauge.formats.waveform_csv import read_waveform
from irongauge.instruments.waveforms import Pickup, Ring, capture
from tools.figures import Figure

__all__ = ["pulse_figures"]

_KINDS = ("clean", "uneven", "run-out", "missing", "joints")
_LARGE = 5_000_000


def pulse_figures(cases: int = 2000) -> list[Figure]:
    """Everything about pulses that is promised in numbers."""
    return [*_captures(cases), *_large_file()]


def _captures(cases: int) -> list[Figure]:
    seen: Counter[str] = Counter()
    frequency, duty, run_out = [0.0], [0.0], [0.0]
    for seed in range(cases):
        rng = np.random.default_rng(40_000 + seed)
        kind = _KINDS[seed % len(_KINDS)]
        ring, pickup, turn_hz, found = _drawn(rng, kind, seed)
        figures = examine_ring(found.edges.rising_s, ring.teeth)
        if figures is None or found.frequency_hz is None:
            continue
        seen[kind] += 1
        if kind == "clean":
            frequency.append(abs(found.frequency_hz / (ring.teeth * turn_hz) - 1) * 100)
            if pickup.coil_v_per_hz is None and found.duty_pct is not None:
                duty.append(abs(found.duty_pct - 100 * pickup.duty))
        else:
            seen["counted"] += teeth_of(found.edges.rising_s) == ring.teeth
        if kind == "run-out":
            run_out.append(abs(figures.run_out_pct / ring.run_out_pct - 1) * 100)
        seen[f"{kind} right"] += _right(kind, ring, figures)
    hidden = cases - seen["clean"]
    return [
        Figure("frequency, greatest error", max(frequency), "%", "within 0.05"),
        Figure("duty, greatest error", max(duty), "", "within 0.2"),
        Figure("run-out, greatest error", max(run_out), "%", "within 5"),
        *(
            Figure(
                f"{kind}: named rightly, of {seen[kind]}", 100 * seen[f"{kind} right"] / max(seen[kind], 1), "%", wanted
            )
            for kind, wanted in zip(
                _KINDS, ("100", "at least 99", "at least 99", "at least 99", "at least 99"), strict=True
            )
        ),
        Figure("number of teeth found by itself", 100 * seen["counted"] / max(hidden, 1), "%"),
    ]


def _drawn(rng: np.random.Generator, kind: str, seed: int) -> tuple[Ring, Pickup, float, WaveformFigures]:
    teeth, turn_hz = int(rng.integers(12, 80)), float(rng.uniform(3, 40))
    tooth, sign = int(rng.integers(1, teeth - 1)), float(rng.choice([-1, 1]))
    ring = {
        "clean": Ring(teeth),
        "uneven": Ring(teeth, late_pct={tooth: sign * float(rng.uniform(2.5, 10))}),
        "run-out": Ring(teeth, run_out_pct=float(rng.uniform(1.5, 6))),
        "missing": Ring(teeth, missing=frozenset({tooth})),
        "joints": Ring(teeth, joint_pct=float(rng.uniform(3, 10))),
    }[kind]
    rate_hz = teeth * turn_hz * float(rng.uniform(40, 150))
    pickup = Pickup(
        low_v=float(rng.uniform(0, 0.6)),
        high_v=float(rng.uniform(4, 12)),
        duty=float(rng.uniform(0.3, 0.7)),
        rise_s=float(rng.uniform(0, 2)) / rate_hz,
        noise_v=float(rng.uniform(0, 0.05)),
        jitter_pct=float(rng.uniform(0, 0.15)),
        offset_v=float(rng.uniform(-0.3, 0.3)),
        coil_v_per_hz=float(rng.uniform(1, 4)) / (teeth * turn_hz) if seed % 2 else None,
    )
    # The speed of a clean ring stands, so that its frequency has one truth.
    sweep = 1.0 if kind == "clean" else float(rng.uniform(0.8, 1.25))
    speeds = (turn_hz * 2 / (1 + sweep), turn_hz * 2 * sweep / (1 + sweep))
    turns = float(rng.uniform(8, 30))
    taken = capture(ring, pickup, turn_hz=speeds, seconds=turns / turn_hz, rate_hz=rate_hz, seed=seed)
    return ring, pickup, turn_hz, measure_waveform(*taken)


def _right(kind: str, ring: Ring, figures: RingFigures) -> bool:
    """Whether what was hidden, and nothing else, was found."""
    faults = [f.fault for f in figures.findings]
    if kind == "uneven":
        (late,) = ring.late_pct.values()
        return faults == [RingFault.UNEVEN] and abs(figures.findings[0].size_pct - abs(late)) < 1
    wanted = {"clean": [], "run-out": [RingFault.RUN_OUT], "missing": [RingFault.MISSING], "joints": [RingFault.JOINTS]}
    return faults == wanted[kind]


def _large_file() -> list[Figure]:
    """Five million samples from text to findings, against a bare parse of the same text."""
    taken = capture(Ring(60, late_pct={7: 4.0}), Pickup(), turn_hz=(10, 10), seconds=10, rate_hz=500_000, seed=1)
    frame = pl.DataFrame({"time (s)": taken[0], "A (V)": taken[1].round(4)})
    text = io.BytesIO()
    frame.write_csv(text, float_precision=7)
    content = text.getvalue()
    del frame, taken, text
    with tempfile.NamedTemporaryFile(suffix=".csv") as file:
        file.write(content)
        file.flush()
        # A process of its own, so that its memory is that of reading and examining alone.
        line = [sys.executable, "-m", "tools.pulsing", file.name]
        told = subprocess.run(line, check=True, capture_output=True, text=True).stdout
    bare_s, ours_s, peak_mb = (float(part) for part in told.split())
    return [
        Figure(f"{len(content) / 1e6:.0f} MB of capture read and examined", ours_s, "s"),
        Figure("  as a multiple of a bare parse of it", ours_s / bare_s, "×", "under 4"),
        Figure("  memory of the process, at most", peak_mb, "MB", "under 600"),
    ]


def _one_file(path: str) -> str:
    """Seconds of a bare parse and of ours, and the greatest memory of this process in MB."""
    started = time.perf_counter()
    pl.read_csv(path)
    bare_s = time.perf_counter() - started
    started = time.perf_counter()
    with Path(path).open("rb") as file:
        read = read_waveform("large.csv", file)
    found = examine_ring(measure_waveform(read.time_s, read.signal_v).edges.rising_s, 60)
    ours_s = time.perf_counter() - started
    assert found is not None
    assert len(read.time_s) == _LARGE
    return f"{bare_s} {ours_s} {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000}"


if __name__ == "__main__":
    print(_one_file(sys.argv[1]))
