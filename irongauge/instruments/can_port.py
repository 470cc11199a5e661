"""A vehicle's bus by python-can: values and trouble codes asked for by SAE J1979 over ISO-TP, and frames that come by themselves.

Which interface it is, is a setting: SocketCAN with an adapter, or a bus inside this process with a simulated controller on it.
One controller is asked, that of the engine (request 7E0, answer 7E8, and 7DF to all: ISO 15765-4).
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from threading import Lock
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self, TypeVar

from irongauge.core.live.j1979 import (
    PIDS,
    BadAnswerError,
    RefusedByControllerError,
    Service,
    ask_values,
    read_codes,
    read_freeze,
    read_supported,
    read_values,
)
from irongauge.core.live.watching import LiveChannel
from irongauge.core.traces.log_units import log_unit
from irongauge.core.traces.sense_names import sense_of
from irongauge.errors import InstrumentError

if TYPE_CHECKING:
    import can
    import isotp
    from cantools.database.can import Database, Message

__all__ = ["ANSWER_ID", "ASK_ID", "ASK_ONE_ID", "CanAddress", "CanPort", "CodesTold"]

Told = TypeVar("Told")

ASK_ID, ASK_ONE_ID, ANSWER_ID = 0x7DF, 0x7E0, 0x7E8
_PADDING = 0x00
_WAIT_S, _LONG_WAIT_S = 0.25, 5.0  # a controller answers within 50 ms, or says that it needs up to 5 s (ISO 15765-4)
_PENDING = 0x78
_LOOK_AGAIN_S = 2.0  # for a controller whose key was off
_SILENT = ("The controller does not answer.", "Turn the key on; look at the plug and the bus.")
_FROZEN = (0x04, 0x05, 0x0B, 0x0C, 0x0D)  # what a freeze frame always has


@dataclass(frozen=True)
class CanAddress:
    """Where a bus is: python-can's name of the interface, its channel and its bits a second."""

    interface: str
    channel: str
    bitrate: int = 500_000


@dataclass(frozen=True, kw_only=True)
class CodesTold:
    """What a controller tells of trouble, with the values of that moment by name."""

    stored: tuple[str, ...]
    pending: tuple[str, ...]
    frozen_code: str = ""
    frozen: Mapping[str, float] = field(default_factory=dict)
    values: Mapping[str, float] = field(default_factory=dict)


class CanPort:
    """An open bus. `frames` says what the frames mean that come by themselves. Not for several threads at once."""

    def __init__(self, address: CanAddress, frames: Database | None = None) -> None:
        self._address = address
        self._messages: dict[tuple[int, bool], Message] = (
            {} if frames is None else {(m.frame_id, m.is_extended_frame): m for m in frames.messages}
        )
        self._heard: dict[str, float] = {}
        self._lock = Lock()
        self._pids: list[int] = []
        self._looked_at = 0.0

    def __enter__(self) -> Self:
        import can

        logging.getLogger("can").setLevel(logging.CRITICAL)
        logging.getLogger("isotp").setLevel(logging.CRITICAL)
        at = self._address
        try:
            self._bus: can.BusABC = can.Bus(channel=at.channel, interface=at.interface, bitrate=at.bitrate)
        except Exception as error:
            problem = (
                f"The bus {at.channel or at.interface} cannot be opened ({str(error)[:120] or type(error).__name__})."
            )
            raise InstrumentError(problem, "Look whether its adapter is plugged in and set up.") from error
        self._notifier = can.Notifier(self._bus, [self._hear] if self._messages else [], timeout=0.05)
        self._stack: isotp.NotifierBasedCanStack = _stack(self._bus, self._notifier, ASK_ONE_ID, ANSWER_ID)
        self._stack.start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._stack.stop()
        self._notifier.stop(timeout=1)
        self._bus.shutdown()

    # What comes by itself

    def _hear(self, frame: can.Message) -> None:
        message = self._messages.get((frame.arbitration_id, frame.is_extended_id))
        if message is None or frame.is_error_frame or frame.is_remote_frame:
            return
        try:
            told: Any = message.decode(bytes(frame.data), decode_choices=False, allow_truncated=True)
        except Exception:  # noqa: BLE001  a frame of another length tells nothing
            return
        numbers = {name: float(value) for name, value in told.items() if isinstance(value, int | float)}
        with self._lock:
            self._heard |= {_words(name): value for name, value in numbers.items() if abs(value) < 1e30}  # noqa: PLR2004  no NaN

    def heard(self) -> dict[str, float]:
        """What came by itself since the last time, by the names of its signals."""
        with self._lock:
            found, self._heard = self._heard, {}
        return found

    # What is asked for

    def channels(self) -> tuple[LiveChannel, ...]:
        """What this bus can tell: what its controller says that it has, and what the description of its frames has."""
        if not self._pids:
            self._look_for_values()
        asked = [LiveChannel(PIDS[pid].name, PIDS[pid].unit, PIDS[pid].sense) for pid in self._pids]
        signals = [_channel(s.name, s.unit or "") for m in self._messages.values() for s in m.signals]
        return (*asked, *signals)

    def _look_for_values(self) -> None:
        self._pids = self._supported()
        self._looked_at = time.monotonic()

    def _supported(self) -> list[int]:
        found: list[int] = []
        group = 0
        while True:
            try:
                there, more = read_supported(group, self._ask(bytes([Service.VALUES, group])))
            except (InstrumentError, RefusedByControllerError, BadAnswerError):
                return found
            found += there
            group += 0x20
            if not more or group > 0xE0:  # noqa: PLR2004  the last group
                return found

    def values(self) -> dict[str, float]:
        """Every value that the controller has; `InstrumentError` where it keeps silent or its answers are none."""
        if not self._pids and time.monotonic() - self._looked_at > _LOOK_AGAIN_S:
            self._look_for_values()
        if not self._pids:
            raise InstrumentError(*_SILENT)
        found: dict[str, float] = {}
        for request in ask_values(self._pids):
            found |= {PIDS[pid].name: value for pid, value in self._read(read_values, request).items()}
        return found

    def codes(self) -> CodesTold:
        """Stored and pending codes, the freeze frame, and the values of this moment."""
        stored = self._read(lambda answer: read_codes(Service.STORED, answer), bytes([Service.STORED]))
        pending = self._read(lambda answer: read_codes(Service.PENDING, answer), bytes([Service.PENDING]))
        code, frozen = self._freeze() if stored else ("", {})
        return CodesTold(stored=stored, pending=pending, frozen_code=code, frozen=frozen, values=self.values())

    def _freeze(self) -> tuple[str, dict[str, float]]:
        answers = []
        for pid in (2, *_FROZEN):
            try:
                answers.append(self._ask(bytes([Service.FREEZE, pid, 0])))
            except InstrumentError:  # a controller keeps silent on what its frame does not have
                continue
        try:
            code, values = read_freeze(answers)
        except (BadAnswerError, RefusedByControllerError):
            return "", {}
        return code, {PIDS[pid].name: value for pid, value in values.items()}

    def clear(self) -> None:
        """Have the controller forget its codes; `InstrumentError` where it refuses."""
        answer = self._ask(bytes([Service.CLEAR]))
        if answer[:1] == bytes([Service.CLEAR + 0x40]):
            return
        reason = str(RefusedByControllerError(answer[2])) if len(answer) > 2 else "its answer is none"  # noqa: PLR2004
        raise InstrumentError(f"The controller does not clear its codes: {reason}.", "Nothing was cleared.")

    def _read(self, read: Callable[[bytes], Told], request: bytes) -> Told:
        try:
            return read(self._ask(request))
        except RefusedByControllerError as error:
            raise InstrumentError(f"The controller refuses service {request[0]:02X}: {error}.", "Try again.") from error
        except BadAnswerError as error:
            raise InstrumentError(f"The bus answers with what is no answer: {error}.", "Look at its wiring.") from error

    def _ask(self, request: bytes) -> bytes:
        """What the controller answers to a request, which goes to all of them."""
        import can

        self._stack.clear_rx_queue()
        frame = bytes([len(request), *request]).ljust(8, bytes([_PADDING]))
        try:
            self._bus.send(can.Message(arbitration_id=ASK_ID, data=frame, is_extended_id=False), timeout=_WAIT_S)
        except can.CanError as error:
            raise InstrumentError("Nothing can be sent on the bus.", "Look at its plug and its termination.") from error
        until = time.monotonic() + _WAIT_S
        while (left := until - time.monotonic()) > 0:
            answer = self._stack.recv(block=True, timeout=left)
            if answer is None:
                break
            if answer[:1] == b"\x7f" and answer[2:3] == bytes([_PENDING]):
                until = time.monotonic() + _LONG_WAIT_S
            else:
                return bytes(answer)
        raise InstrumentError(*_SILENT)


def _words(name: str) -> str:
    """A signal's name as people write it."""
    return " ".join(name.split("_"))


def _channel(name: str, unit: str) -> LiveChannel:
    return LiveChannel(_words(name), unit, sense_of(_words(name), log_unit(unit)))


def _stack(bus: can.BusABC, notifier: can.Notifier, send_id: int, hear_id: int) -> isotp.NotifierBasedCanStack:
    import isotp

    address = isotp.Address(isotp.AddressingMode.Normal_11bits, txid=send_id, rxid=hear_id)
    return isotp.NotifierBasedCanStack(bus, notifier, address=address, params={"tx_padding": _PADDING})
