"""Logs from the file that is handed in to what is usual for the vehicle: through the queue, a killed worker, and another unit."""

from __future__ import annotations

import io
import os
import signal
import subprocess
import sys
import time
from datetime import UTC, datetime
from uuid import uuid4

import numpy as np
import pytest
from sqlalchemy import text

from irongauge.core.bench.actions import Action
from irongauge.core.measure.quantities import Mark, Reading, TestPoint, VehicleState
from irongauge.core.shop import Shop
from irongauge.core.traces.findings import FindingKind
from irongauge.core.traces.record import ChannelMeaning, KeptReading, KeptRule, LogState
from irongauge.core.traces.senses import Sense
from irongauge.demo.shelf import uid_of
from irongauge.errors import EntryError, NotFoundError
from irongauge.formats.job_json import read_job, write_job
from irongauge.workflows.shop.queue import read_later, take_up, work_off
from irongauge.workflows.shop.transfer import export_job, import_job
from irongauge.workflows.trace.health_rules import add_rule, dry_run, look_at_rules
from irongauge.workflows.trace.log_channels import tell_channels, tell_time_unit
from irongauge.workflows.trace.logs import (
    NewLog,
    hand_in,
    judge_again,
    look_at_log,
    look_at_logs,
    look_at_peaks,
    look_at_stretches,
    read_waiting,
    remove_log,
)
from irongauge.workflows.trace.normals import (
    baseline_of,
    look_at_normals,
    say_well,
    standing_of_reading,
    standings_of,
    unusual_logs,
)
from tests.shops import open_shop
from tests.workflows.test_plans import circuit_named
from tools.logging_drives import made_drive

P2, LT7 = uid_of("P-2"), uid_of("LT-7")


def as_csv(log, *, change=None):
    """A made drive as a logger writes it; `change` may alter a column by its name."""
    columns = {f"{c.name} ({c.unit})": c.value for c in log.channels}
    for name, value in (change or {}).items():
        columns[name] = value(columns[name])
    rows = np.column_stack([log.channels[0].time_s, *columns.values()])
    out = io.StringIO()
    out.write(",".join(["Time (s)", *columns]) + "\n")
    np.savetxt(out, rows, fmt="%.6g", delimiter=",")
    return out.getvalue().replace("nan", "").encode()


def handed_in(database, content, *, vehicle=P2, name="log.csv", **more):
    uid = uuid4()
    hand_in(database, NewLog(uid=uid, name=name, vehicle_uid=vehicle, **more), io.BytesIO(content))
    return uid


def taken_in(database, content, **more):
    uid = handed_in(database, content, **more)
    read_waiting(database, uid)
    return look_at_log(database, uid).log


def test_a_log_goes_through_the_queue_and_is_judged(demo):
    made = made_drive(FindingKind.CLAMPED, 3)
    uid = handed_in(demo, as_csv(made.log))
    assert look_at_log(demo, uid).log.state is LogState.WAITING
    shop = look_at_logs(demo).shop
    read_later(demo, uid, shop.uid)
    read_later(demo, uid, shop.uid)  # asked for twice, done once
    work_off(demo)
    log = look_at_log(demo, uid).log
    assert log.state is LogState.READY
    assert [(f.kind, f.channel) for f in log.findings] == [(FindingKind.CLAMPED, made.channels[0])]
    assert log.seconds == pytest.approx(float(made.log.channels[0].time_s[-1]), rel=1e-4)
    with demo.engine.connect() as connection:
        assert connection.scalar(text("SELECT count(*) FROM log_piece")) == 0
        assert connection.scalar(text("SELECT count(*) FROM queue.procrastinate_jobs")) == 0


def _states(database, *uids):
    return {look_at_log(database, uid).log.state for uid in uids}


def test_a_worker_that_is_killed_loses_nothing(demo):
    uid = handed_in(demo, as_csv(made_drive(None, 5).log))
    read_later(demo, uid, look_at_logs(demo).shop.uid)
    forgotten = handed_in(
        demo, as_csv(made_drive(None, 6).log)
    )  # its server was killed before it was put into the queue
    environment = {**os.environ, "DATABASE_URL": demo.engine.url.render_as_string(hide_password=False)}
    command = [sys.executable, "-c", "from tests.workflows.slow_worker import main; main()"]
    first = subprocess.Popen(command, env=environment)
    deadline = time.monotonic() + 60
    while look_at_log(demo, uid).log.state is LogState.WAITING and time.monotonic() < deadline:
        time.sleep(0.1)
    assert look_at_log(demo, uid).log.state is LogState.READING
    first.send_signal(signal.SIGKILL)
    first.wait()
    second = subprocess.Popen([sys.executable, "-m", "irongauge", "work"], env=environment, stdin=subprocess.PIPE)
    try:
        while _states(demo, uid, forgotten) != {LogState.READY} and time.monotonic() < deadline + 30:
            time.sleep(0.2)
        assert _states(demo, uid, forgotten) == {LogState.READY}
    finally:
        second.communicate()  # its input ends, and so does it
    assert second.returncode is not None


def test_the_same_file_is_not_taken_in_as_a_log_of_another_vehicle(demo):
    content = as_csv(made_drive(None, 6).log)
    handed_in(demo, content, name="monday.csv")
    with pytest.raises(EntryError, match=r"is there already, as “monday\.csv” of P-2"):
        handed_in(demo, content, vehicle=uid_of("LT-7"))
    assert all(log.vehicle_uid != uid_of("LT-7") or log.name != "log.csv" for log in look_at_logs(demo).logs)


def test_only_a_marked_stretch_of_a_log_tells_what_is_usual(demo):
    log = taken_in(demo, as_csv(made_drive(None, 12).log))
    say_well(demo, log.uid, is_well=True)

    def readings():
        with demo.unit() as store:
            return [r for r in store.traces.normal_readings(P2) if r.log_uid == log.uid]

    every = len(readings())
    assert say_well(demo, log.uid, is_well=True, stretch_s=(10.0, log.seconds / 2))
    judge_again(demo, log.uid)
    assert 0 < len(readings()) < every
    assert look_at_log(demo, log.uid).log.well_stretch_s == (10.0, log.seconds / 2)
    assert not say_well(demo, log.uid, is_well=True, stretch_s=(10.0, log.seconds / 2))
    for stretch in ((5.0, 5.0), (-1.0, 5.0), (0.0, log.seconds + 60)):
        with pytest.raises(EntryError, match="lies between 0 and"):
            say_well(demo, log.uid, is_well=True, stretch_s=stretch)
    assert say_well(demo, log.uid, is_well=False)


def test_what_a_calibration_and_a_waveform_showed_is_usual_once_the_job_is_handed_over(demo):
    names = {line.normal.channel for line in look_at_normals(demo, P2).lines}
    assert "Brake reservoir pressure: error of its zero" in names
    assert "Brake reservoir pressure: error of its span" in names


def test_a_scale_that_is_split_at_zero_is_read_as_its_display_shows_it(demo):
    """Inches of mercury below zero and psi above: -20 is -67.7 kPa, 10 is 68.9 kPa (NIST SP 811)."""
    rows = [f"{at / 10},{800 + at % 7},{-20 + at * 0.1:.2f}" for at in range(400)]
    uid = handed_in(demo, ("Time (s),RPM,Boost (inHg/psi)\n" + "\n".join(rows)).encode())
    read_waiting(demo, uid)
    boost = next(c for c in look_at_log(demo, uid).log.channels if c.name == "Boost")
    assert boost.is_split
    assert (boost.low, boost.high) == (pytest.approx(-67.73, abs=0.01), pytest.approx(19.9 * 6.894757, abs=0.05))
    ((_, stretch),) = look_at_stretches(demo, uid, [boost.place], (0.0, 40.0), 1000)
    assert float(stretch.low[0]) == pytest.approx(-67.73, abs=0.01)
    assert float(stretch.high[-1]) == pytest.approx(19.9 * 6.894757, abs=0.05)
    tell_channels(demo, uid, [ChannelMeaning(heading="Boost", sense=Sense.BOOST_PRESSURE, unit="psi")])
    plain = next(c for c in look_at_log(demo, uid).log.channels if c.name == "Boost")
    assert not plain.is_split
    assert plain.low == pytest.approx(-20 * 6.894757, abs=0.01)


def test_the_same_log_handed_in_twice_is_one(demo):
    content = as_csv(made_drive(None, 6).log)
    uid = handed_in(demo, content)
    hand_in(demo, NewLog(uid=uid, name="log.csv", vehicle_uid=P2), io.BytesIO(content))
    read_waiting(demo, uid)
    read_waiting(demo, uid)
    assert sum(log.uid == uid for log in look_at_logs(demo).logs) == 1


@pytest.mark.parametrize(
    ("content", "name", "says"),
    [
        (b"time,rpm\n1,2\n", "few.csv", "few.csv"),
        (b"(1000.1) can0 123#1122\n" * 30, "bus.log", "nothing says what its frames mean"),
    ],
)
def test_what_cannot_be_read_is_refused_and_says_why(demo, content, name, says):
    log = taken_in(demo, content, name=name)
    assert log.state is LogState.REFUSED
    assert says in log.doing
    assert log.channels == ()


def test_an_empty_file_and_a_vehicle_that_is_not_there_are_refused_at_once(demo):
    with pytest.raises(EntryError, match="It is empty"):
        handed_in(demo, b"")
    with pytest.raises(NotFoundError):
        handed_in(demo, b"x", vehicle=uuid4())
    assert len(look_at_logs(demo).logs) == 6, "those of the demo"


def test_a_unit_that_is_chosen_holds_for_this_log_and_later_ones(demo):
    content = as_csv(made_drive(None, 7).log).replace(b"Oil pressure (kPa)", b"Oil pressure")
    log = taken_in(demo, content)
    oil = next(c for c in log.channels if c.name == "Oil pressure")
    assert (oil.unit, oil.written_unit, oil.scale) == ("kPa", "", 1.0), "no other unit fits its numbers"
    assert tell_channels(demo, log.uid, [ChannelMeaning(heading="Oil pressure", sense=Sense.OIL_PRESSURE, unit="psi")])
    told = next(c for c in look_at_log(demo, log.uid).log.channels if c.name == "Oil pressure")
    assert told.unit == "kPa"
    assert told.high == pytest.approx(oil.high * 6.894757, rel=1e-6)
    ((_, stretch),) = look_at_stretches(demo, log.uid, [oil.place], (0, 1e9), 500)
    assert np.nanmax(stretch.high) == pytest.approx(told.high, rel=1e-6)
    later = next(c for c in taken_in(demo, content + b"\n").channels if c.name == "Oil pressure")
    assert (later.unit, later.sense) == ("kPa", Sense.OIL_PRESSURE)
    assert not tell_channels(
        demo, log.uid, [ChannelMeaning(heading="Oil pressure", sense=Sense.OIL_PRESSURE, unit="psi")]
    )
    with pytest.raises(NotFoundError):
        tell_channels(demo, log.uid, [ChannelMeaning(heading="Nothing")])


def by_tens(begins="GullTrace 4", name="Coolant", rows=400):
    """So many rows, ten apart of nobody knows what: a logger on a gate that writes every ten seconds."""
    lines = "".join(f"{10 * at};{80 + at % 7};{at % 5}\n" for at in range(rows))
    return f"{begins}\nTime;{name};Level\n{lines}".encode()


def test_what_times_are_in_is_said_once_for_a_logger_and_its_next_files(demo):
    log = taken_in(demo, by_tens())
    assert (log.taken_unit, round(log.seconds, 2)) == ("ms", 3.99)
    assert tell_time_unit(demo, log.uid, "s")
    told = look_at_log(demo, log.uid).log
    assert (told.taken_unit, told.seconds) == ("s", pytest.approx(3990))
    ((_, stretch),) = look_at_stretches(demo, log.uid, [told.channels[0].place], (0, 1e9), 500)
    assert stretch.time_s[-1] == pytest.approx(3990)
    judge_again(demo, log.uid)
    next_week = taken_in(demo, by_tens("GullTrace 5", "Coolant 2"), vehicle=LT7)
    assert (next_week.taken_unit, next_week.seconds) == ("s", pytest.approx(3990)), "the number of a version is none"
    other = taken_in(demo, by_tens("Tern logger"), vehicle=LT7)
    assert other.taken_unit == "ms", "nothing was said of this logger"
    assert not tell_time_unit(demo, log.uid, "s")
    long = taken_in(demo, by_tens("Tern logger", rows=6000))
    with pytest.raises(EntryError, match="would last 1,000 hours"):
        tell_time_unit(demo, long.uid, "min")


def test_times_that_say_their_unit_cannot_be_told_another(demo):
    log = taken_in(demo, as_csv(made_drive(None, 8).log))
    assert log.taken_unit == ""
    with pytest.raises(EntryError, match="Its file says"):
        tell_time_unit(demo, log.uid, "ms")


def test_what_a_heading_means_goes_with_the_logger_to_other_vehicles_where_all_agree(demo):
    first = taken_in(demo, by_tens(name="T1"))
    assert first.channels[0].sense is Sense.OTHER
    tell_channels(demo, first.uid, [ChannelMeaning(heading="T1", sense=Sense.COOLANT_TEMPERATURE, unit="degC")])
    (channel, _) = taken_in(demo, by_tens(name="T1") + b"\n", vehicle=LT7).channels
    assert (channel.sense, channel.unit, channel.circuit_uid) == (Sense.COOLANT_TEMPERATURE, "°C", None)
    (channel, _) = taken_in(demo, by_tens("Tern logger", "T1"), vehicle=LT7).channels
    assert channel.sense is Sense.OTHER, "another logger's T1"


def test_a_channel_of_a_circuit_is_held_against_its_sensors_range(demo):
    boost = circuit_named(demo, "Boost pressure")
    content = as_csv(
        made_drive(None, 8).log, change={"Boost (kPa)": lambda v: np.where(np.arange(len(v)) % 500 < 100, 900, v)}
    )
    log = taken_in(demo, content, vehicle=LT7)
    assert FindingKind.OUTSIDE in [f.kind for f in log.findings if f.channel == "Boost"], "the demo maps it"
    other = ChannelMeaning(heading="Boost", sense=Sense.BOOST_PRESSURE)
    assert tell_channels(demo, log.uid, [other])
    judge_again(demo, log.uid)
    assert FindingKind.OUTSIDE not in [f.kind for f in look_at_log(demo, log.uid).log.findings]
    with pytest.raises(NotFoundError):
        tell_channels(demo, log.uid, [ChannelMeaning(heading="Boost", circuit_uid=uuid4())])
    assert boost.uid in {c.uid for c in look_at_log(demo, log.uid).circuits}


def test_later_logs_stand_against_the_normals_of_those_that_were_well(demo):
    view = look_at_normals(demo, P2)
    assert {line.normal.channel for line in view.lines} >= {"oil pressure", "battery volts", "coolant pressure"}
    assert view.missing == () or all(sense is not Sense.OTHER for sense, _ in view.missing)
    well = taken_in(demo, as_csv(made_drive(None, 40).log))
    worn = taken_in(demo, as_csv(made_drive(None, 40).log, change={"Battery (V)": lambda v: v - 2.5}))
    stands = {(s.normal.channel, str(s.normal.condition)): s.mark for s in standings_of(demo, worn)}
    assert any(mark is Mark.FAIL for (channel, _), mark in stands.items() if channel == "battery volts")
    with demo.unit() as store:
        assert worn.uid in unusual_logs(store, [well, worn])  # so that the list does not call it good
    steady = [s for s in standings_of(demo, well) if s.normal.channel in {"battery volts", "reference volts"}]
    assert len(steady) > 5
    assert Mark.FAIL not in {s.mark for s in steady}, "hundredths of a volt are no change of the vehicle"
    say_well(demo, well.uid, is_well=True)
    more = look_at_normals(demo, P2)
    assert sum(line.normal.count for line in more.lines) > sum(line.normal.count for line in view.lines)
    remove_log(demo, well.uid)
    say_well(demo, worn.uid, is_well=False)
    assert sum(line.normal.count for line in look_at_normals(demo, P2).lines) == sum(
        line.normal.count for line in view.lines
    )


def _ours(when):
    return KeptRule(uid=uuid4(), name="Ours", when=when, means="is as it is.", check="Look.", why="")


def test_a_shops_own_rule_is_tried_kept_and_held(demo):
    tried = dry_run(demo, "battery volts > 13 V while engine speed > 500 rpm for 5 s")
    assert len(tried) == 6
    assert all(t.finding is not None for t in tried)
    (lacking,) = {t.lacks for t in dry_run(demo, "fan speed > 5 rpm")}
    assert lacking == ("fan speed",)
    with pytest.raises(EntryError):
        dry_run(demo, "nonsense")
    add_rule(demo, _ours("battery volts > 13 V for 5 s"))
    with pytest.raises(EntryError, match="Ours"):
        add_rule(demo, _ours("battery volts > 13 V"))
    assert [rule.name for rule in look_at_rules(demo).own] == ["Ours"]
    log = taken_in(demo, as_csv(made_drive(None, 9).log))
    assert [f.sentence.split(" (")[0] for f in log.findings] == ["Battery is as it is"]


def test_peaks_of_a_kept_log_have_their_moments(demo):
    log = taken_in(demo, as_csv(made_drive(None, 10).log))
    place = next(c.place for c in log.channels if c.name == "Oil pressure")
    peaks = {channel.name: found for channel, found in look_at_peaks(demo, log.uid, place, (None, 200.0))}
    assert peaks["Oil pressure"].above_s > 0
    assert peaks["Engine speed"].above_s == 0
    assert peaks["Engine speed"].greatest == pytest.approx(
        next(c.high for c in log.channels if c.name == "Engine speed")
    )


@pytest.mark.parametrize("columns", [10, 100, 2000])
def test_a_stretch_keeps_every_peak_at_any_zoom(demo, columns):
    n = 20_000
    rng = np.random.default_rng(1)
    value = rng.normal(0, 1, n)
    value[12_345] = 99.0
    t = np.cumsum(rng.uniform(0.01, 0.03, n))  # not even, so that its times are kept
    text_ = "Time (s),Odd thing\n" + "\n".join(f"{a:.5f},{b:.4f}" for a, b in zip(t, value, strict=True))
    log = taken_in(demo, text_.encode())
    for span in ((0.0, 1e9), (float(t[12_300] - t[0]), float(t[12_400] - t[0]))):
        ((_, found),) = look_at_stretches(demo, log.uid, [0], span, columns)
        assert len(found.time_s) <= columns + 2
        assert np.nanmax(found.high) == pytest.approx(99.0)
    assert datetime.now(UTC) >= log.added_at


def test_what_is_usual_goes_with_the_job_and_stays_where_it_is_known_already(demo, database):
    record = export_job(demo, uid_of("job P-2"))
    assert len(record.normals) > 100
    content = write_job(record).encode()
    read = read_job("p2.json", content)
    assert read.normals == record.normals
    open_shop(database, Shop(uid=uuid4(), name="Other shop"), "Somebody Else")
    import_job(database, read, "p2.json")
    here = {line.normal.channel: line.normal.count for line in look_at_normals(database, P2).lines}
    there = {line.normal.channel: line.normal.count for line in look_at_normals(demo, P2).lines}
    # What a calibration found is usual where it was signed.
    assert here == {channel: count for channel, count in there.items() if ": error of its" not in channel}


def test_the_sheet_has_what_is_usual_at_idle(demo):
    with demo.unit() as store:
        vehicle = store.jobs.vehicle(P2)
    baseline = baseline_of(demo, vehicle)
    assert {normal.channel for normal in baseline} >= {"oil pressure", "battery volts"}
    assert all(normal.count >= 3 and normal.condition.speed == "at idle" for normal in baseline)


def test_work_that_waits_twice_does_not_wait_for_ever(demo):
    """Its worker is gone, and it was put into the queue once more: the first must not keep the second from beginning."""
    uid = handed_in(demo, as_csv(made_drive(None, 6).log))
    shop = look_at_logs(demo).shop.uid
    read_later(demo, uid, shop)
    with demo.engine.begin() as connection:
        connection.execute(text("SET LOCAL search_path TO queue, public"))
        connection.execute(
            text("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '1 hour')")
        )
        connection.execute(
            text(
                "UPDATE procrastinate_jobs SET status = 'doing', worker_id = (SELECT max(id) FROM procrastinate_workers)"
            )
        )
    read_later(demo, uid, shop)
    take_up(demo)
    work_off(demo)
    assert look_at_log(demo, uid).log.state is LogState.READY
    with demo.engine.begin() as connection:
        assert connection.execute(text("SELECT count(*) FROM queue.procrastinate_jobs")).scalar_one() == 0


def test_a_value_on_the_bench_says_where_it_stands_against_the_vehicle(demo):
    """Six values of earlier jobs at idle around 400 kPa; a pumped value is compared with none of them."""
    lt7 = uid_of("LT-7")
    circuit = next(
        c for c in look_at_log(demo, uid_of("log slipway run.csv")).circuits if c.name == "Brake line pressure"
    )
    usual = [
        KeptReading(
            channel="Brake line pressure",
            condition="at idle",
            value=400.0 + n,
            unit="kPa",
            at_least=False,
            taken_at=datetime(2026, 1 + n, 1, tzinfo=UTC),
        )
        for n in range(6)
    ]
    with demo.unit() as store:
        vehicle = store.jobs.vehicle(lt7)
        store.traces.add_normal_readings(lt7, usual)

    def read(value, point=None):
        reading = Reading(
            uid=uuid4(),
            test_point=TestPoint(Action.LIVE_RUNNING_VALUE, None, point),
            value=value,
            word=None,
            unit="kPa",
            state=VehicleState.IDLE,
            typed=str(value),
            technician_uid=uuid4(),
            taken_at=datetime(2026, 9, 1, tzinfo=UTC),
        )
        line = standing_of_reading(demo, vehicle, circuit, reading)
        return None if line is None else line.mark

    assert read(402.0) is Mark.PASS
    assert read(900.0) is Mark.FAIL
    assert read(402.0, point=0) is None
