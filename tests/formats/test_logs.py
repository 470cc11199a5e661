"""Logs as loggers write them: tables in many hands, MDF 4 written by its own library, CAN traces with their DBC file."""

from __future__ import annotations

import contextlib
import gc
import gzip
from datetime import UTC, datetime

import can
import numpy as np
import pytest
from asammdf import MDF, Signal

from irongauge.errors import BadFileError
from irongauge.formats.log_can import read_dbc, read_log_can
from irongauge.formats.log_csv import read_log_csv
from irongauge.formats.log_mdf import read_log_mdf

N = 40
DBC = b"""VERSION ""

BU_: ECU

BO_ 291 Engine: 8 ECU
 SG_ EngineSpeed : 0|16@1+ (0.25,0) [0|16000] "rpm" ECU
 SG_ CoolantTemp : 16|8@1+ (1,-40) [-40|215] "degC" ECU

BO_ 2147484448 Oil: 4 ECU
 SG_ OilPressure : 7|16@0+ (0.1,0) [0|1000] "kPa" ECU
"""


def table(heading, row, *, mark=",", lines=N, before=()):
    return "\n".join([*before, *heading, *(mark.join(row(n)) for n in range(lines))]) + "\n"


def read(tmp_path, content, name="log.csv", **more):
    path = tmp_path / name
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return read_log_csv(name, path, **more)


def told(log):
    return [(c.name, c.unit) for c in log.channels]


def seconds(n):
    return f"{n * 0.1:.1f}"


@pytest.mark.parametrize(
    ("heading", "row", "mark", "names", "last_s", "value"),
    [
        (["Time (s),RPM,Oil P [bar]"], lambda n: [seconds(n), f"{700 + n}", "3.4"], ",", [("RPM", ""), ("Oil P", "bar")],
         3.9, 739),
        (["Zeit;Drehzahl (1/min)"], lambda n: [seconds(n).replace(".", ","), f"{700 + n},5"], ";", [("Drehzahl", "1/min")], 3.9,
         739.5),
        (["time\trpm", "s\t1/min"], lambda n: [seconds(n), f"{700 + n}"], "\t", [("rpm", "1/min")], 3.9, 739),
        (["time_ms,rpm"], lambda n: [f"{n * 100}", f"{700 + n}"], ",", [("rpm", "")], 3.9, 739),
        (["Timestamp,rpm"], lambda n: [f"2026-11-20T09:00:{n:02d}Z", f"{700 + n}"], ",", [("rpm", "")], 39, 739),
        (["Time,rpm"], lambda n: [f"09:59:{20 + n}" if n < 40 else "", f"{700 + n}"], ",", [("rpm", "")], 39, 739),
        (["time,rpm"], lambda n: [f"{1_795_000_000 + n}", f"{700 + n}"], ",", [("rpm", "")], 39, 739),
        (["rpm,time"], lambda n: [f"{700 + n}", seconds(n)], ",", [("rpm", "")], 3.9, 739),
        (["# Sample rate: 10 Hz", "rpm,load"], lambda n: [f"{700 + (n * 37) % 5}", "12.5"], ",", [("rpm", ""), ("load", "")],
         3.9, 703),
    ],
    ids=["units behind", "decimal commas", "line of units", "ms in the name", "date and time", "time of day", "epoch",
         "time last", "rate alone"],
)  # fmt: skip
def test_tables_are_read_as_loggers_write_them(tmp_path, heading, row, mark, names, last_s, value):
    log = read(tmp_path, table(heading, row, mark=mark))
    assert told(log) == names
    assert log.channels[0].time_s[-1] == pytest.approx(last_s)
    assert log.channels[0].value[-1] == pytest.approx(value)


def test_what_stands_before_the_heading_and_what_is_no_number_is_passed_over(tmp_path):
    def row(n):
        return [seconds(n), f"{700 + n}" if n != 7 else "---", "ON" if n % 2 else "OFF", "" if n % 2 else "88"]

    log = read(tmp_path, table(["Time (s),RPM,Fan,ECT (°C)"], row, before=["RimeLog 3.1", "Vehicle: LT-7"]))
    assert told(log) == [("RPM", ""), ("ECT", "°C")]
    assert np.isnan(log.channels[0].value[7])
    assert np.isfinite(log.channels[1].value).sum() == N / 2
    assert "without numbers: Fan" in log.note


def test_packed_and_wide_text_is_read_and_names_are_told_apart(tmp_path):
    text = table(["Time (s),P,P,p"], lambda n: [seconds(n), "1", "2", "3"])
    assert [c.name for c in read(tmp_path, gzip.compress(text.encode()), "log.csv.gz").channels] == [
        "P",
        "P (2)",
        "p (3)",
    ]
    assert len(read(tmp_path, text.encode("utf-16")).channels) == 3


@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
def test_headings_of_western_windows_and_any_end_of_line_are_read(tmp_path, end):
    text = table(
        ["Zeit (s);Kühlmitteltemperatur (°C);"], lambda n: [seconds(n).replace(".", ","), f"{20 + n}", ""], mark=";"
    )
    log = read(tmp_path, text.replace("\n", end).encode("cp1252"))
    assert told(log) == [("Kühlmitteltemperatur", "°C")]
    assert log.channels[0].value[-1] == 59


def test_rows_that_are_wider_or_narrower_than_the_heading_are_read(tmp_path):
    log = read(tmp_path, table(["time,rpm"], lambda n: [seconds(n), f"{700 + n}", "9", "9"]))
    assert (told(log), log.channels[0].value[-1]) == ([("rpm", "")], 739)
    ragged = table(["time,rpm,load"], lambda n: [seconds(n), f"{700 + n}", "5"][: 3 - n % 2])
    assert np.isnan(read(tmp_path, ragged).channels[1].value).sum() == N / 2


def test_when_a_log_began_is_read_where_it_says_so(tmp_path):
    log = read(tmp_path, table(["time,rpm"], lambda n: [f"2026-11-20 09:00:{n:02d}", "700"]))
    assert log.started_at == datetime(2026, 11, 20, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    ("content", "says", "do"),
    [
        ("", "is empty", "Save the log"),
        ("a,b\n", "No rows", "column of times"),
        (table(["time,rpm"], lambda n: [seconds(n), "7"], lines=5), "has 5 rows", "at least 20"),
        (table(["t1,rpm"], lambda _: ["5", "7"]), "None of its columns has times", "or its rate"),
        (table([], lambda n: [seconds(n), "7"]), "No line of it names", "first line names"),
        (table(["time,rpm"], lambda n: [seconds(n), "x"]), "No rows", "column of times"),
        (table(["time,rpm"], lambda n: [f"{n * 2}", "7"], lines=40), "come 2 apart", "Say whether they are s"),
        (b"\x00\x01\x02" * 400, "is not text", "MDF 4"),
        (b"\x1f\x8b\x08\x00broken", "breaks off or is damaged", "Save it again"),
    ],
    ids=["empty", "no rows", "few rows", "no times", "no heading", "no numbers", "no unit of times", "binary", "broken gzip"],
)  # fmt: skip
def test_what_is_no_log_is_refused_with_what_would_do(tmp_path, content, says, do):
    with pytest.raises(BadFileError) as caught:
        read(tmp_path, content)
    assert says in str(caught.value)
    assert do in str(caught.value)


def test_the_unit_of_times_can_be_told(tmp_path):
    text = table(["time,rpm"], lambda n: [f"{n * 2}", "7"])
    assert read(tmp_path, text, time_unit="ms").channels[0].time_s[-1] == pytest.approx(0.078)
    assert read(tmp_path, text, time_unit="s").channels[0].time_s[-1] == pytest.approx(78)


def measurement(path):
    with MDF(version="4.10") as mdf:
        mdf.header.start_time = datetime(2026, 11, 20, 9, tzinfo=UTC)
        t = np.arange(500) * 0.02 + 3
        mdf.append([Signal(700 + np.arange(500.0), t, unit="rpm", name="Engine speed"),
                    Signal(np.full(500, 88, dtype=np.uint8), t, unit="°C", name="ECT")])  # fmt: skip
        slow = np.arange(30) * 0.5 + 3
        mdf.append([Signal(np.linspace(1, 2, 30), slow, unit="bar", name="Oil pressure"),
                    Signal(np.array([b"ON"] * 30), slow, name="Fan", encoding="utf-8")])  # fmt: skip
        mdf.save(path, overwrite=True)


def test_a_measurement_of_many_rates_is_read_with_each_groups_own_times(tmp_path):
    path = tmp_path / "drive.mf4"
    measurement(path)
    log = read_log_mdf("drive.mf4", path)
    assert told(log) == [("Engine speed", "rpm"), ("ECT", "°C"), ("Oil pressure", "bar")]
    assert [len(c.time_s) for c in log.channels] == [500, 500, 30]
    assert log.channels[0].time_s is log.channels[1].time_s
    assert log.channels[2].time_s[-1] == pytest.approx(14.5)
    assert log.channels[2].value[-1] == pytest.approx(2)
    assert log.started_at == datetime(2026, 11, 20, 9, tzinfo=UTC)


@pytest.mark.filterwarnings(
    "ignore::pytest.PytestUnraisableExceptionWarning"
)  # the library's own end of a half-opened file
@pytest.mark.parametrize("share", [0.0, 0.001, 0.05, 0.3, 0.6, 0.9])
def test_a_measurement_that_breaks_off_is_refused_or_read_and_never_fails(tmp_path, share):
    whole = tmp_path / "whole.mf4"
    measurement(whole)
    content = whole.read_bytes()
    path = tmp_path / "part.mf4"
    path.write_bytes(content[: int(share * len(content))])
    with contextlib.suppress(BadFileError):  # any other error is a fault of ours
        assert read_log_mdf("part.mf4", path).channels
    gc.collect()  # that end comes here, and not in another test


@pytest.mark.parametrize("suffix", [".log", ".asc", ".blf"])
def test_a_can_trace_is_decoded_by_its_description(tmp_path, suffix):
    path = tmp_path / f"bus{suffix}"
    with can.Logger(path) as writer:
        for n in range(60):
            speed = round((700 + n) / 0.25)
            writer(can.Message(timestamp=1000 + n * 0.1, arbitration_id=291, is_extended_id=False,
                               data=[speed & 255, speed >> 8, 128, 0, 0, 0, 0, 0]))  # fmt: skip
            pressure = 3400 + n
            writer(can.Message(timestamp=1000.01 + n * 0.1, arbitration_id=800, is_extended_id=True,
                               data=[pressure >> 8, pressure & 255, 0, 0]))  # fmt: skip
            writer(can.Message(timestamp=1000.02 + n * 0.1, arbitration_id=77, is_extended_id=False, data=[1]))
    log = read_log_can(path.name, path, "bus.dbc", DBC)
    by_name = {c.name: c for c in log.channels}
    assert {(c.name, c.unit) for c in log.channels} == {
        ("EngineSpeed", "rpm"),
        ("CoolantTemp", "degC"),
        ("OilPressure", "kPa"),
    }
    assert by_name["EngineSpeed"].value[-1] == pytest.approx(759)
    assert by_name["CoolantTemp"].value[0] == pytest.approx(88)
    assert by_name["OilPressure"].value[-1] == pytest.approx(345.9)
    assert by_name["EngineSpeed"].time_s[-1] == pytest.approx(5.9, abs=0.02)
    assert "60 of them not described" in log.note


def test_descriptions_that_contradict_themselves_or_are_none_are_refused(tmp_path):
    overlapping = DBC.replace(b"SG_ CoolantTemp : 16|8", b"SG_ CoolantTemp : 8|8")
    with pytest.raises(BadFileError, match="overlapping"):
        read_dbc("bus.dbc", overlapping)
    for content in (b"", b"hello", b"\xff" * 200):
        with pytest.raises(BadFileError, match=r"bus\.dbc"):
            read_dbc("bus.dbc", content)
    path = tmp_path / "bus.log"
    path.write_text("nothing of the kind\n" * 30)
    with pytest.raises(BadFileError, match=r"bus\.log"):
        read_log_can("bus.log", path, "bus.dbc", DBC)


def _noon(n):
    return f"{'11:59' if n < 20 else '12:00'}:{(40 + n) % 60:02d} {'AM' if n < 20 else 'PM'}"


def _end_of_summer(n):
    return f"2031-10-26T02:{'59' if n < 20 else '00'}:{(40 + n) % 60:02d}+0{2 if n < 20 else 1}:00"


def _turned(n):
    return n ^ 1 if n % 10 < 2 else n


def _row(n):
    return f"{n / 10:.1f},{800 + n},3.1"


@pytest.mark.parametrize(
    ("heading", "row", "before", "first", "last", "last_s"),
    [
        # A channel that is silent at first takes no rows of the others with it.
        (["time,rpm,oil"], lambda n: f"{n / 10:.1f},{800 + n},{'' if n < 30 else 3.1}", (), 800, 839, 3.9),
        (["time,rpm,oil"], lambda n: f"{n / 10:.1f},{800 + n}{'' if n < 30 else ',3.1'}", (), 800, 839, 3.9),
        # What stands before the heading is none, though it has a comma.
        (["time,rpm,oil"], _row, ("Logger v3, build 5",), 800, 839, 3.9),
        (["time,rpm,oil"], _row, ("Driver,A", "Channels,2"), 800, 839, 3.9),
        # A temperature that rises is no time, least of all where the rate is written.
        (["rpm,coolant (°C)"], lambda n: f"{800 + n},{20 + n * 0.3:.1f}", ("Sample rate: 10 Hz",), 800, 839, 3.9),
        (["rpm,coolant (°C)"], lambda n: f"{800 + n},{20 + n * 0.3:.1f}", ("Rate [Hz],10",), 800, 839, 3.9),
        (["rpm,coolant (°C)"], lambda n: f"{800 + n},{20 + n * 0.3:.1f}", ("Interval (ms),100",), 800, 839, 3.9),
        # Thousands.
        (["time,rpm,oil"], lambda n: f'{n / 10:.1f},"1,{800 + n}",3.1', (), 1800, 1839, 3.9),
        (["time,rpm,oil"], lambda n: f'{n / 10:.1f},"1,{800 + n}.5",310.5', (), 1800.5, 1839.5, 3.9),
        (["time,rpm"], lambda n: f'{n},"{"1,0" if n > 9 else "9"}{10 + n}"', (), 910, 1049, 39),
        (["time,rpm,oil"], lambda n: f"{n / 10:.1f},1'{800 + n}.5,310", (), 1800.5, 1839.5, 3.9),
        (["time;rpm;oil"], lambda n: f"{n / 10:.1f};1\u202f{800 + n};3,1".replace(".", ","), (), 1800, 1839, 3.9),
        # Quoted decimal commas between commas; a minus as printers have it.
        (["time,rpm"], lambda n: f'"{n},5","{n + 1},25"', (), 1.25, 40.25, 39),
        (["time,rpm"], lambda n: f"{n / 10:.1f},−{n}.5", (), -0.5, -39.5, 3.9),
        # Times: of tables of figures, day first, twelve hours, and across the end of summer time.
        (["Date,rpm"], lambda n: f"{48176.5 + n / 86400:.8f},{800 + n}", (), 800, 839, 39),
        (["time,rpm"], lambda n: f"24.11.2031 23:59:{40 + n // 2:02d}.{n % 2 * 5},{800 + n}", (), 800, 839, 19.5),
        (["time,rpm"], lambda n: f"11/24/2031 {_noon(n)},{800 + n}", (), 800, 839, 39),
        (["time,rpm"], lambda n: f"{_end_of_summer(n)},{800 + n}", (), 800, 839, 39),
        # Ten rows to a stamp are a tenth of a second each; rows out of turn are put back.
        (["time,rpm"], lambda n: f"12:00:{n // 10:02d},{800 + n}", (), 800, 839, 3.9),
        (["time,rpm"], lambda n: f"{_turned(n) / 10:.1f},{800 + _turned(n)}", (), 800, 839, 3.9),
    ],
)  # fmt: skip
def test_what_loggers_do_loses_no_row_and_mistakes_none(tmp_path, heading, row, before, first, last, last_s):
    log = read(tmp_path, table(heading, lambda n: [row(n)], before=before))
    channel = log.channels[0]
    assert len(channel.value) == N
    assert channel.value[[0, -1]].tolist() == pytest.approx([first, last])
    assert channel.time_s[-1] == pytest.approx(last_s, abs=0.01)
    assert np.all(np.diff(channel.time_s) > 0)


def test_a_heading_that_comes_again_is_no_row_and_it_is_said_that_it_was_left_out(tmp_path):
    content = "".join(("time,rpm\n" if n % 20 == 0 else "") + f"{n / 10:.1f},{800 + n}\n" for n in range(N))
    log = read(tmp_path, content)
    assert log.channels[0].value.tolist() == list(range(800, 840))
    assert "1 rows left out" in log.note


@pytest.mark.parametrize("names", ["t1,rpm,t2,oil", "rpm time (s),rpm,oil time (s),oil"])
def test_each_channel_may_have_its_own_column_of_times(tmp_path, names):
    log = read(tmp_path, table([names], lambda n: [f"{n / 10:.1f},{800 + n},{n / 2:.1f},{3 + n / 100:.2f}"]))
    assert [(c.name, c.time_s[-1]) for c in log.channels] == [("rpm", pytest.approx(3.9)), ("oil", pytest.approx(19.5))]


@pytest.mark.parametrize(
    ("heading", "more"), [("time,name,value", ("", "")), ("timestamp;signal;value;unit", (";1/min", ";bar"))]
)
def test_a_row_for_each_value_becomes_a_channel_for_each_name(tmp_path, heading, more):
    mark = ";" if ";" in heading else ","
    rows = (
        f"{n / 10:.1f}{mark}{name}{mark}{value}{unit}"
        for n in range(N)
        for name, value, unit in (("rpm", 800 + n, more[0]), ("oil", 3.1, more[1]))
    )
    log = read(tmp_path, "\n".join([heading, *rows]) + "\n")
    assert [(c.name, c.unit, len(c.value)) for c in log.channels] == [
        ("rpm", more[0].strip(";"), N),
        ("oil", more[1].strip(";"), N),
    ]
    assert log.channels[0].time_s[-1] == pytest.approx(3.9, abs=0.06)


def test_a_word_in_brackets_that_is_no_unit_tells_two_headings_apart(tmp_path):
    heading = "time (s),Road speed (km/h),Road speed (dash),Oil (bar),Boost (mbar)"
    log = read(tmp_path, table([heading], lambda n: [f"{n / 10:.1f},{50 + n},{51 + n},3.1,900"]))
    assert told(log) == [("Road speed", "km/h"), ("Road speed (dash)", ""), ("Oil", "bar"), ("Boost", "mbar")]


@pytest.mark.parametrize(("usual", "taken", "last_s"), [("", "ms", 0.39), ("s", "s", 390.0)])
def test_times_of_no_unit_are_taken_as_the_loggers_others_are(tmp_path, usual, taken, last_s):
    content = table(["Time,RPM"], lambda n: [f"{10 * n}", f"{800 + n}"])
    logger = read(tmp_path, content).logger
    log = read(tmp_path, content, units_by_logger={logger: usual})
    assert (log.taken_unit, log.channels[0].time_s[-1]) == (taken, pytest.approx(last_s))
    assert read(tmp_path, content, time_unit="min", units_by_logger={logger: usual}).taken_unit == ""
    said = read(tmp_path, content.replace("Time", "Time (ms)"), units_by_logger={logger: usual})
    assert (said.taken_unit, said.channels[0].time_s[-1]) == ("", pytest.approx(0.39))
