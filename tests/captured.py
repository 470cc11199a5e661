"""Captured waveforms as files."""

from irongauge.instruments.waveforms import Pickup, Ring, capture


def csv_of(ring=None, pickup=None, *, heading="time (s),A (V)", seconds=2.0, rate_hz=10_000, mark=",", turn_hz=(5, 5)):
    taken = capture(ring or Ring(24), pickup or Pickup(), turn_hz=turn_hz, seconds=seconds, rate_hz=rate_hz, seed=2)
    return (heading + "\n" + "\n".join(f"{t:.6f}{mark}{v:.4f}" for t, v in zip(*taken, strict=True))).encode()
