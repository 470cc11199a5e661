"""Captures as scopes and loggers write them, and files that are something else."""

from __future__ import annotations

import gzip
import io

import numpy as np
import pytest

from irongauge.core.pulses.waveform import measure_waveform
from irongauge.errors import BadFileError
from irongauge.formats import capture_text, waveform_csv
from irongauge.formats.waveform_csv import read_waveform


def _rows(mark=",", *, comma=False, scale=(1.0, 1.0), count=2000, heading=None):
    """A 50 Hz square wave of 0.1 and 5 V, high for two fifths, a sample every 0.1 ms, written as asked."""
    lines = [f"time (s){mark}volts (V)" if heading is None else heading]
    for n in range(count):
        line = f"{n * 1e-4 / scale[0]:.6f}{mark}{(5.0 if n % 200 < 80 else 0.1) / scale[1]:.4f}"
        lines.append(line.replace(".", ",") if comma else line)
    return "\n".join(lines).encode()


READ = [
    ("comma and points", _rows()),
    ("semicolon and commas", _rows(";", comma=True)),
    ("tab and commas", _rows("\t", comma=True)),
    ("blanks", _rows("   ", heading="t/s   U/V")),
    ("heading with units", _rows(";", heading="Time (ms);Channel A (mV)", scale=(1e-3, 1e-3))),
    ("units in a row of their own", _rows(",", heading="Time,Channel A\n(us),(V)", scale=(1e-6, 1.0))),
    ("header lines", _rows(",", heading="Model,X-1\nSample rate,10000\nDate,2026-11-25\n\ntime [s],voltage [V]")),
    ("a byte order mark", b"\xef\xbb\xbf" + _rows()),
    ("UTF-16", _rows(",", heading="time (s),volts (V)").decode().encode("utf-16")),
    ("gzip", gzip.compress(_rows())),
    ("a mark at the end", _rows().replace(b"\n", b",\n")),
    ("a last row cut off", _rows() + b"\n0.2000,"),
    ("units of the axes", _rows(heading="Record,1\nVertical Units,V\nHorizontal Units,s\nProbe,10")),
    ("units of the axes, milli", _rows(heading="Horizontal Units,ms\nVertical Units,mV", scale=(1e-3, 1e-3))),
    (
        "samples that are numbered",
        _rows(heading="Index,CH1 (V)\nIncrement,1E-04", scale=(1e-4, 1.0)).replace(b".000000", b""),
    ),
]


@pytest.mark.parametrize("content", [r[1] for r in READ], ids=[r[0] for r in READ])
def test_a_capture_is_read_however_it_was_written(content):
    found = read_waveform("scope.csv", io.BytesIO(content))
    measured = measure_waveform(found.time_s, found.signal_v)
    assert measured.frequency_hz == pytest.approx(50, rel=1e-3)
    assert measured.duty_pct == pytest.approx(40, abs=0.3)
    assert measured.high_v == pytest.approx(5.0)
    assert "2,000 samples" in found.note


NB = "\N{NO-BREAK SPACE}"
# How headings were met; each was read as seconds or volts without a word once.
HEADINGS = [
    ("Time_ms,signal_mv", 1e-3, 1e-3),
    ("t/ms,U/mV", 1e-3, 1e-3),
    ("time ms,ch1 V", 1e-3, 1.0),
    ("Time(msec),Volt", 1e-3, 1.0),
    ("time (milliseconds),signal (millivolts)", 1e-3, 1e-3),
    ("время (мс),напряжение (мВ)", 1e-3, 1e-3),
    ("time_us,V", 1e-6, 1.0),
    ("Time [usec];CH1 [MV]", 1e-6, 1e-3),
    ("TIME (S);VOLTAGE (V)", 1.0, 1.0),
    ("t in ms;U in mV", 1e-3, 1e-3),
    ("second;Volt", 1.0, 1.0),
    ("Zeit in s;Spannung in V", 1.0, 1.0),
    ("timestamp_ns,signal_v", 1e-9, 1.0),
]


@pytest.mark.parametrize(("heading", "time_scale", "volts_scale"), HEADINGS, ids=[h[0] for h in HEADINGS])
def test_units_are_read_however_people_write_them(heading, time_scale, volts_scale):
    mark = ";" if ";" in heading else ","
    content = _rows(mark, heading=heading, scale=(time_scale, volts_scale))
    found = read_waveform("scope.csv", io.BytesIO(content))
    assert found.time_s[-1] == pytest.approx(0.1999, rel=1e-3)
    assert found.signal_v.max() == pytest.approx(5.0)


def test_a_micro_sign_of_an_older_character_set_is_read():
    content = _rows(",", heading="Time (µs),Volts (V)", scale=(1e-6, 1.0)).decode().encode("latin-1")
    assert read_waveform("scope.csv", io.BytesIO(content)).time_s[-1] == pytest.approx(0.1999, rel=1e-3)


def _written(row, mark="\n"):
    return mark.join(row(at / 1000, 0.1 if at % 20 < 10 else 4.9) for at in range(200))


# As programs of measuring instruments, spreadsheets and loggers write the same capture.
WRITTEN = {
    "strokes": "Time (s)|V (V)\n" + _written(lambda t, v: f"{t:.4f}|{v}"),
    "carriage returns": "Time (s),V (V)\r" + _written(lambda t, v: f"{t:.4f},{v}", "\r"),
    "commas in quotes": '"Time (s)","V (V)"\n' + _written(lambda t, v: f'"{t:.4f}","{v}"'.replace(".", ",")),
    "commas in quotes, semicolons": '"Time (s)";"V (V)"\n' + _written(lambda t, v: f'"{t:.4f}";"{v}"'.replace(".", ",")),
    "blank lines": "Time (s),V (V)\r\n\r\n" + _written(lambda t, v: f"{t:.4f},{v}", "\r\n\r\n"),
    "a long heading": "# line: 12\n" * 150 + "Time (s),V (V)\n" + _written(lambda t, v: f"{t:.4f},{v}"),
    "clock": "Time,V (V)\n" + _written(lambda t, v: f"12:30:{10 + t:07.4f},{v}"),
    "clock with commas": "Time;V (V)\n" + _written(lambda t, v: f"12:30:{10 + t:07.4f};{v}".replace(".", ",")),
    "date and clock": "Time,V (V)\n" + _written(lambda t, v: f"2026-03-01T12:30:{10 + t:07.4f}Z,{v}"),
    "over midnight": "Time,V (V)\n"
    + _written(lambda t, v: (f"23:59:{59.9 + t:07.4f}" if t < 0.1 else f"00:00:{t - 0.1:07.4f}") + f",{v}"),
    "blanks in thousands": "Time (us);V (mV)\n" + _written(lambda t, v: f"{t * 1e6:,.0f};{v * 1000:,.0f}".replace(",", " ")),
    "one column and a rate": "Sample rate: 1000 Hz\nV (V)\n" + _written(lambda _, v: f"{v}"),
    "one column and a rate in kS/s": "Sampling Rate;1 kS/s\nSignal [mV]\n" + _written(lambda _, v: f"{v * 1000:.0f}"),
    "one column and a step": "Interval,0.001 s\nVoltage [V]\n" + _written(lambda _, v: f"{v}"),
    "powers of ten": "Time (s),V (V)\n" + _written(lambda t, v: f"{t:.4E},{v:.3E}"),
    "a name twice": "Time (s),V (V),V (V)\n" + _written(lambda t, v: f"{t:.4f},{v},{v}"),
    "a mark at the end": "Time (s),V (V),\n" + _written(lambda t, v: f"{t:.4f},{v},"),
}  # fmt: skip


@pytest.mark.parametrize("text", WRITTEN.values(), ids=WRITTEN)
def test_a_capture_is_the_same_however_it_is_written(text):
    read = read_waveform("scope.csv", io.BytesIO(text.encode()))
    assert len(read.time_s) == 200
    assert read.time_s[-1] == pytest.approx(0.199, abs=1e-6)
    assert (read.signal_v.min(), read.signal_v.max()) == pytest.approx((0.1, 4.9))


def test_one_column_without_a_rate_asks_for_it_and_takes_it():
    text = ("V (V)\n" + _written(lambda _, v: f"{v}")).encode()
    with pytest.raises(BadFileError, match=r"one column of numbers and no times\. Type its samples a second"):
        read_waveform("scope.csv", io.BytesIO(text))
    assert read_waveform("scope.csv", io.BytesIO(text), rate_hz=500).time_s[-1] == pytest.approx(0.398)


@pytest.mark.parametrize(
    ("heading", "told", "asks"),
    [
        (
            "time,volts (V)",
            {},
            f"Its times name no unit: 10{NB}000 samples a second as s or 10{NB}000{NB}000 samples a second as ms",
        ),
        ("time (s),signal", {}, "Its volts name no unit: they begin with 0.1 to 5, which may be V or mV"),
        ("", {}, "Its times name no unit"),
        ("", {"time_unit": "s"}, "Its volts name no unit"),
    ],
)
def test_a_unit_that_stands_nowhere_is_asked_for(heading, told, asks):
    # With few rows the pulses would be cut short: what is asked shows both readings.
    content = _rows(heading=heading).lstrip()
    with pytest.raises(BadFileError) as error:
        read_waveform("scope.csv", io.BytesIO(content), **told)
    assert asks in str(error.value)
    assert "are in" in str(error.value)
    found = read_waveform("scope.csv", io.BytesIO(content), **({"time_unit": "ms", "volts_unit": "mV"} | told))
    assert found.signal_v.max() == pytest.approx(0.005)
    assert found.time_s[-1] == pytest.approx(0.1999 if told else 0.1999e-3, rel=1e-3)


def test_what_is_told_counts_more_than_the_heading():
    found = read_waveform("scope.csv", io.BytesIO(_rows(heading="time (s),volts (V)")), time_unit="ms")
    assert found.time_s[-1] == pytest.approx(0.1999e-3, rel=1e-3)


TWO = b"Time (ms),Channel A (V),Channel B (mV)\n" + b"\n".join(
    b"%d,%d,%d" % (n, n % 2, 500 * (n % 3)) for n in range(40)
)


@pytest.mark.parametrize(
    ("column", "most", "says"), [(None, 1.0, "column 2 (V)"), (2, 1.0, "column 2 (V)"), (3, 1.0, "column 3 (mV)")]
)
def test_another_channel_is_read_where_it_is_asked_for(column, most, says):
    found = read_waveform("two.csv", io.BytesIO(TWO), column)
    assert found.signal_v.max() == pytest.approx(most)
    assert len(set(found.signal_v.round(3))) == (3 if column == 3 else 2)
    assert says in found.note


@pytest.mark.parametrize("unit", ["km/h", "A", "bar", "°C"])
def test_a_column_that_says_it_is_something_else_is_refused(unit):
    content = TWO.replace(b"(mV)", f"({unit})".encode())
    assert read_waveform("two.csv", io.BytesIO(content)).signal_v.max() == 1.0
    with pytest.raises(BadFileError, match=f"column 3 is in {unit}, not volts"):
        read_waveform("two.csv", io.BytesIO(content), 3)


@pytest.mark.parametrize("column", [1, 4])
def test_a_column_without_volts_is_refused(column):
    with pytest.raises(BadFileError, match="Volts may be in column 2 or 3"):
        read_waveform("two.csv", io.BytesIO(TWO), column)


def test_volts_may_stand_before_the_time():
    swapped = "\n".join(",".join(reversed(line.split(","))) for line in _rows().decode().splitlines()[1:])
    found = read_waveform("x.csv", io.BytesIO(f"volts (V),time (s)\n{swapped}".encode()))
    assert measure_waveform(found.time_s, found.signal_v).frequency_hz == pytest.approx(50, rel=1e-3)


def test_gaps_and_rows_that_are_no_numbers_are_said():
    lines = _rows().decode().splitlines()
    lines[501] = "0.05,NaN"
    del lines[901:1201]
    found = read_waveform("x.csv", io.BytesIO("\n".join(lines).encode()))
    assert "1 rows that are not numbers left out" in found.note
    assert "1 gap in time" in found.note


REFUSED = [
    ("empty", b"", "It is empty"),
    ("binary", b"\x00\x01\x02" * 400, "It is not text"),
    ("words", b"a,b\nc,d\n", "columns cannot be told apart"),
    ("one column", b"1\n2\n3\n", "columns cannot be told apart"),
    ("one row", b"0.1,5\n", "rows of numbers"),
    ("commas between and inside", b"\n".join(b"0,%d,5,0" % n for n in range(9)), "commas both between and inside"),
    ("no time", b"5,1\n4,2\n5,1\n4,2\n5,1\n4,2\n5,1\n4,2\n5,1\n", "none can be the time"),
    (
        "time goes back",
        _rows(count=300) + b"\n" + _rows(count=300, heading="").lstrip(),
        "goes back or stands at row 302",
    ),
    ("mostly words", _rows(count=60) + b"\n" + b"x,y\n" * 60, "are not numbers, the first is row 62"),
    ("damaged gzip", gzip.compress(_rows())[:-900], "breaks off or is damaged"),
]


@pytest.mark.parametrize(("content", "says"), [r[1:] for r in REFUSED], ids=[r[0] for r in REFUSED])
def test_what_is_no_capture_is_told_by_its_name(content, says):
    with pytest.raises(BadFileError) as error:
        read_waveform("odd.csv", io.BytesIO(content))
    assert says in str(error.value)
    assert "odd.csv" in str(error.value)


def test_a_small_file_that_unpacks_to_gigabytes_is_refused_before_it_does(monkeypatch):
    monkeypatch.setattr(capture_text, "_MOST_BYTES", 3_000_000)
    bomb = gzip.compress(b"0.1,5.0\n" * 2_000_000)
    assert len(bomb) < 100_000
    with pytest.raises(BadFileError, match="more than 3 MB of text"):
        read_waveform("bomb.csv.gz", io.BytesIO(bomb))


def test_more_samples_than_are_taken_in_are_refused(monkeypatch):
    monkeypatch.setattr(waveform_csv, "MOST_SAMPLES", 1000)
    with pytest.raises(BadFileError, match="more than 1,000 samples"):
        read_waveform("long.csv", io.BytesIO(_rows()))


def test_what_was_read_starts_at_zero_and_keeps_its_steps():
    found = read_waveform("x.csv", io.BytesIO(_rows(count=100).replace(b"0.000000", b"-0.000050")))
    assert found.time_s[0] == 0.0
    assert np.diff(found.time_s)[1:] == pytest.approx(1e-4, rel=1e-6)
