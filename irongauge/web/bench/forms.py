"""The form of the Bench: one reading."""

from __future__ import annotations

from typing import Annotated

from irongauge.core.bench.case import BenchCase
from irongauge.core.measure.quantities import SupersedeReason
from irongauge.core.measure.units import from_fixed
from irongauge.web.forms import OptionalUid, PostedForm, choice, text

__all__ = ["ReadingForm", "stimulus_text"]


class ReadingForm(PostedForm):
    """A reading as the Bench sends it."""

    uid: OptionalUid = None
    test_point: Annotated[str, text(60, what="the step")]
    value: str = ""
    stimulus: str = ""
    technician_uid: OptionalUid = None
    instrument_uid: OptionalUid = None
    stimulus_instrument_uid: OptionalUid = None
    seen_uid: OptionalUid = None
    read_off: Annotated[str, text(200, what="what the meter showed", needed=False)] = ""
    overdue_why: Annotated[str, text(200, what="why it is used", needed=False)] = ""
    reason: Annotated[str, choice("", *SupersedeReason)] = ""


def stimulus_text(case: BenchCase, point: int) -> str:
    """The stimulus of a point as the Bench's field starts with it: a number in the shop's unit."""
    value = case.stimulus_value(point)
    return "" if value is None or case.value_unit is None else f"{from_fixed(value, case.value_unit):.5g}"
