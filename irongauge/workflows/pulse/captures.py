"""Captured waveforms: taken in from a file or from the simulated pickup, examined, drawn a stretch at a time, kept.

A large capture takes seconds, so taking one in says how far it is. Those wait in the queue for a worker; all take turns, in all
processes, which bounds the memory.
"""

from __future__ import annotations

import tempfile
import threading
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field, replace
from typing import IO, Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from irongauge.core.measure.quantities import Mark
from irongauge.core.measure.stretch import Stretch
from irongauge.core.pulses.examination import Examination, examine
from irongauge.core.pulses.record import About, Capture, PulseKind, about_of
from irongauge.errors import BadFileError, EntryError, IronGaugeError, RefusedRequestError, as_sentence
from irongauge.formats.waveform_csv import read_waveform, write_waveform
from irongauge.store.database import Database
from irongauge.store.repositories.pulses import CaptureWaiting
from irongauge.workflows.pulse.kept_checks import Keeping, PulseFinding, keeping_of, new_check
from irongauge.workflows.pulse.samples import packed, stretch, whole
from irongauge.workflows.shop.view import now, open_job, require_shop
from irongauge.workflows.shop.waiting import said_of_waiting

Floats = NDArray[np.float64]

__all__ = [
    "CaptureView",
    "NewCapture",
    "Progress",
    "capture_file",
    "hand_in_capture",
    "keep_capture",
    "look_at_capture",
    "look_at_captures",
    "look_at_stretch",
    "look_at_waiting",
    "read_waiting_capture",
    "remove_capture",
    "take_in",
    "take_simulated",
    "tell_capture",
]

_SIMULATED = "From the simulated pickup."  # a capture's note, and how it is known again
_MOST_LISTED = 40
_PIECE = 4 << 20
# Of threads, before they take a connection each; then of processes.
_one_at_a_time, _TURN = threading.Lock(), 0x1907


@dataclass(frozen=True, kw_only=True)
class NewCapture:
    """A capture that is to be taken in: the form's own identity, the file's name, what is told of it, where it belongs.

    `column`, counted from 1, has the volts; None for the first that may. `time_unit` and `volts_unit` are those of the
    file, "" for what its headings say; `rate_hz`, samples a second, is for one without times.
    """

    uid: UUID
    name: str
    about: About = field(default_factory=About)
    circuit_uid: UUID | None = None
    column: int | None = None
    time_unit: str = ""
    volts_unit: str = ""
    rate_hz: float | None = None


@dataclass(frozen=True)
class Progress:
    """What is being done, and the share of the whole that is behind."""

    doing: str
    share: float


@dataclass(frozen=True)
class CaptureView:
    """A capture with where it can be kept."""

    capture: Capture
    keeping: Keeping


def take_in(database: Database, new: NewCapture, file: IO[bytes]) -> Iterator[Progress]:
    """Read a file, examine it and store it, telling how far it is; a `uid` that is stored already is the same capture.

    The file is closed at the end. Raises `BadFileError` for one that is no capture.
    """
    with file:
        begun = _begun(database, new)
        if begun is None:
            return
        yield Progress("Waiting for another capture", 0.0)
        with _one_at_a_time, database.turn(_TURN):
            yield Progress("Reading the rows", 0.05)
            read = read_waveform(
                begun.name,
                file,
                begun.column,
                time_unit=begun.time_unit,
                volts_unit=begun.volts_unit,
                rate_hz=begun.rate_hz,
            )
            taken = read.time_s, read.signal_v
            yield Progress(f"Measuring {len(read.time_s):,} samples", 0.45)
            examination = _examined(begun, taken)
            yield Progress("Storing", 0.85)
            _store(database, begun, read.note, taken, examination)
        yield Progress("Done", 1.0)


def hand_in_capture(database: Database, new: NewCapture, file: IO[bytes]) -> UUID:
    """Keep a large capture's file until a worker has read it; gives back the shop. The same `uid` twice is one capture."""
    with file, database.unit() as store:
        shop = require_shop(store)
        if not store.pulses.has_capture(new.uid) and store.pulses.waiting(new.uid) is None:
            if new.circuit_uid is not None:
                open_job(store, new.circuit_uid)
            given = asdict(new) | {
                "uid": str(new.uid),
                "circuit_uid": None if new.circuit_uid is None else str(new.circuit_uid),
            }
            pieces = iter(lambda: file.read(_PIECE), b"")
            name = "".join(c if c.isprintable() else " " for c in new.name)[:120] or "capture"
            store.pulses.add_waiting(shop.uid, new.uid, name, given=given, moment=now(), pieces=pieces)
        return shop.uid


def read_waiting_capture(database: Database, uid: UUID) -> None:
    """Read a capture that waits, examine it and store it; one that was begun by a worker that is gone is begun again."""
    with database.unit() as store:
        waiting = store.pulses.waiting(uid)
    if waiting is None or waiting.refused:
        return
    with tempfile.TemporaryFile() as file:
        with database.unit() as store:
            for piece in store.pulses.waiting_pieces(uid):
                file.write(piece)
        file.seek(0)
        try:
            for step in take_in(database, _given_to(waiting.given), file):
                with database.unit() as store:
                    store.pulses.tell_waiting(uid, doing=step.doing[:300], share=step.share)
        except IronGaugeError as error:
            _refuse(database, uid, str(error))
            return
        except Exception:
            _refuse(database, uid, "Something broke while it was read. Nothing was stored; try again.")
            raise  # the worker tells of it
    with database.unit() as store:
        store.pulses.drop_waiting(uid)


def _given_to(given: dict[str, Any]) -> NewCapture:
    """What was told of a capture, as it was kept while it waited."""
    circuit_uid = given["circuit_uid"]
    told = given | {"uid": UUID(given["uid"]), "circuit_uid": None if circuit_uid is None else UUID(circuit_uid)}
    return NewCapture(**(told | {"about": about_of(given["about"])}))


def _refuse(database: Database, uid: UUID, why: str) -> None:
    with database.unit() as store:
        store.pulses.tell_waiting(uid, refused=why[:600])
        store.pulses.drop_waiting_pieces(uid)


def look_at_waiting(database: Database, uid: UUID) -> CaptureWaiting | None:
    """A capture that waits or was refused; None for one that is there."""
    with database.unit() as store:
        found = store.pulses.waiting(uid)
    if found is None:
        return None
    return replace(found, doing=said_of_waiting(found.doing, found.added_at, has_begun=found.share > 0))


def take_simulated(database: Database, new: NewCapture, taken: tuple[Floats, Floats]) -> None:
    """Examine and store what the simulated pickup captured."""
    begun = _begun(database, new)
    if begun is not None:
        _store(database, begun, "From the simulated pickup.", taken, _examined(begun, taken))


def _begun(database: Database, new: NewCapture) -> NewCapture | None:
    """The capture with its pull-up's volts from the circuit's card, where they were not told; None where it is stored already."""
    with database.unit() as store:
        require_shop(store)
        if store.pulses.has_capture(new.uid):
            return None
        if new.circuit_uid is None:
            return new
        circuit, _ = open_job(store, new.circuit_uid)
        if new.about.pull_up_v is None and circuit.pull_up is not None:
            return replace(new, about=replace(new.about, pull_up_v=circuit.pull_up.to_v))
        return new


def _examined(new: NewCapture, taken: tuple[Floats, Floats]) -> Examination:
    try:
        return examine(*taken, **asdict(new.about))
    except ValueError as error:
        raise BadFileError(new.name, as_sentence(error), "Save one capture to a file.") from error


def _store(
    database: Database, new: NewCapture, note: str, taken: tuple[Floats, Floats], examination: Examination
) -> None:
    step_s, samples = packed(*taken)
    name = "".join(c if c.isprintable() else " " for c in new.name)  # it comes from a file, not from a person
    capture = Capture(
        uid=new.uid,
        name=name,
        note=note[:400],
        samples=examination.samples,
        seconds=examination.seconds,
        step_s=step_s,
        about=new.about,
        examination=examination,
        taken_at=now(),
        circuit_uid=new.circuit_uid,
    )
    with database.unit() as store:
        if new.circuit_uid is not None:
            open_job(store, new.circuit_uid)
        store.pulses.add_capture(require_shop(store).uid, capture, samples)


def look_at_captures(database: Database, circuit_uid: UUID | None) -> tuple[tuple[Capture, ...], Keeping]:
    """The newest captures, and where one can belong."""
    with database.unit() as store:
        return store.pulses.captures(require_shop(store).uid, _MOST_LISTED), keeping_of(store, circuit_uid)


def look_at_capture(database: Database, uid: UUID) -> CaptureView:
    with database.unit() as store:
        capture = store.pulses.capture(uid)
        return CaptureView(capture, keeping_of(store, capture.circuit_uid))


def look_at_stretch(database: Database, uid: UUID, from_s: float, until_s: float, columns: int) -> Stretch:
    """What a picture of a stretch needs, at most so many columns of it; times outside the capture are taken as its ends."""
    with database.unit() as store:
        return stretch(store, store.pulses.capture(uid), from_s, until_s, columns)


def tell_capture(database: Database, uid: UUID, about: About) -> None:
    """Examine a capture again with what is now told of the ring and the input."""
    with _one_at_a_time, database.turn(_TURN):
        with database.unit() as store:
            capture = store.pulses.capture(uid)
            taken = whole(store, capture)
        examination = _examined(NewCapture(uid=uid, name=capture.name, about=about), taken)
        with database.unit() as store:
            store.pulses.tell(uid, about, examination)


def capture_file(database: Database, uid: UUID) -> tuple[str, Iterator[bytes]]:
    """A capture's name and its samples as CSV, a piece at a time."""
    with database.unit() as store:
        capture = store.pulses.capture(uid)
        taken = whole(store, capture)
    return capture.name, write_waveform(*taken)


def keep_capture(database: Database, uid: UUID, circuit_uid: UUID, technician_uid: UUID, accepted: str = "") -> None:
    """Keep what was found of a capture, and the capture itself, with a circuit.

    `accepted` says why something undecided is good enough; what failed is not accepted with a reason.
    """
    with database.unit() as store:
        open_job(store, circuit_uid)
        store.shops.technician(technician_uid)
        capture = store.pulses.capture(uid)
        if capture.kept_uid is not None and capture.circuit_uid != circuit_uid:
            raise EntryError("circuit_uid", "", "It is kept with another circuit already.", "Choose that one.")
        told = _accepted(finding_of(capture.examination), accepted)
        check = new_check(PulseKind.WAVEFORM, told, _given(capture), technician_uid)
        store.pulses.add_check(circuit_uid, check)
        store.pulses.keep(uid, circuit_uid, check.uid)


def _accepted(told: PulseFinding, why: str) -> PulseFinding:
    if not why:
        return told
    if told.mark is not Mark.UNDECIDED:
        problem = f"Its finding is not undecided: {told.finding}."
        raise EntryError("accepted", why, problem, "Leave the reason out, or put right what is wrong first.")
    return PulseFinding(Mark.PASS, f"accepted: {told.finding}", (*told.sentences, f"Accepted because: {why}."))


def finding_of(found: Examination) -> PulseFinding:
    """What a capture's examination is kept as."""
    figures = [] if found.frequency_hz is None else [f"{found.frequency_hz:.4g} Hz"]
    if found.duty_pct is not None and found.volts_per_hz is None:
        figures.append(f"{found.duty_pct:.1f} % high")
    figures.append(f"{found.low_v:.2f} to {found.high_v:.2f} V")
    sentences = (*(f.sentence for f in found.findings), f"Measured: {', '.join(figures)}.")
    return PulseFinding(found.mark if found.frequency_hz is not None else Mark.UNDECIDED, found.headline, sentences)


def _given(capture: Capture) -> dict[str, object]:
    """The figures that a kept capture stands for, where its samples are not: in a job file."""
    found = capture.examination
    ring = (
        {}
        if found.ring is None
        else {"teeth_counted": found.ring.teeth, "run_out_pct": round(found.ring.run_out_pct, 3)}
    )
    return {
        "name": capture.name,
        "samples": capture.samples,
        "seconds": capture.seconds,
        **asdict(capture.about),
        "frequency_hz": found.frequency_hz,
        "duty_pct": found.duty_pct,
        "low_v": found.low_v,
        "high_v": found.high_v,
        "jitter_pct": found.jitter_pct,
        **ring,
    }


def remove_capture(database: Database, uid: UUID) -> None:
    """Remove a capture that is kept with no circuit."""
    with database.unit() as store:
        store.pulses.capture(uid)
        if not store.pulses.remove(uid):
            raise RefusedRequestError(
                "This capture is kept with a circuit.", "It stays as long as the circuit's record."
            )
