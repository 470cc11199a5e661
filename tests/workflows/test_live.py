"""Live data through the database: the listener holds a bus, whoever looks sees it, codes are kept before they go."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from sqlalchemy import text

from irongauge.core.bench.actions import ACTIONS, Action
from irongauge.core.live.codes import CodesWhen
from irongauge.core.live.record import BusAsked, BusPort, Watched
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.traces.record import LogState
from irongauge.demo.shelf import uid_of
from irongauge.errors import EntryError, InstrumentError, RefusedRequestError
from irongauge.store.database import Database
from irongauge.workflows.bench.readings import look_at_bench
from irongauge.workflows.bench.simulate import simulated_value
from irongauge.workflows.live.codes import ask_codes, look_at_codes, type_codes
from irongauge.workflows.live.listen import Listener
from irongauge.workflows.live.meter import bus_shows, fill_from_bus
from irongauge.workflows.live.watching import (
    add_port,
    begin_recording,
    end_recording,
    look_at_live,
    plug,
    remove_port,
    samples_after,
    watch,
)
from irongauge.workflows.shop.view import now
from irongauge.workflows.trace.logs import look_at_log, read_waiting
from tools.holding import held, until

_END_THE_OTHERS = (
    "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
    "WHERE pid <> pg_backend_pid() AND datname = current_database()"
)


LT7, BOARD = uid_of("LT-7"), uid_of("BOARD")
# Two signals of one frame in the same bits.
_OVERLAPPING = b"""VERSION ""
BU_: A
BO_ 100 F: 8 A
 SG_ One : 0|16@1+ (1,0) [0|1] "" A
 SG_ Two : 8|16@1+ (1,0) [0|1] "" A
"""


def _trouble(database: Database, port: BusPort) -> str:
    found = look_at_live(database, port.uid).port
    assert found is not None
    return found.trouble


def _rows(database: Database, port: BusPort, count: int) -> None:
    """Wait until so many more samples have come."""
    before = len(samples_after(database, port.uid, 0))
    until(lambda: len(samples_after(database, port.uid, 0)) >= before + count)


def _somebody(database: Database) -> UUID:
    return look_at_live(database).people[0].uid


@pytest.fixture
def port(demo: Database) -> BusPort:
    """A simulated port in LT-7, whose controller holds a code."""
    made = BusPort(
        uid=uuid4(),
        name=f"Plug {uuid4().hex[:6]}",
        interface="virtual",
        channel=uuid4().hex,
        is_simulated=True,
        memory={"stored": ["P0522"], "frozen": {"5": 80.0}, "warm_ups": 5},
    )
    add_port(demo, made)
    plug(demo, made.uid, LT7)
    for other in look_at_live(demo).ports:  # only this one speaks for its vehicle
        if other.uid != made.uid:
            remove_port(demo, other.uid)
    return made


@pytest.fixture
def heard(demo: Database, port: BusPort) -> Iterator[BusPort]:
    """The port while a listener holds it and somebody looks."""
    with held(demo, port.uid):
        yield port


def test_what_the_bus_tells_is_there_for_whoever_looks(demo: Database, heard: BusPort) -> None:
    until(lambda: "AI 1" in look_at_live(demo, heard.uid).values)
    view = look_at_live(demo, heard.uid)
    assert view.port is not None
    assert {"Engine speed", "Oil pressure", "AI 1"} <= {channel.name for channel in view.port.channels}
    assert view.values["AI 1"] == pytest.approx(0, abs=3)  # the throttle is closed
    first = samples_after(demo, heard.uid, 0)[0].number
    until(lambda: len(samples_after(demo, heard.uid, first)) > 10)
    numbers = [sample.number for sample in samples_after(demo, heard.uid, first)]
    assert numbers == sorted(set(numbers))


def test_codes_are_kept_before_they_are_cleared(demo: Database, heard: BusPort) -> None:
    view = look_at_live(demo, heard.uid)
    assert view.job_uid is not None
    who = _somebody(demo)
    ask_codes(demo, uuid4(), view.job_uid, who, BusAsked.CLEAR_CODES)
    codes = look_at_codes(demo, view.job_uid)
    assert [(r.when, r.stored) for r in codes.readings] == [
        (CodesWhen.BEFORE_CLEARING, ("P0522",)),
        (CodesWhen.AFTER_CLEARING, ()),
    ]
    assert codes.readings[0].frozen == {"Coolant temperature": 80.0}
    assert "simulated" in codes.readings[0].source
    (story,) = codes.stories
    assert story.state == "was cleared, and the vehicle has not been driven since"
    again = uuid4()
    ask_codes(demo, again, view.job_uid, who, BusAsked.READ_CODES)
    ask_codes(demo, again, view.job_uid, who, BusAsked.READ_CODES)
    assert len(look_at_codes(demo, view.job_uid).readings) == 3


def test_a_recording_becomes_a_log_like_any_other(demo: Database, heard: BusPort) -> None:
    uid = uuid4()
    begin_recording(demo, uid, heard.uid, _somebody(demo))
    begin_recording(demo, uid, heard.uid, _somebody(demo))
    with pytest.raises(RefusedRequestError, match="running there already"):
        begin_recording(demo, uuid4(), heard.uid, None)
    with pytest.raises(RefusedRequestError, match="End it first"):
        remove_port(demo, heard.uid)
    _rows(demo, heard, 25)
    assert end_recording(demo, heard.uid) == uid
    read_waiting(demo, uid)
    log = look_at_log(demo, uid).log
    assert log.state is LogState.READY
    assert 3 < log.seconds < 20
    assert log.started_at is not None
    assert now() - log.started_at < timedelta(seconds=30)
    by_name = {channel.name: channel for channel in log.channels}
    assert by_name["Engine speed"].sense == "engine speed"
    assert by_name["Manifold pressure"].base == "absolute"
    with pytest.raises(RefusedRequestError, match="No recording is running"):
        end_recording(demo, heard.uid)


def test_a_recording_goes_on_after_its_listener_was_killed(demo: Database, heard: BusPort) -> None:
    begin_recording(demo, uuid4(), heard.uid, None)
    until(lambda: samples_after(demo, heard.uid, 0))
    before = len(samples_after(demo, heard.uid, 0))
    with demo.unit() as store:  # as a server process does that is killed: its connections end, and its lock with them
        store.session.execute(text(_END_THE_OTHERS))
    successor = Listener(demo, heard.uid)
    successor.start()
    until(lambda: len(samples_after(demo, heard.uid, 0)) > before + 5)
    _rows(demo, heard, 25)
    end_recording(demo, heard.uid)


def test_what_nobody_looks_at_is_left_alone_and_forgotten(demo: Database, heard: BusPort) -> None:
    with demo.unit() as store:
        store.session.execute(text("UPDATE bus_port SET wanted_until = now()"))
        assert heard.uid not in store.live.wanted(now() + timedelta(seconds=1))
        store.live.drop_samples(heard.uid, now() + timedelta(seconds=1))
        assert store.live.samples(heard.uid, 0, 10) == ()


def test_a_running_recording_is_never_forgotten(demo: Database, heard: BusPort) -> None:
    begin_recording(demo, uuid4(), heard.uid, None)
    _rows(demo, heard, 4)
    with demo.unit() as store:
        kept = len(store.live.samples(heard.uid, 0, 1000))
        store.live.drop_samples(heard.uid, now() + timedelta(hours=1))
        recording = store.live.recording(heard.uid)
        assert recording is not None
        assert 3 <= len(list(store.live.recorded(recording, now()))) <= kept


@pytest.mark.parametrize("name", ["Oil pressure", "Pedal position", "Hydraulic pressure"])
def test_a_hidden_fault_shows_on_the_bus_as_it_does_at_the_pins(demo: Database, port: BusPort, name: str) -> None:
    plug(demo, port.uid, BOARD)
    with held(demo, port.uid):
        with demo.unit() as store:
            (job,) = store.jobs.jobs_of(BOARD)
            circuit = next(c for c in store.circuits.of_jobs([job.uid])[job.uid] if c.name == name)
        view = look_at_bench(demo, circuit.uid)
        spec, test_point = ACTIONS[Action.LIVE_V], TestPoint(Action.LIVE_V, None, 0)
        expected = simulated_value(view.view.assessment.case, test_point, ())
        assert bus_shows(demo, view, test_point, spec) is not None
        if isinstance(expected, str):
            with pytest.raises(EntryError, match="sends nothing"):
                fill_from_bus(demo, view, spec)
        else:
            filled = fill_from_bus(demo, view, spec)
            assert float(filled.typed) == pytest.approx(expected, rel=0.02, abs=0.02)
            assert filled.read_off.startswith("simulated bus, ")


def test_a_customers_circuit_is_never_read_off_a_simulated_bus(demo: Database, heard: BusPort) -> None:
    view = look_at_live(demo, heard.uid)
    assert view.job_uid is not None
    with demo.unit() as store:
        circuit = next(c for c in store.circuits.of_jobs([view.job_uid])[view.job_uid] if c.live_channel == "AI 1")
    bench = look_at_bench(demo, circuit.uid)
    assert bus_shows(demo, bench, TestPoint(Action.LIVE_V, None, 0), ACTIONS[Action.LIVE_V]) is None


def test_a_silent_bus_says_so_and_answers_what_is_asked_of_it(demo: Database, port: BusPort) -> None:
    with demo.unit() as store:  # the same port, with nothing behind it
        store.live.tell_port(port.uid, is_simulated=False, interface="virtual", channel=uuid4().hex)
    job_uid = look_at_live(demo, port.uid).job_uid
    assert job_uid is not None
    with held(demo, port.uid, speaks=False):
        with pytest.raises(InstrumentError, match="does not answer"):
            ask_codes(demo, uuid4(), job_uid, _somebody(demo), BusAsked.CLEAR_CODES)
        assert look_at_codes(demo, job_uid).readings == ()
        until(lambda: "does not answer" in _trouble(demo, port))


@pytest.mark.parametrize(
    ("wired", "said"),
    [
        ({"interface": "socketcan", "channel": "can9"}, "The bus can9 cannot be opened"),
        ({"interface": "virtual", "frames": _OVERLAPPING, "frames_name": "odd.dbc"}, "odd.dbc"),
    ],
    ids=["no adapter", "frames that contradict themselves"],
)
def test_a_bus_that_cannot_be_opened_says_why(
    demo: Database, port: BusPort, wired: dict[str, object], said: str
) -> None:
    with demo.unit() as store:
        store.live.tell_port(port.uid, is_simulated=False, **wired)
    with held(demo, port.uid, speaks=False):
        until(lambda: said in _trouble(demo, port))


def test_nobody_there_to_ask_is_said(demo: Database, port: BusPort, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("irongauge.workflows.live.codes._WAIT_S", 0.3)
    view = look_at_live(demo, port.uid)
    assert view.job_uid is not None
    with pytest.raises(InstrumentError, match="does not answer"):
        ask_codes(demo, uuid4(), view.job_uid, _somebody(demo), BusAsked.CLEAR_CODES)
    with demo.unit() as store:
        assert store.live.requests(port.uid) == ()


def test_codes_are_typed_off_a_handheld_reader(demo: Database, port: BusPort) -> None:
    view = look_at_live(demo, port.uid)
    assert view.job_uid is not None
    uid, who = uuid4(), _somebody(demo)

    def told(uid: UUID, stored: str, when: CodesWhen, km: float | None = None) -> None:
        type_codes(demo, uid, view.job_uid, who, stored=stored, pending="none", when=when, driven_km=km)

    for _ in range(2):
        told(uid, "p0118 P0522", CodesWhen.BEFORE_CLEARING)
    told(uuid4(), "", CodesWhen.AFTER_CLEARING)
    told(uuid4(), "none", CodesWhen.READ, 14.0)
    stories = look_at_codes(demo, view.job_uid).stories
    assert [s.state for s in stories] == ["was cleared and did not come back after 14 km"] * 2
    with pytest.raises(EntryError, match="“P12” is no trouble code"):
        told(uuid4(), "P12", CodesWhen.READ)


@pytest.mark.parametrize(
    ("watched", "said"),
    [
        ([Watched(f"c{n}") for n in range(13)], "13 channels are chosen. At most 12"),
        ([Watched("Load", 5.0, 5.0)], "ends below where it begins"),
    ],
)
def test_what_cannot_be_watched_is_refused(demo: Database, port: BusPort, watched: list[Watched], said: str) -> None:
    with pytest.raises(EntryError, match=said):
        watch(demo, port.uid, watched)
