"""Logs of the sample shop's vehicles: one well, over some months, and one of each other with something in it."""

from __future__ import annotations

import io
from collections.abc import Callable
from datetime import datetime
from uuid import UUID

import numpy as np

from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.traces.record import ChannelMeaning
from irongauge.core.traces.senses import Sense
from irongauge.instruments.drives import LOGGED, Drive, Floats, drive, recorded
from irongauge.store.database import Database
from irongauge.workflows.trace.logs import NewLog, hand_in, read_waiting

__all__ = ["add_logs"]

_RATE_HZ, _SECONDS = 10.0, 240.0
_Change = Callable[["Drive", dict[str, "Floats"]], None]


def _nothing(_made: Drive, _raw: dict[str, Floats]) -> None:
    """The vehicle is well."""


def _cut_off(made: Drive, raw: dict[str, Floats]) -> None:
    """Boost is believed up to a limit that hides its top."""
    raw["Boost"] = np.minimum(raw["Boost"], np.round(float(np.quantile(raw["Boost"][made.running], 0.8)), 1))


def _rippling(made: Drive, raw: dict[str, Floats]) -> None:
    """24 V, and a diode of the alternator is gone."""
    raw["Battery"] = 2 * raw["Battery"] + np.where(made.running, made.rng.normal(0, 0.6, len(made.time_s)), 0)


def _on_one_reference(_made: Drive, raw: dict[str, Floats]) -> None:
    """24 V, and the reference that two sensors share drops out."""
    raw["Battery"] = 2 * raw["Battery"]
    for moment in (71.0, 118.4, 160.2):
        at = int(moment * _RATE_HZ)
        for name in ("Fuel pressure", "Oil pressure"):
            raw[name][at : at + 6] = 0.0


def _text(tag: str, seed: int, change: _Change, air_kpa: float) -> bytes:
    """A drive of a vehicle as the logger writes it; what belongs to the vehicle is the same in all its drives."""
    of_vehicle = np.random.default_rng(list(tag.encode()))
    made = drive(np.random.default_rng(seed), _SECONDS, _RATE_HZ, is_cold=True, air_kpa=air_kpa, of_vehicle=of_vehicle)
    raw = recorded(made)
    change(made, raw)
    headings = ["Time (s)", *(f"{name} ({LOGGED[name][2]})" for name in raw)]
    rows = np.column_stack([made.time_s, *raw.values()])
    out = io.StringIO()
    out.write(",".join(headings) + "\n")
    np.savetxt(out, rows, fmt="%.6g", delimiter=",")
    return out.getvalue().encode()


def add_logs(
    database: Database,
    uid: Callable[[str], UUID],
    vehicles: dict[str, UUID],
    boost: Circuit,
    at: Callable[[int, int], datetime],
) -> None:
    """Hand in and read the logs of the four machines. `at` gives a moment so many days and minutes from today."""
    with database.unit() as store:
        meaning = ChannelMeaning(heading="Boost", sense=Sense.BOOST_PRESSURE, circuit_uid=boost.uid)
        store.traces.keep_meaning(vehicles["LT-7"], meaning)
    for name, tag, seed, change, day in (
        ("slipway run.csv", "LT-7", 8, _cut_off, -1),
        ("piste, first snow.csv", "G-12", 11, _rippling, -3),
        ("taxiway.csv", "D-3", 23, _on_one_reference, -2),
        ("spring run.csv", "P-2", 31, _nothing, -190),
        ("summer run.csv", "P-2", 32, _nothing, -96),
        ("after the sensors were replaced.csv", "P-2", 33, _nothing, -5),
    ):
        log_uid = uid(f"log {name}")
        hand_in(
            database,
            NewLog(uid=log_uid, name=name, vehicle_uid=vehicles[tag]),
            io.BytesIO(_text(tag, seed, change, standard_atmosphere_kpa(1830.0 if tag == "G-12" else 12.0))),
        )
        read_waiting(database, log_uid)
        with database.unit() as store:
            store.traces.date(log_uid, at(day, 10 * 60 + 30), is_well=change is _nothing)
