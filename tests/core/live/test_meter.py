"""What a meter on the network answers, by SCPI-99's own forms, and what is refused of it."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from irongauge.core.live.meter import MeterFunction, read_meter_answers
from irongauge.core.measure.entry import parse_entry
from irongauge.core.measure.units import Quantity
from irongauge.errors import InstrumentError

V, OHM = MeterFunction.DC_VOLTS, MeterFunction.OHMS


@pytest.mark.parametrize(
    ("conf", "reading", "wanted", "typed"),
    [
        ('"VOLT +1.000000E+01,+1.000000E-05"', "+4.98213400E+00", V, "4.98213"),
        ('"VOLT:DC 10,0.00001"', "4.98\n", V, "4.98"),
        ("VOLTage:DC 100", "-0.00043", V, "-0.00043"),
        ('"VOLT +1.0E-01,+1.0E-06"', "+1.2E-05", V, "0.000012"),
        ('"RES +1.000000E+03"', "+3.86E+01", OHM, "38.6"),
        ('"RESistance 1000"', "+9.90000000E+37", OHM, "OL"),
        ('"CURR +1.0E-01"', "+4.0213E-03", MeterFunction.MILLIAMPS, "4.0213"),
        ('"VOLT:AC 10"', "1.25", MeterFunction.AC_VOLTS, "1.25"),
        ('"FREQ 20"', "316.836", MeterFunction.HERTZ, "316.836"),
        ("VOLT", "12.6", V, "12.6"),
    ],
)
def test_a_reading_is_taken_as_the_meter_shows_it(conf: str, reading: str, wanted: MeterFunction, typed: str) -> None:
    shows = read_meter_answers(conf, reading, wanted)
    assert shows.typed == typed
    assert reading.strip() in shows.said


@pytest.mark.parametrize(
    ("conf", "reading", "said"),
    [
        ('"RES 1000"', "38.6", "set to ohms; this step needs DC volts"),
        ('"VOLT:AC 10"', "1.2", "set to AC volts"),
        ("DIODE", "0.6", "which is not known here"),
        ("", "4.98", "which is not known here"),
        ('"VOLT 10"', "banana", "“banana”, which is no reading"),
        ('"VOLT 10"', "", "is no reading"),
        ('"VOLT 10"', "4.98,5.01", "is no reading"),
        ('"VOLT 10"', "nan", "is no reading"),
        ('"VOLT 10"', "1e999", "is no reading"),
        ('"VOLT 10"', "+9.91E+37", "is no reading"),
        ('"VOLT 10"', "+9.90E+37", "overload on its 10 range"),
        ('"VOLT 10"', "48.2", "says 48.2 on a range of 10"),
        ('"VOLT"', "1E20", "1e\\+20 V, which nothing on a vehicle has"),
    ],
)
def test_a_meter_that_is_set_otherwise_or_answers_nonsense_is_refused(conf: str, reading: str, said: str) -> None:
    with pytest.raises(InstrumentError, match=said):
        read_meter_answers(conf, reading, V)


@given(st.floats(-1000, 1000))
def test_what_is_filled_in_reads_back_as_the_meter_said(value: float) -> None:
    typed = read_meter_answers('"VOLT 1000"', f"{value:+.8E}", V).typed
    assert parse_entry(typed, Quantity.VOLTAGE).value == pytest.approx(value, rel=1e-5, abs=1e-8)


@given(st.text(max_size=30), st.text(max_size=30), st.sampled_from(MeterFunction))
def test_no_answer_breaks_the_reader(conf: str, reading: str, wanted: MeterFunction) -> None:
    with contextlib.suppress(InstrumentError):
        assert read_meter_answers(conf, reading, wanted).typed
