"""A vehicle's bus by python-can: values and trouble codes asked for by SAE J1979 over ISO-TP, and frames that come by themselves.

Which interface it is, is a setting: SocketCAN with an adapter, frames on the local network, or a bus inside this process with a
simulated controller on it. Requests go to all controllers (ISO 15765-4: 7DF, or 18DB33F1 with long identifiers), and each that
answers has a stack of its own: what the first tells bears the parameter's name, what another one tells its identifier as well.
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
_ANSWER_IDS = range(ANSWER_ID, 0x7F0)  # of at most eight controllers
_TO_ASK_ONE = 8  # below its answer's identifier
_LONG_ASK_ID, _LONG_ANSWERS, _LONG_ONE = 0x18DB33F1, 0x18DAF100, 0x18DA00F1  # the tester is F1
_OTHERS_S = 0.1  # for controllers that answer behind the first
_PADDING = 0x00
_WAIT_S, _LONG_WAIT_S = 0.25, 5.0  # a controller answers within 50 ms, or says that it needs up to 5 s (ISO 15765-4)
_PENDING, _BUSY = 0x78, 0x21
_TRIES, _BUSY_S = 3, 0.2
_LAST_GROUP, _REFUSAL = 0xE0, 3  # of parameters; bytes of a refusal: 7F, service, reason
_ELEVEN_BITS, _ENDLESS = 0x7FF, 1e30  # the longest short identifier; a number beyond it is none
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
    """What a vehicle's controllers tell of trouble, with the values of that moment by name.

    `permanent` codes stay until the controller itself has seen the part right. `not_told` names what one refused to tell.
    """

    stored: tuple[str, ...]
    pending: tuple[str, ...]
    permanent: tuple[str, ...] = ()
    not_told: tuple[str, ...] = ()
    frozen_code: str = ""
    frozen: Mapping[str, float] = field(default_factory=dict)
    values: Mapping[str, float] = field(default_factory=dict)


@dataclass(eq=False, kw_only=True)
class _Controller:
    """One of the controllers on the bus, and what it has; `refuses` says why it told nothing."""

    answer_id: int
    is_long: bool
    stack: isotp.NotifierBasedCanStack
    pids: list[int] = field(default_factory=list)
    is_whole: bool = False
    refuses: str = ""

    @property
    def mark(self) -> str:
        """What stands behind the names of its parameters where it is not the first."""
        return f", {self.answer_id:X}"


Ask = Callable[[_Controller, bytes], bytes]


class CanPort:
    """An open bus. `frames` says what the frames mean that come by themselves. Not for several threads at once."""

    def __init__(self, address: CanAddress, frames: Database | None = None) -> None:
        self._address = address
        self._messages: dict[tuple[int, bool], Message] = (
            {} if frames is None else {(m.frame_id, m.is_extended_frame): m for m in frames.messages}
        )
        self._heard: dict[str, float] = {}
        self._lock = Lock()
        self._controllers: list[_Controller] = []
        self._are_all_there = False
        self._looked_at: float | None = None

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
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        for controller in self._controllers:
            controller.stack.stop()
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
            self._heard |= {_words(name): value for name, value in numbers.items() if abs(value) < _ENDLESS}

    def heard(self) -> dict[str, float]:
        """What came by itself since the last time, by the names of its signals."""
        with self._lock:
            found, self._heard = self._heard, {}
        return found

    # What is asked for

    def channels(self) -> tuple[LiveChannel, ...]:
        """What this bus can tell: what its controllers say that they have, and what the description of its frames has."""
        self._look()
        asked = [
            LiveChannel(self._name(controller, pid), PIDS[pid].unit, PIDS[pid].sense)
            for controller in self._controllers
            for pid in controller.pids
        ]
        signals = [_channel(s.name, s.unit or "") for m in self._messages.values() for s in m.signals]
        return (*asked, *signals)

    def _name(self, controller: _Controller, pid: int) -> str:
        """A parameter's name; two controllers with the same one stay two."""
        return PIDS[pid].name + ("" if controller is self._controllers[0] else controller.mark)

    def _look(self) -> None:
        """Look for controllers and for what each has, until all of it was told: an answer may be lost, a key be off."""
        is_whole = self._are_all_there and all(c.is_whole for c in self._controllers)
        if is_whole or (self._looked_at is not None and time.monotonic() - self._looked_at < _LOOK_AGAIN_S):
            return
        if not self._are_all_there:
            self._find_all()
        for controller in self._controllers:
            if not controller.is_whole:
                self._ask_what_there_is(controller)
        self._looked_at = time.monotonic()

    def _find_all(self) -> None:
        """Find the controllers: all are there once a second look finds no other."""
        is_long = any(c.is_long for c in self._controllers)
        found = self._find(is_long=is_long)
        if not found and not self._controllers:
            is_long = True
            found = self._find(is_long=True)
        known = {c.answer_id for c in self._controllers}
        self._are_all_there = bool(known) and found <= known
        new = [self._controller(answer_id, is_long=is_long) for answer_id in sorted(found - known)]
        self._controllers = sorted([*self._controllers, *new], key=lambda c: c.answer_id)

    def _find(self, *, is_long: bool) -> set[int]:
        """The identifiers with which controllers answer to a request to all."""
        found: set[int] = set()

        def hear(frame: can.Message) -> None:
            told = frame.arbitration_id
            is_answer = told & ~0xFF == _LONG_ANSWERS if is_long else told in _ANSWER_IDS
            if frame.is_extended_id == is_long and is_answer and not frame.is_error_frame:
                found.add(told)

        self._notifier.add_listener(hear)
        try:
            self._send(bytes([Service.VALUES, 0]), is_long=is_long)
            until = time.monotonic() + _WAIT_S
            while not found and time.monotonic() < until:
                time.sleep(0.005)
            time.sleep(_OTHERS_S if found else 0.0)  # the first is seldom the only one
        finally:
            self._notifier.remove_listener(hear)
        return set(found)

    def _controller(self, answer_id: int, *, is_long: bool) -> _Controller:
        one = _LONG_ONE | (answer_id & 0xFF) << 8 if is_long else answer_id - _TO_ASK_ONE
        stack = _stack(self._bus, self._notifier, one, answer_id)
        stack.start()
        return _Controller(answer_id=answer_id, is_long=is_long, stack=stack)

    def _ask_what_there_is(self, controller: _Controller) -> None:
        found: list[int] = []
        group, more = 0, True
        while more and group <= _LAST_GROUP:
            try:
                answer = self._ask_again(controller, bytes([Service.VALUES, group]))
                there, more = read_supported(group, answer)
            except RefusedByControllerError as error:
                controller.refuses = str(error)
                more = False
            except (InstrumentError, BadAnswerError):
                controller.pids = sorted({*controller.pids, *found})
                return  # and looked for again later
            else:
                found += there
            group += 0x20
        controller.pids, controller.is_whole = found or controller.pids, bool(found)

    def values(self) -> dict[str, float]:
        """Every value that the controllers have now; `InstrumentError` where they keep silent or their answers are none.

        Where one answer of many is lost, the others are told.
        """
        self._look()
        found: dict[str, float] = {}
        trouble: InstrumentError | None = None
        for controller in self._controllers:
            lost = 0
            for request in ask_values(controller.pids):
                if lost > 1:  # the key is off: the next look will tell
                    break
                try:
                    told = self._read(read_values, request, controller, self._ask)
                except InstrumentError as error:
                    trouble, lost = trouble or error, lost + 1
                else:
                    lost = 0
                    found |= {self._name(controller, pid): value for pid, value in told.items()}
        if found:
            return found
        refuses = next((c.refuses for c in self._controllers if c.refuses), "")
        if refuses:
            raise InstrumentError(f"The controller refuses to tell values: {refuses}.", "Turn the key on; try again.")
        raise trouble or InstrumentError(*_SILENT)

    def codes(self) -> CodesTold:
        """Stored, pending and permanent codes, the freeze frame, and the values of this moment."""
        self._look()
        if not self._controllers:
            raise InstrumentError(*_SILENT)
        first, *others = self._controllers
        stored = [*self._codes(Service.STORED, first)]
        not_told: dict[str, None] = {}
        of_kind: dict[Service, list[str]] = {Service.PENDING: [], Service.PERMANENT: []}
        for controller in self._controllers:
            for service in of_kind:
                try:
                    of_kind[service] += self._codes(service, controller)
                except InstrumentError:
                    if service is Service.PENDING:  # permanent ones came with later vehicles: their lack says nothing
                        not_told["pending"] = None
        for controller in others:
            try:
                stored += self._codes(Service.STORED, controller)
            except InstrumentError:
                not_told[f"those of {controller.answer_id:X}"] = None
        code, frozen = self._freeze(first) if stored else ("", {})
        try:
            values = self.values()
        except InstrumentError:
            values = {}
        pending, permanent = (tuple(dict.fromkeys(codes)) for codes in of_kind.values())
        return CodesTold(
            stored=tuple(dict.fromkeys(stored)),
            pending=pending,
            permanent=permanent,
            not_told=tuple(not_told),
            frozen_code=code,
            frozen=frozen,
            values=values,
        )

    def _codes(self, service: Service, controller: _Controller) -> tuple[str, ...]:
        return self._read(lambda answer: read_codes(service, answer), bytes([service]), controller)

    def _freeze(self, controller: _Controller) -> tuple[str, dict[str, float]]:
        answers = []
        for pid in (2, *_FROZEN):
            try:
                answers.append(self._ask(controller, bytes([Service.FREEZE, pid, 0])))
            except InstrumentError:  # a controller keeps silent on what its frame does not have
                continue
        try:
            code, values = read_freeze(answers)
        except (BadAnswerError, RefusedByControllerError):
            return "", {}
        return code, {PIDS[pid].name: value for pid, value in values.items()}

    def clear(self) -> None:
        """Have the controllers forget their codes; `InstrumentError` where the first refuses, or its codes stay.

        One that asks for time and then says nothing more has mostly cleared them: it is asked what is still stored.
        """
        self._look()
        if not self._controllers:
            raise InstrumentError(*_SILENT)
        controller = self._controllers[0]
        try:
            answer = self._ask_again(controller, bytes([Service.CLEAR]))
        except InstrumentError:
            left = self._codes(Service.STORED, controller)
            if not left:
                return
            problem = f"The controller did not say that it cleared its codes, and {', '.join(left)} is still stored."
            raise InstrumentError(problem, "Stop the engine, leave the key on, and try again.") from None
        except RefusedByControllerError as error:
            raise InstrumentError(
                f"The controller does not clear its codes: {error}.", "Nothing was cleared."
            ) from error
        if answer[:1] != bytes([Service.CLEAR + 0x40]):
            raise InstrumentError(
                "The controller does not clear its codes: its answer is none.", "Nothing was cleared."
            )

    def _read(
        self, read: Callable[[bytes], Told], request: bytes, controller: _Controller, ask: Ask | None = None
    ) -> Told:
        """What a controller's answer means, asked again where it is lost unless `ask` says how."""
        try:
            return read((ask or self._ask_again)(controller, request))
        except RefusedByControllerError as error:
            raise InstrumentError(f"The controller refuses service {request[0]:02X}: {error}.", "Try again.") from error
        except BadAnswerError as error:
            raise InstrumentError(f"The bus answers with what is no answer: {error}.", "Look at its wiring.") from error

    def _ask_again(self, controller: _Controller, request: bytes) -> bytes:
        """What a controller answers, asked again where an answer is lost or it is busy; it may refuse.

        Clearing is never asked for twice but of one that was busy.
        """
        for left in reversed(range(_TRIES)):
            try:
                answer = self._ask(controller, request)
            except InstrumentError:
                if not left or request[0] == Service.CLEAR:
                    raise
                continue
            if answer[:1] != b"\x7f" or len(answer) < _REFUSAL:
                return answer
            if answer[2] != _BUSY or not left:
                raise RefusedByControllerError(answer[2])
            time.sleep(_BUSY_S)
        raise InstrumentError(*_SILENT)

    def _ask(self, controller: _Controller, request: bytes) -> bytes:
        """What a controller answers to a request, which goes to all of them."""
        controller.stack.clear_rx_queue()
        self._send(request, is_long=controller.is_long)
        until, odd = time.monotonic() + _WAIT_S, b""
        while (left := until - time.monotonic()) > 0:
            answer = controller.stack.recv(block=True, timeout=left)
            if answer is None:
                break
            if answer[:1] == b"\x7f" and answer[2:3] == bytes([_PENDING]):
                until = time.monotonic() + _LONG_WAIT_S
            elif answer[:1] == bytes([request[0] + 0x40]) or answer[:2] == bytes([0x7F, request[0]]):
                return bytes(answer)
            else:  # to an earlier request, or none at all
                odd = bytes(answer)
        if odd:
            return odd
        raise InstrumentError(*_SILENT)

    def _send(self, request: bytes, *, is_long: bool) -> None:
        import can

        frame = bytes([len(request), *request]).ljust(8, bytes([_PADDING]))
        asked_id = _LONG_ASK_ID if is_long else ASK_ID
        try:
            self._bus.send(can.Message(arbitration_id=asked_id, data=frame, is_extended_id=is_long), timeout=_WAIT_S)
        except can.CanError as error:
            raise InstrumentError("Nothing can be sent on the bus.", "Look at its plug and its termination.") from error


def _words(name: str) -> str:
    """A signal's name as people write it."""
    return " ".join(name.split("_"))


def _channel(name: str, unit: str) -> LiveChannel:
    return LiveChannel(_words(name), unit, sense_of(_words(name), log_unit(unit)))


def _stack(bus: can.BusABC, notifier: can.Notifier, send_id: int, hear_id: int) -> isotp.NotifierBasedCanStack:
    import isotp

    is_long = send_id > _ELEVEN_BITS
    mode = isotp.AddressingMode.Normal_29bits if is_long else isotp.AddressingMode.Normal_11bits
    address = isotp.Address(mode, txid=send_id, rxid=hear_id)
    return isotp.NotifierBasedCanStack(bus, notifier, address=address, params={"tx_padding": _PADDING})
