"""A simulated controller on a bus: answers SAE J1979, sends its sensors' channels as frames, stores codes and clears them.

Its engine is driven round and round by the clock, so that it is where it would be after a pause of its process too. What it does
not imitate: other controllers, readiness of its checks, a bus that is loaded.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self

import numpy as np

from irongauge.core.live.j1979 import (
    Service,
    codes_answer,
    freeze_answer,
    refusal,
    supported_answer,
    values_answer,
)
from irongauge.instruments.can_port import ANSWER_ID, ASK_ID, ASK_ONE_ID, CanAddress
from irongauge.instruments.drives import drive, recorded

if TYPE_CHECKING:
    import can
    import isotp
    from cantools.database.can import Database

    from irongauge.instruments.drives import Floats

__all__ = ["Memory", "SimulatedController"]

_ROUND_S, _RATE_HZ = 600.0, 5.0
_FRAMES_S = 0.1
_NO_SERVICE = 0x11
_WARM_DEGC = 70.0
# What the drive calls the values of the controller's parameters.
_LOGGED = {
    0x04: "Load", 0x05: "Coolant temperature", 0x0A: "Fuel pressure", 0x0B: "Boost", 0x0C: "Engine speed", 0x0D: "Road speed",
    0x0F: "Air temperature", 0x33: "Barometer", 0x42: "Battery", 0x5C: "Oil temperature",
}  # fmt: skip
_BY_FRAME = {
    "Oil_pressure": "Oil pressure", "Crankcase_pressure": "Crankcase pressure", "Coolant_pressure": "Coolant pressure",
    "Sensor_reference": "Sensor reference",
}  # fmt: skip


@dataclass(kw_only=True)
class Memory:
    """What a controller keeps without power: codes with the frame that froze, and what it counted since it was cleared."""

    stored: list[str] = field(default_factory=list)
    pending: list[str] = field(default_factory=list)
    permanent: list[str] = field(default_factory=list)
    frozen: dict[int, float] = field(default_factory=dict)
    warm_ups: int = 0
    driven_km: float = 0.0
    is_warm: bool = True
    seen: dict[str, int] = field(default_factory=dict)  # code: warm-ups in which its fault was seen

    @classmethod
    def from_dict(cls, told: Mapping[str, Any]) -> Memory:
        known = {name: told[name] for name in cls.__dataclass_fields__ if name in told}
        known["frozen"] = {int(pid): value for pid, value in known.get("frozen", {}).items()}
        return cls(**known)

    def as_dict(self) -> dict[str, Any]:
        return {name: getattr(self, name) for name in self.__dataclass_fields__}


class SimulatedController:
    """Runs on a bus of its own process until its block ends.

    `frames` describes what it sends; `sensors` gives the values of its channels by their signals' names, `faults` the codes that
    its sensors' volts call for now. `memory` is what it kept, and `keep` is told when that changes.
    """

    def __init__(
        self,
        address: CanAddress,
        frames: Database,
        memory: Memory,
        *,
        seed: int = 0,
        sensors: Callable[[], Mapping[str, float]] = dict,
        faults: Callable[[], tuple[str, ...]] = tuple,
        keep: Callable[[Memory], None] = lambda _memory: None,
    ) -> None:
        self._address = address
        self._frames = frames
        self.memory = memory
        self._seed = seed
        self._sensors = sensors
        self._faults = faults
        self._keep = keep
        self._is_over = threading.Event()
        self._told_at = 0.0

    def __enter__(self) -> Self:
        import can

        self._drive = _drive(self._seed)
        self._bus: can.BusABC = can.Bus(channel=self._address.channel, interface=self._address.interface)
        self._notifier = can.Notifier(self._bus, [], timeout=0.05)
        self._heard = [_stack(self._bus, self._notifier, hear_id) for hear_id in (ASK_ID, ASK_ONE_ID)]
        for stack in self._heard:
            stack.start()
        self._threads = [
            threading.Thread(target=work, daemon=True, name="simulated controller")
            for work in (self._answer_all, self._send_frames)
        ]
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._is_over.set()
        for thread in self._threads:
            thread.join(timeout=2)
        for stack in self._heard:
            stack.stop()
        self._notifier.stop(timeout=1)
        self._bus.shutdown()

    # Its engine

    def _now(self) -> dict[str, float]:
        """The drive's values at this moment of the clock."""
        at = int(time.time() % _ROUND_S * _RATE_HZ) % len(next(iter(self._drive.values())))
        return {name: float(values[at]) for name, values in self._drive.items()}

    def _parameters(self) -> dict[int, float]:
        now = self._now()
        found = {pid: now[name] for pid, name in _LOGGED.items()}
        found[0x11] = now["Load"] * 0.8
        found[0x1F] = time.time() % _ROUND_S
        found[0x30], found[0x31] = min(self.memory.warm_ups, 255), min(self.memory.driven_km, 65_535)
        return found

    # Its answers

    def _answer_all(self) -> None:
        while not self._is_over.is_set():
            for stack in self._heard:
                request = stack.recv(block=True, timeout=0.005)
                if request:
                    answer = self._answer(bytes(request))
                    if answer is not None:
                        self._heard[1].send(answer)

    def _answer(self, request: bytes) -> bytes | None:
        answers: dict[int, Callable[[bytes], bytes | None]] = {
            Service.VALUES: self._values,
            Service.FREEZE: self._freeze,
            Service.STORED: lambda _body: codes_answer(Service.STORED, self.memory.stored),
            Service.PENDING: lambda _body: codes_answer(Service.PENDING, self.memory.pending),
            Service.PERMANENT: lambda _body: codes_answer(Service.PERMANENT, self.memory.permanent),
            Service.CLEAR: lambda _body: self._clear(),
        }
        answer = answers.get(request[0])
        return refusal(request[0], _NO_SERVICE) if answer is None else answer(request[1:])

    def _values(self, body: bytes) -> bytes | None:
        values = self._parameters()
        if body and body[0] % 0x20 == 0:
            return supported_answer(body[0], values)
        return values_answer(body, values)

    def _freeze(self, body: bytes) -> bytes | None:
        stored = self.memory.stored
        return freeze_answer(body, stored[0] if stored else "", self.memory.frozen) if body else None

    def _clear(self) -> bytes:
        self.memory = Memory(is_warm=True, permanent=self.memory.permanent)  # which nobody can clear
        self._keep(self.memory)
        return bytes([Service.CLEAR + 0x40])

    # What it does by itself

    def _send_frames(self) -> None:
        while not self._is_over.wait(_FRAMES_S):
            now = self._now()
            told = {signal: now[name] for signal, name in _BY_FRAME.items()} | dict(self._sensors())
            for message in self._frames.messages:
                # A channel whose sensor gives nothing is not sent.
                values = {s.name: _within(s, told[s.name]) for s in message.signals if s.name in told}
                if len(values) == len(message.signals):
                    self._send(message.frame_id, message.encode(values))
            self._learn(now)

    def _send(self, frame_id: int, data: bytes) -> None:
        import can

        self._bus.send(can.Message(arbitration_id=frame_id, data=data, is_extended_id=False))

    def _learn(self, now: Mapping[str, float]) -> None:
        """Count warm-ups and distance; a fault is pending when it is seen, and stored when a later warm-up sees it too."""
        memory = self.memory
        before = (list(memory.stored), list(memory.pending), memory.warm_ups)
        is_warm = now["Coolant temperature"] >= _WARM_DEGC
        if is_warm and not memory.is_warm:
            memory.warm_ups += 1
            memory.permanent = [code for code in memory.permanent if code in self._faults()]
        memory.is_warm = is_warm if is_warm or now["Coolant temperature"] < _WARM_DEGC - 22 else memory.is_warm
        memory.driven_km += now["Road speed"] / 3600 * _FRAMES_S
        for code in self._faults():
            first = memory.seen.setdefault(code, memory.warm_ups)
            if code not in memory.stored and memory.warm_ups > first:
                if not memory.stored:
                    memory.frozen = {pid: now[name] for pid, name in _LOGGED.items()}
                memory.stored.append(code)
                memory.permanent = [*dict.fromkeys([*memory.permanent, code])]
                memory.pending = [other for other in memory.pending if other != code]
            elif code not in memory.stored and code not in memory.pending:
                memory.pending.append(code)
        if before != (memory.stored, memory.pending, memory.warm_ups):
            self._keep(memory)


def _drive(seed: int) -> dict[str, Floats]:

    return recorded(drive(np.random.default_rng(seed), _ROUND_S, _RATE_HZ, is_cold=True))


def _within(signal: Any, value: float) -> float:  # noqa: ANN401  cantools' signal
    low = -1e9 if signal.minimum is None else float(signal.minimum)
    high = 1e9 if signal.maximum is None else float(signal.maximum)
    return min(max(value, low), high)


def _stack(bus: can.BusABC, notifier: can.Notifier, hear_id: int) -> isotp.NotifierBasedCanStack:
    import isotp

    address = isotp.Address(isotp.AddressingMode.Normal_11bits, txid=ANSWER_ID, rxid=hear_id)
    return isotp.NotifierBasedCanStack(bus, notifier, address=address, params={"tx_padding": 0})
