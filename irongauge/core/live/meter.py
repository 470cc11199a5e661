"""What a meter on the network shows (SCPI-99, IEEE 488.2): its reading, and whether it is set to what the step asks for.

A meter says its function and range in answer to CONF? (`"VOLT +1.0E+01,+1.0E-05"`) and its reading in answer to READ?, where
9.9E37 is an overload and 9.91E37 no number at all (SCPI-99 section 7.2.1).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from irongauge.core.measure.entry import OVER_RANGE
from irongauge.errors import InstrumentError

__all__ = ["SIMULATED", "MeterFunction", "MeterShows", "meter_resource", "read_meter_answers"]

SIMULATED = "simulated"  # the address of the meter that ships with this
_PORT = 5025  # of SCPI over plain TCP (IANA: scpi-raw)

_OVERLOAD, _NO_NUMBER = 9.8e37, 9.905e37  # SCPI 1999: 9.9E37 for infinity, 9.91E37 for no number


class MeterFunction(StrEnum):
    """What a meter is set to, as SCPI names it in short."""

    DC_VOLTS = "VOLT"
    AC_VOLTS = "VOLT:AC"
    OHMS = "RES"
    MILLIAMPS = "CURR"
    HERTZ = "FREQ"

    @property
    def words(self) -> str:
        """The function as a person says it."""
        return _WORDS[self]


_WORDS = {
    MeterFunction.DC_VOLTS: "DC volts",
    MeterFunction.AC_VOLTS: "AC volts",
    MeterFunction.OHMS: "ohms",
    MeterFunction.MILLIAMPS: "DC current",
    MeterFunction.HERTZ: "frequency",
}
_LONG = {
    "VOLTAGE": "VOLT",
    "RESISTANCE": "RES",
    "FRESISTANCE": "RES",
    "FRES": "RES",
    "CURRENT": "CURR",
    "FREQUENCY": "FREQ",
}
_UNITS = {
    MeterFunction.DC_VOLTS: "V", MeterFunction.AC_VOLTS: "V", MeterFunction.OHMS: "Ω", MeterFunction.MILLIAMPS: "A",
    MeterFunction.HERTZ: "Hz",
}  # fmt: skip
# What bench meters show at most: 1 000 V, 10 GΩ, 30 A, 1 GHz.
_MOST = {
    MeterFunction.DC_VOLTS: 1.1e3, MeterFunction.AC_VOLTS: 1.1e3, MeterFunction.OHMS: 1.1e10, MeterFunction.MILLIAMPS: 33.0,
    MeterFunction.HERTZ: 1.1e9,
}  # fmt: skip
_A_TO_MA = 1000.0  # a meter answers in amperes
_CONF = re.compile(r'"?\s*(?P<function>[A-Za-z:]+)[12]?\s*(?P<range>[-+0-9.Ee]+)?')
_NUMBER = re.compile(r"[-+]?\d+(?:\.\d*)?(?:[Ee][-+]?\d{1,3})?")


@dataclass(frozen=True)
class MeterShows:
    """A reading off a meter: as it is typed into the field, in V, Ω, mA or Hz, and what the meter itself said."""

    typed: str
    said: str


def read_meter_answers(conf: str, reading: str, wanted: MeterFunction) -> MeterShows:
    """The reading for a step that wants a function; `InstrumentError` where the meter is set otherwise or answers with none."""
    function, span = _set_to(conf)
    if function is not wanted:
        problem = f"The meter is set to {function.words}; this step needs {wanted.words}."
        raise InstrumentError(problem, f"Turn it to {wanted.words} and press Enter again. Nothing was recorded.")
    text = reading.strip()
    found = _NUMBER.fullmatch(text)
    if found is None or abs(float(text)) >= _NO_NUMBER:
        problem = f"The meter answered “{text[:30]}”, which is no reading."
        raise InstrumentError(problem, "Look at its display, then press Enter again or type what it shows.")
    value = float(text)
    scale = _A_TO_MA if function is MeterFunction.MILLIAMPS else 1.0
    said = f"{function.words}{'' if span is None else f', range {span:g}'}: {text[:30]}"
    if abs(value) >= _OVERLOAD:
        if function is MeterFunction.OHMS:
            return MeterShows(OVER_RANGE, said)
        problem = f"The meter shows an overload on its {'' if span is None else f'{span:g} '}range."
        raise InstrumentError(problem, "Choose a larger range and press Enter again. Nothing was recorded.")
    if function is not MeterFunction.HERTZ and span is not None and span > 0 and abs(value) > 1.25 * span:
        problem = f"The meter says {value:g} on a range of {span:g}: one of the two is wrong."
        raise InstrumentError(problem, "Look at its display, then press Enter again or type what it shows.")
    if abs(value) > _MOST[function]:
        problem = f"The meter says {value:g} {_UNITS[function]}, which nothing on a vehicle has."
        raise InstrumentError(problem, "Look at its display, then press Enter again or type what it shows.")
    shown = 0.0 if value == 0 else value * scale
    return MeterShows(_plain(shown), said)


def _plain(value: float) -> str:
    """At most six digits, never with an exponent, and with a point: whole volts might be taken for millivolts."""
    text = f"{value:.6g}"
    text = text if "e" not in text else f"{value:.9f}".rstrip("0")
    return f"{text}0" if text.endswith(".") else text if "." in text else f"{text}.0"


def _set_to(conf: str) -> tuple[MeterFunction, float | None]:
    found = _CONF.match(conf.strip())
    parts = [] if found is None else [_LONG.get(p, p) for p in found["function"].upper().split(":") if p != "DC"]
    name = ":".join(parts)
    if name not in set(MeterFunction):
        problem = f"The meter says that it is set to “{conf.strip()[:30]}”, which is not known here."
        raise InstrumentError(problem, "Turn it to what the step asks for, or type what it shows.")
    span = (
        None if found is None or not found["range"] or not _NUMBER.fullmatch(found["range"]) else float(found["range"])
    )
    return MeterFunction(name), span


_HOST = re.compile(r"(?P<host>[A-Za-z0-9](?:[A-Za-z0-9.-]{0,98}[A-Za-z0-9])?)(?::(?P<port>\d{1,5}))?")
_RESOURCE = re.compile(r"TCPIP\d*::(?P<host>[^:]+)::(?P<port>\d{1,5})::SOCKET", re.IGNORECASE)


def meter_resource(address: str) -> str:
    """A meter's address as the VISA libraries write it; `ValueError` where it is none. SCPI's own port stands in for none.

    >>> meter_resource("192.168.1.40")
    'TCPIP::192.168.1.40::5025::SOCKET'
    """
    found = _RESOURCE.fullmatch(address.strip()) or _HOST.fullmatch(address.strip())
    port = 0 if found is None else int(found["port"] or _PORT)
    if found is None or not 0 < port < 65536:  # noqa: PLR2004
        msg = f"{address!r} is no address of a meter"
        raise ValueError(msg)
    return f"TCPIP::{found['host']}::{port}::SOCKET"
