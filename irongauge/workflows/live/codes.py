"""Trouble codes of a job: read off the bus or a handheld reader, kept before they are cleared, followed until they stay away."""

from __future__ import annotations

import time
from dataclasses import dataclass
from uuid import UUID

from irongauge.core.live.codes import DISTANCE_KM, CodeReading, CodeStory, CodesWhen, codes_from_text, story_of
from irongauge.core.live.record import BusAsked, BusPort, BusRequest
from irongauge.core.shop import Job, Shop, Technician
from irongauge.errors import EntryError, InstrumentError, RefusedRequestError, quoted
from irongauge.store.database import Database
from irongauge.workflows.shop.view import now, require_known, require_open, require_shop

__all__ = ["CodesView", "ask_codes", "codes_of", "look_at_codes", "type_codes"]

_WAIT_S = 8.0  # a listener that has to be woken, and a controller that takes its time
BY_HAND = "handheld reader"


@dataclass(frozen=True, kw_only=True)
class CodesView:
    """A job's codes: every reading, the oldest first, what became of each code, and the bus that they may be asked of."""

    shop: Shop
    job: Job
    readings: tuple[CodeReading, ...]
    stories: tuple[CodeStory, ...]
    port: BusPort | None
    people: tuple[Technician, ...]


def look_at_codes(database: Database, job_uid: UUID) -> CodesView:
    with database.unit() as store:
        shop = require_shop(store)
        job = store.jobs.job(job_uid)
        readings = store.live.codes(job_uid)
        return CodesView(
            shop=shop,
            job=job,
            readings=readings,
            stories=story_of(readings),
            port=store.live.port_of(job.vehicle.uid),
            people=store.shops.technicians(shop.uid),
        )


def codes_of(database: Database, job_uid: UUID) -> tuple[CodeReading, ...]:
    with database.unit() as store:
        return store.live.codes(job_uid)


def ask_codes(database: Database, uid: UUID, job_uid: UUID, technician_uid: UUID, asked: BusAsked) -> None:
    """Have codes read, or kept and cleared, by whoever holds the bus; `InstrumentError` where that fails or nobody does it.

    The same identity twice is one request.
    """
    with database.unit() as store:
        job = require_open(store, job_uid)
        require_known(store, technician_uid)
        port = store.live.port_of(job.vehicle.uid)
        if port is None:
            problem = f"No bus is plugged in to {job.vehicle.tag}."
            raise RefusedRequestError(problem, "Plug one in under Trace, Live; or type what a handheld reader shows.")
        request = BusRequest(uid=uid, port_uid=port.uid, job_uid=job_uid, technician_uid=technician_uid, asked=asked)
        store.live.ask(request, now())
    until = time.monotonic() + _WAIT_S
    while time.monotonic() < until:
        with database.unit() as store:
            found = store.live.request(uid)
        if found.done_at is not None:
            if found.trouble:
                raise InstrumentError(found.trouble, "")
            return
        time.sleep(0.1)
    with database.unit() as store:
        store.live.close_request(uid, now(), "Nobody took it up.")  # it must not clear codes an hour later
    raise InstrumentError("The bus does not answer.", "Look whether the server’s worker runs, and try again.")


def type_codes(
    database: Database,
    uid: UUID,
    job_uid: UUID,
    technician_uid: UUID,
    *,
    stored: str,
    pending: str,
    when: CodesWhen,
    driven_km: float | None,
) -> None:
    """Keep codes as a handheld reader shows them; the same identity twice is one reading."""
    told = {}
    for field, typed in (("stored", stored), ("pending", pending)):
        codes, others = codes_from_text(typed)
        if others and not (len(others) == 1 and others[0].casefold() in {"none", "-", "0", "no"}):
            problem = f"{quoted(others[0])} is no trouble code."
            raise EntryError(field, typed, problem, "A code is a letter P, C, B or U and four figures, such as P0522.")
        told[field] = codes
    with database.unit() as store:
        require_open(store, job_uid)
        require_known(store, technician_uid)
        store.live.add_codes(
            CodeReading(
                uid=uid,
                job_uid=job_uid,
                taken_at=now(),
                technician_uid=technician_uid,
                source=BY_HAND,
                when=when,
                stored=told["stored"],
                pending=told["pending"],
                values={} if driven_km is None else {DISTANCE_KM: driven_km},
            )
        )
