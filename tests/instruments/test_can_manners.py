"""Controllers as vehicles have them: several, slow, busy, with long identifiers, refusing this and losing that."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager

import can
import pytest

from irongauge.errors import InstrumentError
from irongauge.formats.dbc_text import write_dbc
from irongauge.formats.log_can import read_dbc
from irongauge.instruments import can_port
from irongauge.instruments.can_port import CanAddress, CanPort
from irongauge.instruments.simulated_controller import Memory, SimulatedController

# By request: single frames that answer it. 0C and 05 are there, and a later group with 42.
ENGINE = {
    "01 00": ["06 41 00 08 10 00 01"], "01 20": ["06 41 20 00 00 00 01"], "01 40": ["06 41 40 40 00 00 00"],
    "03": ["04 43 01 05 22"], "07": ["02 47 00"], "0A": ["02 4A 00"], "04": ["01 44"],
}  # fmt: skip
VALUES = {"05": "05 7B", "0C": "0C 1A F8", "42": "42 37 78"}  # 83 °C, 1726 rpm, 14.2 V
Script = Mapping[str, list[str] | Callable[[int], list[str]]]


@pytest.fixture
def address(request: pytest.FixtureRequest) -> CanAddress:
    return CanAddress("virtual", request.node.name)


@contextmanager
def controller(
    address: CanAddress, script: Script, answer_id: int = 0x7E8, *, is_long: bool = False
) -> Iterator[Counter[str]]:
    """Answers requests to all by their script; one that is a function is told how often it was asked before."""
    asked: Counter[str] = Counter()
    with can.Bus(channel=address.channel, interface=address.interface) as bus:

        def reply(frame: can.Message) -> None:
            if frame.arbitration_id != (0x18DB33F1 if is_long else 0x7DF):
                return
            request = bytes(frame.data[1 : 1 + frame.data[0]]).hex(" ").upper()
            told = script.get(request)
            answers = told(asked[request]) if callable(told) else told
            asked[request] += 1
            for answer in _values(request, script) if answers is None else answers:
                data = bytes.fromhex(answer).ljust(8, b"\x00")
                bus.send(can.Message(arbitration_id=answer_id, data=data, is_extended_id=is_long))

        notifier = can.Notifier(bus, [reply])
        try:
            yield asked
        finally:
            notifier.stop()


def _values(request: str, script: Script) -> list[str]:
    """One parameter to a frame: as much as fits into one here."""
    pids = request.split()[1:] if request.startswith("01") else []
    known: Mapping[str, str] = script.get("values", VALUES)  # type: ignore[assignment]
    body = [known[pid] for pid in pids if pid in known][:2]
    raw = " ".join(["41", *body])
    return [f"{len(raw.split()):02X} {raw}"] if body else []


def told(port: CanPort) -> dict[str, float]:
    port.channels()
    return port.values()


def test_a_service_that_is_refused_hides_no_other(address: CanAddress) -> None:
    script = ENGINE | {"07": ["03 7F 07 11"], "0A": ["03 7F 0A 11"]}
    with controller(address, script), CanPort(address) as port:
        codes = port.codes()
    assert (codes.stored, codes.pending, codes.permanent, codes.not_told) == (("P0522",), (), (), ("pending",))


def test_permanent_codes_are_told(address: CanAddress) -> None:
    with controller(address, ENGINE | {"0A": ["04 4A 01 03 01"]}), CanPort(address) as port:
        assert port.codes().permanent == ("P0301",)


def test_an_answer_that_is_lost_hides_nothing_for_long(address: CanAddress, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(can_port, "_LOOK_AGAIN_S", 0.0)
    deaf = ENGINE | {"01 20": lambda before: [] if before < can_port._TRIES else ["06 41 20 00 00 00 01"]}
    with controller(address, deaf), CanPort(address) as port:
        assert {c.name for c in port.channels()} == {"Coolant temperature", "Engine speed"}
        assert {c.name for c in port.channels()} == {"Coolant temperature", "Engine speed", "Controller supply"}
    once = ENGINE | {"01 20": lambda before: [] if before == 0 else ["06 41 20 00 00 00 01"]}
    with controller(address, once), CanPort(address) as port:
        assert len(port.channels()) == 3


def test_a_refusal_is_no_silence(address: CanAddress) -> None:
    refused = pytest.raises(InstrumentError, match="refuses to tell values: the conditions are not right")
    with controller(address, {"01 00": ["03 7F 01 22"]}), CanPort(address) as port, refused:
        told(port)


def test_one_that_is_busy_is_asked_again(address: CanAddress) -> None:
    script = ENGINE | {"04": lambda before: ["03 7F 04 21"] if before < 2 else ["01 44"]}
    with controller(address, script) as asked, CanPort(address) as port:
        port.clear()
        assert asked["04"] == 3


@pytest.mark.parametrize(("left", "says"), [("02 43 00", ""), ("04 43 01 05 22", "P0522 is still stored")])
def test_clearing_that_takes_its_time_is_looked_at(
    address: CanAddress, monkeypatch: pytest.MonkeyPatch, left: str, says: str
) -> None:
    monkeypatch.setattr(can_port, "_LONG_WAIT_S", 0.2)
    script = ENGINE | {"04": ["03 7F 04 78"], "03": [left]}
    with controller(address, script) as asked, CanPort(address) as port:
        if says:
            with pytest.raises(InstrumentError, match=says):
                port.clear()
        else:
            port.clear()
        assert asked["04"] == 1  # never twice


def test_long_identifiers_are_asked_where_short_ones_are_silent(address: CanAddress) -> None:
    with controller(address, ENGINE, 0x18DAF110, is_long=True), CanPort(address) as port:
        assert told(port)["Engine speed"] == 1726
        assert port.codes().stored == ("P0522",)


def test_two_controllers_with_one_parameter_stay_two(address: CanAddress, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(can_port, "_LOOK_AGAIN_S", 0.0)
    gearbox = {"01 00": ["06 41 00 08 00 00 00"], "03": ["04 43 01 07 00"], "values": {"05": "05 96"}}  # 110 °C, P0700
    with controller(address, ENGINE), controller(address, gearbox, 0x7E9), CanPort(address) as port:
        told(port)
        values = told(port)  # one that answered late is found at the second look
        codes = port.codes()
    assert values["Coolant temperature"] == 83
    assert values["Coolant temperature, 7E9"] == 110
    assert codes.stored == ("P0522", "P0700")
    assert "pending" in codes.not_told  # the gearbox is silent on them


def test_what_answers_an_earlier_request_is_no_answer_to_this_one(address: CanAddress) -> None:
    script = ENGINE | {"03": ["03 41 05 7B", "04 43 01 05 22"]}
    with controller(address, script), CanPort(address) as port:
        assert port.codes().stored == ("P0522",)


def test_a_bus_on_the_local_network_opens_and_tells() -> None:
    address = CanAddress("udp_multicast", "239.74.163.2")
    frames = read_dbc("made.dbc", write_dbc([("AI 3", "kPa")]))
    with SimulatedController(address, frames, Memory(stored=["P0522"])), CanPort(address, frames) as port:
        until_s = time.monotonic() + 10
        while not port.channels() or "Engine speed" not in {c.name for c in port.channels()}:
            assert time.monotonic() < until_s
        assert 0 <= port.values()["Engine speed"] < 5000
        assert port.codes().stored == ("P0522",)
