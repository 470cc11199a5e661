"""The services of SAE J1979 (ISO 15031-5) that a shop asks of a controller: live values, trouble codes, freeze frame, clearing.

Both ends: what is asked and how an answer is read, and, for the simulated controller, how one is made. Bytes only; ISO-TP carries
them. An answer that is none raises `BadAnswerError`; a controller that refuses raises `RefusedByControllerError`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import KW_ONLY, dataclass
from enum import IntEnum

from irongauge.core.traces.senses import Sense

__all__ = [
    "PIDS",
    "BadAnswerError",
    "Pid",
    "RefusedByControllerError",
    "Service",
    "ask_values",
    "code_bytes",
    "code_text",
    "codes_answer",
    "freeze_answer",
    "read_codes",
    "read_freeze",
    "read_supported",
    "read_values",
    "refusal",
    "supported_answer",
    "values_answer",
]

_ANSWER, _REFUSED, _LONGEST_ASK = 0x40, 0x7F, 6  # SAE J1979: added to a service, a refusal, PIDs in one request
_GROUP = 0x20  # parameters whose presence one answer tells


class Service(IntEnum):
    """What is asked for, by its number."""

    VALUES = 0x01
    FREEZE = 0x02
    STORED = 0x03
    CLEAR = 0x04
    PENDING = 0x07
    PERMANENT = 0x0A


class BadAnswerError(ValueError):
    """What came over the bus is no answer to what was asked."""


class RefusedByControllerError(ValueError):
    """The controller refuses: `reason` is its response code (ISO 14229-1 table A.1)."""

    def __init__(self, reason: int) -> None:
        self.reason = reason
        super().__init__(reason)

    def __str__(self) -> str:
        return _REASONS.get(self.reason, f"it refuses with code {self.reason:02X}")


_REASONS = {
    0x11: "it does not have this service",
    0x12: "it does not have this part of the service",
    0x21: "it is busy",
    0x22: "the conditions are not right: the engine must stand still with the key on",
    0x31: "the request is out of its range",
    0x78: "it needs more time",
}


@dataclass(frozen=True)
class Pid:
    """A parameter: number, name, unit, how many bytes, and value = raw·`scale` + `offset` (SAE J1979 appendix B).

    `used` of its bytes are the value, the first ones, where others follow that tell something else.
    """

    pid: int
    name: str
    unit: str
    size: int
    _: KW_ONLY
    scale: float = 1.0
    offset: float = 0.0
    sense: Sense = Sense.OTHER
    used: int | None = None

    def value(self, raw: bytes) -> float:
        """The value that an answer's bytes mean, in the unit of this PID."""
        return int.from_bytes(raw[: self.used], "big") * self.scale + self.offset

    def raw(self, value: float) -> bytes:
        """The bytes that a controller sends for a value, at an end where it is beyond; those behind it are nothing."""
        whole, used = round((value - self.offset) / self.scale), self.used or self.size
        most: int = (1 << 8 * used) - 1
        return min(max(whole, 0), most).to_bytes(used, "big").ljust(self.size, b"\x00")


_LAMBDA = 2 / 65_536  # of one step of an equivalence ratio


def _share(pid: int, name: str, sense: Sense = Sense.OTHER) -> Pid:
    return Pid(pid, name, "%", 1, scale=100 / 255, sense=sense)


def _trim(pid: int, name: str) -> Pid:
    return Pid(pid, name, "%", 1, scale=100 / 128, offset=-100.0)


def _wide_band(pid: int, name: str) -> Pid:
    """A wide-range oxygen sensor: its lambda in two bytes, then its volts or its current."""
    return Pid(pid, name, "λ", 4, scale=_LAMBDA, used=2, sense=Sense.LAMBDA)


PIDS = {
    p.pid: p
    for p in (
        _share(0x04, "Load", Sense.LOAD),
        Pid(0x05, "Coolant temperature", "°C", 1, scale=1.0, offset=-40.0, sense=Sense.COOLANT_TEMPERATURE),
        _trim(0x06, "Short fuel trim 1"),
        _trim(0x07, "Long fuel trim 1"),
        _trim(0x08, "Short fuel trim 2"),
        _trim(0x09, "Long fuel trim 2"),
        Pid(0x0A, "Fuel pressure", "kPa gauge", 1, scale=3.0, sense=Sense.FUEL_PRESSURE),
        Pid(0x0B, "Manifold pressure", "kPa abs", 1, scale=1.0, sense=Sense.BOOST_PRESSURE),
        Pid(0x0C, "Engine speed", "rpm", 2, scale=0.25, sense=Sense.ENGINE_SPEED),
        Pid(0x0D, "Road speed", "km/h", 1, scale=1.0, sense=Sense.ROAD_SPEED),
        Pid(0x0E, "Ignition advance", "°", 1, scale=0.5, offset=-64.0, sense=Sense.IGNITION_ANGLE),
        Pid(0x0F, "Air temperature", "°C", 1, scale=1.0, offset=-40.0, sense=Sense.AIR_TEMPERATURE),
        Pid(0x10, "Air mass", "g/s", 2, scale=0.01),
        _share(0x11, "Throttle position", Sense.THROTTLE),
        Pid(0x1F, "Time since start", "s", 2),
        Pid(0x21, "Distance with lamp on", "km", 2),
        Pid(0x22, "Rail pressure over manifold", "kPa", 2, scale=0.079),
        Pid(0x23, "Rail pressure", "kPa gauge", 2, scale=10.0),
        *(_wide_band(0x24 + n, f"Lambda {n + 1}") for n in range(8)),
        _share(0x2F, "Fuel level", Sense.FUEL_LEVEL),
        Pid(0x30, "Warm-ups since clearing", "", 1),
        Pid(0x31, "Distance since clearing", "km", 2),
        Pid(0x33, "Barometer", "kPa abs", 1, scale=1.0, sense=Sense.BAROMETER),
        *(_wide_band(0x34 + n, f"Lambda {n + 1} by current") for n in range(8)),
        Pid(0x3C, "Catalyst temperature", "°C", 2, scale=0.1, offset=-40.0),
        Pid(0x42, "Controller supply", "V", 2, scale=0.001, sense=Sense.BATTERY_VOLTS),
        Pid(0x43, "Absolute load", "%", 2, scale=100 / 255),
        Pid(0x44, "Lambda commanded", "λ", 2, scale=_LAMBDA, sense=Sense.LAMBDA),
        _share(0x45, "Throttle position, relative", Sense.THROTTLE),
        Pid(0x46, "Ambient temperature", "°C", 1, scale=1.0, offset=-40.0, sense=Sense.OUTSIDE_TEMPERATURE),
        _share(0x47, "Throttle position B", Sense.THROTTLE),
        _share(0x49, "Pedal position D", Sense.PEDAL),
        _share(0x4A, "Pedal position E", Sense.PEDAL),
        _share(0x4C, "Throttle commanded", Sense.THROTTLE),
        Pid(0x59, "Rail pressure, absolute", "kPa abs", 2, scale=10.0),
        _share(0x5A, "Pedal position, relative", Sense.PEDAL),
        Pid(0x5C, "Oil temperature", "°C", 1, scale=1.0, offset=-40.0, sense=Sense.OIL_TEMPERATURE),
        Pid(0x5E, "Fuel rate", "l/h", 2, scale=0.05),
    )
}


def ask_values(pids: Sequence[int]) -> list[bytes]:
    """The requests for these parameters, six to one as CAN allows."""
    return [bytes([Service.VALUES, *pids[first : first + _LONGEST_ASK]]) for first in range(0, len(pids), _LONGEST_ASK)]


def _body(service: Service, answer: bytes) -> bytes:
    """What follows the service's number in an answer to it."""
    if len(answer) >= 3 and answer[0] == _REFUSED:  # noqa: PLR2004  7F, service, reason
        raise RefusedByControllerError(answer[2])
    if not answer or answer[0] != service + _ANSWER:
        msg = f"{answer.hex(' ') or 'nothing'} is no answer to service {service:02X}"
        raise BadAnswerError(msg)
    return answer[1:]


def read_values(answer: bytes) -> dict[int, float]:
    """The parameters of an answer to `ask_values`, by their numbers; what is unknown here ends it, since its length is too."""
    return _parameters(_body(Service.VALUES, answer), step=1)


def _parameters(body: bytes, step: int) -> dict[int, float]:
    found, at = {}, 0
    while at < len(body):
        pid = PIDS.get(body[at])
        if pid is None:
            break
        raw = body[at + step : at + step + pid.size]
        if len(raw) < pid.size:
            msg = f"parameter {pid.pid:02X} is cut off"
            raise BadAnswerError(msg)
        found[pid.pid] = pid.value(raw)
        at += step + pid.size
    if body and not found:
        msg = f"{body.hex(' ')} holds no parameter that was asked for"
        raise BadAnswerError(msg)
    return found


def read_supported(group: int, answer: bytes) -> tuple[list[int], bool]:
    """Which parameters after `group` (0, 0x20, 0x40 …) a controller has, and whether it has a later group."""
    body = _body(Service.VALUES, answer)
    if len(body) < 5 or body[0] != group:  # noqa: PLR2004  its number and 32 bits
        msg = f"{body.hex(' ') or 'nothing'} does not say which parameters there are"
        raise BadAnswerError(msg)
    bits = int.from_bytes(body[1:5], "big")
    there = [group + n for n in range(1, _GROUP + 1) if bits >> (_GROUP - n) & 1]
    return [pid for pid in there if pid in PIDS], group + _GROUP in there


def code_text(raw: bytes) -> str:
    """A trouble code as people write it (SAE J2012).

    >>> code_text(bytes([0x05, 0x22]))
    'P0522'
    """
    return f"{'PCBU'[raw[0] >> 6]}{raw[0] >> 4 & 3}{raw[0] & 15:X}{raw[1]:02X}"


def code_bytes(code: str) -> bytes:
    """A trouble code as it is sent; `code` must be one."""
    return bytes(["PCBU".index(code[0]) << 6 | int(code[1]) << 4 | int(code[2], 16), int(code[3:], 16)])


def read_codes(service: Service, answer: bytes) -> tuple[str, ...]:
    """The trouble codes of an answer: their number, then two bytes each."""
    body = _body(service, answer)
    if not body or len(body) != 1 + 2 * body[0]:
        msg = f"{body.hex(' ') or 'nothing'} is no list of codes"
        raise BadAnswerError(msg)
    pairs = (body[at : at + 2] for at in range(1, len(body), 2))
    return tuple(dict.fromkeys(code_text(pair) for pair in pairs if pair != b"\x00\x00"))


def read_freeze(answers: Iterable[bytes]) -> tuple[str, dict[int, float]]:
    """The freeze frame's code, empty where there is none, and its parameters."""
    code = ""
    values: dict[int, float] = {}
    for answer in answers:
        body = _body(Service.FREEZE, answer)
        if len(body) == 4 and body[0] == 2:  # noqa: PLR2004  number 2, frame, code
            code = "" if body[2:] == b"\x00\x00" else code_text(body[2:])
        else:
            values |= _parameters(body, step=2)
    return code, values


# The controller's end


def values_answer(asked: Iterable[int], values: Mapping[int, float]) -> bytes | None:
    """The answer to a request for values; None where it has none of them, since a controller then keeps silent."""
    body = b"".join(bytes([pid]) + PIDS[pid].raw(values[pid]) for pid in asked if pid in values and pid in PIDS)
    return bytes([Service.VALUES + _ANSWER]) + body if body else None


def supported_answer(group: int, pids: Iterable[int]) -> bytes | None:
    """Which parameters after `group` there are, in 32 bits, the last of which says that there is a later group."""
    there = set(pids)
    bits = sum(1 << (_GROUP - n) for n in range(1, _GROUP + 1) if group + n in there)
    bits |= int(any(pid > group + _GROUP for pid in there))
    return bytes([Service.VALUES + _ANSWER, group]) + bits.to_bytes(4, "big") if bits else None


def codes_answer(service: Service, codes: Sequence[str]) -> bytes:
    """The bytes that answer a request for trouble codes."""
    return bytes([service + _ANSWER, len(codes)]) + b"".join(map(code_bytes, codes))


def freeze_answer(asked: bytes, code: str, values: Mapping[int, float]) -> bytes | None:
    """The answer to a request for a freeze frame: pairs of parameter and frame."""
    pid = asked[0]
    if pid == 2:  # noqa: PLR2004  the code that froze it
        return bytes([Service.FREEZE + _ANSWER, 2, 0]) + (code_bytes(code) if code else b"\x00\x00")
    if pid not in values or pid not in PIDS:
        return None
    return bytes([Service.FREEZE + _ANSWER, pid, 0]) + PIDS[pid].raw(values[pid])


def refusal(service: int, reason: int) -> bytes:
    """The bytes that refuse a request, and why."""
    return bytes([_REFUSED, service, reason])
