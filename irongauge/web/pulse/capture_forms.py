"""Forms of captured waveforms: a file, the simulated pickup, what is told of the ring, where it is kept."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID, uuid4

from irongauge.core.measure.quantities import Limits
from irongauge.core.pulses.record import About
from irongauge.core.pulses.unequal import angles_text, read_angles
from irongauge.errors import EntryError
from irongauge.formats.waveform_csv import TIME_UNITS, VOLT_UNITS
from irongauge.instruments.pickup_words import SURPRISE, WRONGS
from irongauge.web.forms import OptionalUid, choice, number, optional_number, text, told
from irongauge.web.pulse.forms import KeepForm

__all__ = ["CaptureForm", "KeepCaptureForm", "SimulatedForm", "TellForm", "about_from", "identity_from"]

_TEETH = Limits(2, 1000)


class TellForm(KeepForm):
    """What is told of a ring and an input."""

    teeth: Annotated[float | None, optional_number(_TEETH.low, _TEETH.high, what="the places of the ring")] = None
    gap_teeth: Annotated[float | None, optional_number(0, 20, what="teeth left out on purpose")] = None
    pull_up_v: Annotated[float | None, optional_number(0.5, 32, what="what it is pulled up to, in V")] = None
    shunt_ohm: Annotated[float | None, optional_number(0.1, 10_000, what="the shunt of a current sensor, in Ω")] = None
    angles: Annotated[tuple[float, ...], told(lambda typed: read_angles(str(typed)))] = ()


class KeepCaptureForm(TellForm):
    """For which circuit a capture is kept."""

    accepted: Annotated[str, text(200, what="why it is good enough", needed=False)] = ""


class CaptureForm(TellForm):
    """A capture that is handed in, and how it is to be read."""

    uid: OptionalUid = None
    column: Annotated[float | None, optional_number(1, 200, what="the column of the volts")] = None
    time_unit: Annotated[str, choice("", *TIME_UNITS)] = ""
    rate_hz: Annotated[float | None, optional_number(0.001, 1e10, what="samples a second")] = None
    volts_unit: Annotated[str, choice("", *VOLT_UNITS)] = ""


class SimulatedForm(KeepForm):
    """A capture that the simulated scope takes."""

    uid: OptionalUid = None
    wrong: Annotated[str, choice(*WRONGS, SURPRISE)] = SURPRISE
    kind: Annotated[str, choice("switch", "coil")] = "switch"
    sim_teeth: Annotated[float, number(6, 200, what="the teeth of the ring")] = 48
    turn_hz: Annotated[float, number(0.2, 100, what="turns a second")] = 5


def about_from(form: TellForm) -> About:
    """What was told; `EntryError` for teeth that are no whole number, or a gap of nearly all of them."""
    for name in ("teeth", "gap_teeth"):
        value: float | None = getattr(form, name)
        if value is not None and value != int(value):
            raise EntryError(name, f"{value:g}", f"{value:g} is not a whole number of teeth.", "Type it as 60.")
    teeth, gap = (None if value is None else int(value) for value in (form.teeth, form.gap_teeth))
    if teeth is not None and gap is not None and gap > teeth // 2:
        raise EntryError(
            "gap_teeth", f"{gap}", f"{gap} of {teeth} left out is no gap.", "Type how many are missing side by side."
        )
    if form.pull_up_v is not None and form.shunt_ohm is not None:
        raise EntryError(
            "shunt_ohm",
            f"{form.shunt_ohm:g}",
            "An output is pulled up, or its current is read over a shunt.",
            "Leave one of the two empty.",
        )
    if form.angles and (gap or teeth not in {None, len(form.angles)}):
        raise EntryError(
            "angles",
            angles_text(form.angles),
            f"{len(form.angles)} angles are typed for {teeth or 'a ring of'} teeth{f' with {gap} left out' if gap else ''}.",
            "Type the angle of each tooth that is there, and leave the other two empty.",
        )
    return About(teeth=teeth, gap_teeth=gap, pull_up_v=form.pull_up_v, shunt_ohm=form.shunt_ohm, angles_deg=form.angles)


def identity_from(uid: UUID | None) -> UUID:
    """The form's own identity, so that one that is sent twice is one capture."""
    return uid or uuid4()
