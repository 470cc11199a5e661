"""Forms of the Pulse room's smaller questions: principle and pull-up, fuel sensor, air gap, bus channel."""

from __future__ import annotations

from typing import Annotated

from irongauge.core.pulses.signal_parts import DUTIES
from irongauge.web.forms import choice, number, optional_number, optional_ohms, text
from irongauge.web.pulse.forms import KeepForm

__all__ = ["BusForm", "FuelForm", "GapForm", "PrincipleForm"]


class PrincipleForm(KeepForm):
    """What was seen of a sensor of unknown kind."""

    wires: Annotated[str, choice("2", "3", "4")] = "3"
    supply_v: Annotated[float | None, optional_number(0, 32, what="volts")] = None
    low_v: Annotated[float | None, optional_number(-5, 32, what="volts")] = None
    high_v: Annotated[float | None, optional_number(-5, 32, what="volts")] = None
    ac_v: Annotated[float | None, optional_number(0, 300, what="volts")] = None
    coil_ohm: Annotated[float | None, optional_ohms()] = None
    sine: Annotated[str, choice("no", "yes")] = "no"
    to_v: Annotated[float | None, optional_number(1, 32, what="volts")] = None
    highest_hz: Annotated[float | None, optional_number(0.1, 100_000, what="a frequency")] = None
    wire_m: Annotated[float | None, optional_number(0, 100, what="metres")] = None


class FuelForm(KeepForm):
    """A fuel sensor's frequency and pulse."""

    frequency_hz: Annotated[float | None, optional_number(0, 10_000, what="the frequency in Hz")] = None
    pulse_ms: Annotated[float | None, optional_number(0.01, 1000, what="the low pulse in ms")] = None


class GapForm(KeepForm):
    """A gap and the ring that it belongs to."""

    readings: str = ""
    least_mm: Annotated[float, number(0, 20, what="the least gap in mm")] = 0.8
    most_mm: Annotated[float, number(0.01, 20, what="the greatest gap in mm")] = 1.3


class BusForm(KeepForm):
    """A channel over a module: how often, how fine, how many."""

    low_hz: Annotated[float | None, optional_number(0.01, 100_000, what="the lowest frequency")] = None
    high_hz: Annotated[float | None, optional_number(0.01, 100_000, what="the highest frequency")] = None
    pulses: Annotated[float, number(1, 1000, what="how many pulses")] = 1
    frame_hz: Annotated[float, number(0.1, 1000, what="frames a second")] = 20
    needed_hz: Annotated[float, number(0.01, 1000, what="the fastest change, per second")] = 1
    tick_us: Annotated[float, number(0.001, 10_000, what="the module's clock tick in µs")] = 1
    nodes: str = ""
    node: str = ""
    channel: Annotated[str, text(40, what="the channel", needed=False)] = ""
    duty: Annotated[str, choice("", *DUTIES)] = ""
    firmware: Annotated[str, text(40, what="the module's firmware", needed=False)] = ""
    host_firmware: Annotated[str, text(40, what="the firmware that the host expects", needed=False)] = ""
    inside_ohm: Annotated[float | None, optional_number(0, 1e6, what="the pull-up inside the module")] = None
    harness: Annotated[str, choice("no", "yes", "not known")] = "not known"
