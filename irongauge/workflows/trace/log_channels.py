"""What a log's headings mean: guessed, told once for a vehicle, and the circuits that its channels may be of."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from uuid import UUID

import numpy as np

from irongauge.core.sensors.circuits import Circuit
from irongauge.core.traces.likely_units import likely_unit
from irongauge.core.traces.log_units import LogUnit, log_unit
from irongauge.core.traces.record import ChannelMeaning, KeptChannel, LogState
from irongauge.core.traces.sense_names import sense_of
from irongauge.core.traces.senses import Sense
from irongauge.errors import EntryError, NotFoundError, quoted
from irongauge.formats.log_headings import TIME_UNITS
from irongauge.formats.logs import LONGEST_S, RawChannel
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.shop.view import require_shop
from irongauge.workflows.trace.log_samples import times_bytes, whole_times

__all__ = ["circuits_of", "meant", "tell_channels", "tell_time_unit"]


def circuits_of(store: Store, vehicle_uid: UUID) -> tuple[Circuit, ...]:
    """The circuits of a vehicle as its newest job has them."""
    jobs = store.jobs.jobs_of(vehicle_uid)
    circuits = store.circuits.of_jobs([job.uid for job in jobs])
    newest: dict[str, Circuit] = {}
    for job in sorted(jobs, key=lambda job: job.number):
        newest |= {c.name: c for c in circuits[job.uid] if not c.retired_why}
    return tuple(newest.values())


def meant(raw: RawChannel, meaning: ChannelMeaning | None, place: int, times: int) -> KeptChannel:
    """A channel as its heading is meant on the vehicle, guessed where nobody has said it yet."""
    ends = [float(np.fmin.reduce(raw.value)), float(np.fmax.reduce(raw.value))]
    if not np.isfinite(ends).all():  # none has a value, or some are beyond all numbers
        has = raw.value[np.isfinite(raw.value)]
        ends = [float(has.min()), float(has.max())] if len(has) else []
    kept = KeptChannel(
        place=place,
        name=raw.name,
        written_unit=raw.unit,
        unit=raw.unit,
        quantity=None,
        base=None,
        sense=Sense.OTHER,
        circuit_uid=None,
        rows=len(raw.value),
        times=times,
        low=ends[0] if ends else None,
        high=ends[1] if ends else None,
    )
    return with_meaning(kept, meaning)


def with_meaning(channel: KeptChannel, meaning: ChannelMeaning | None) -> KeptChannel:
    """The channel in the unit that was chosen for its heading, else in the one as written, else in the only one that fits."""
    before = LogUnit(scale=channel.scale, offset=channel.offset, scale_below=channel.scale_below)
    written = [None if end is None else before.written(end) for end in (channel.low, channel.high)]
    unit = log_unit((meaning.unit if meaning is not None else "") or channel.written_unit)
    sense = sense_of(channel.name, unit) if meaning is None else meaning.sense
    if unit is None and not channel.written_unit:
        unit = log_unit(likely_unit(sense, written[1]))
    after = unit or LogUnit()
    ends = [None if end is None else after.fixed(end) for end in written]
    return replace(
        channel,
        unit=channel.written_unit if unit is None else unit.label,
        quantity=None if unit is None else unit.quantity,
        base=(None if meaning is None else meaning.base) or (None if unit is None else unit.base),
        sense=sense,
        circuit_uid=None if meaning is None else meaning.circuit_uid,
        scale=after.scale,
        offset=after.offset,
        scale_below=after.scale_below,
        low=ends[0],
        high=ends[1],
    )


def _check_unit(meaning: ChannelMeaning) -> None:
    """Refuse a unit that is none, or one that what the channel is of cannot have."""
    unit = log_unit(meaning.unit) if meaning.unit else None
    if meaning.unit and unit is None:
        do = "Such as bar, kPa, psi, °C, °F, rpm, km/h, V, %; leave it empty for the one as written."
        raise EntryError("unit", meaning.unit, f"{quoted(meaning.unit)} is no unit that is known here.", do)
    wanted = meaning.sense.quantity
    if unit is not None and wanted is not None and unit.quantity is not wanted:
        problem = f"{meaning.sense.capitalize()} is not in {meaning.unit}."
        raise EntryError("unit", meaning.unit, problem, "Choose another unit, or what it is of.")


def tell_time_unit(database: Database, uid: UUID, unit: str) -> bool:
    """Say what a log's times are in that does not say it, for its logger's next files too; True where it has to be judged again.

    Its times are put right where they stand, since the file itself is not kept. Raises `EntryError` for a log whose times say
    their unit, or that would last longer than any log does.
    """
    with database.unit() as store:
        log = store.traces.log(uid, lock=True)
        if log.state is not LogState.READY or not log.taken_unit:
            raise EntryError("time_unit", unit, "Its file says what its times are in.", "Hand the right file in again.")
        factor = TIME_UNITS[unit] / TIME_UNITS[log.taken_unit]
        seconds = log.seconds * factor
        if seconds > LONGEST_S:
            raise EntryError(
                "time_unit", unit, f"In {unit} it would last {seconds / 3600:,.0f} hours.", "Choose another."
            )
        store.traces.keep_time_unit(require_shop(store).uid, log.logger, unit)
        if unit == log.taken_unit:
            return False
        for place in {channel.times for channel in log.channels}:
            store.traces.change_times(uid, place, times_bytes(whole_times(store, uid, place) * factor))
        well = (None, None) if log.well_stretch_s is None else tuple(end * factor for end in log.well_stretch_s)
        store.traces.tell(uid, taken_unit=unit, seconds=seconds, well_from_s=well[0], well_until_s=well[1])
        return True


def tell_channels(database: Database, uid: UUID, meanings: Sequence[ChannelMeaning]) -> bool:
    """Keep what a log's headings mean on its vehicle, for later logs too; True where this one has to be judged again by that."""
    with database.unit() as store:
        log = store.traces.log(uid, lock=True)
        known = {circuit.uid for circuit in circuits_of(store, log.vehicle_uid)}
        by_name = {channel.name.casefold(): channel for channel in log.channels}
        changed = False
        for meaning in meanings:
            _check_unit(meaning)
            channel = by_name.get(meaning.heading.casefold())
            if channel is None:
                raise NotFoundError("channel", meaning.heading)
            if meaning.circuit_uid is not None and meaning.circuit_uid not in known:
                raise NotFoundError("circuit", str(meaning.circuit_uid))
            store.traces.keep_meaning(log.vehicle_uid, meaning)
            new = with_meaning(channel, meaning)
            if new != channel:
                store.traces.change_channel(uid, new)
                changed = True
        return changed
