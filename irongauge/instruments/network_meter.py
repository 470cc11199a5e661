"""A meter on the network, asked by SCPI over plain TCP with PyVISA-py: what it is set to, and what it reads."""

from __future__ import annotations

import contextlib
import logging
from typing import TYPE_CHECKING, cast

from irongauge.core.live.meter import MeterFunction, MeterShows, meter_resource, read_meter_answers
from irongauge.errors import InstrumentError

if TYPE_CHECKING:
    from pyvisa.resources import MessageBasedResource

__all__ = ["read_meter"]

_TIMEOUT_MS = 2500  # a slow meter integrates over a second


def read_meter(address: str, wanted: MeterFunction, before: str = "") -> MeterShows:
    """What the meter shows for a step that wants a function; `before` is sent first, without an answer.

    Raises `InstrumentError` where it cannot be reached, is set otherwise or answers with no reading.
    """
    import pyvisa

    logging.getLogger("pyvisa").setLevel(logging.CRITICAL)
    try:
        manager = pyvisa.ResourceManager("@py")
        opened = manager.open_resource(
            meter_resource(address),
            read_termination="\n",
            write_termination="\n",
            timeout=_TIMEOUT_MS,
            open_timeout=_TIMEOUT_MS,
        )
        with contextlib.closing(cast("MessageBasedResource", opened)) as meter:
            if before:
                meter.write(before)
            conf = meter.query("CONF?")[:200]
            shows = read_meter_answers(conf, meter.query("READ?")[:200], wanted)
            meter.write("SYST:LOC")  # its own keys work again
            return shows
    except InstrumentError:
        raise
    except UnicodeDecodeError as error:
        problem = "What the meter answers is no text."
        raise InstrumentError(problem, "Look at its display and type what it shows.") from error
    except Exception as error:  # the VISA library raises what the operating system does, and its own
        problem = f"The meter at {address} does not answer."
        raise InstrumentError(problem, "Look whether it is on and on the network, or type what it shows.") from error
