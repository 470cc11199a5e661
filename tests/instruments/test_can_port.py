"""The port against the simulated controller, on a bus between two ends in one process."""

from __future__ import annotations

import time
from collections.abc import Iterator

import can
import pytest

from irongauge.errors import InstrumentError
from irongauge.formats.dbc_text import write_dbc
from irongauge.formats.log_can import read_dbc
from irongauge.instruments.can_port import CanAddress, CanPort
from irongauge.instruments.simulated_controller import Memory, SimulatedController
from tools.holding import until

FRAMES = read_dbc("made.dbc", write_dbc([("AI 3", "kPa"), ("X2-1", "°")]))
SENSORS = {"AI_3": 231.4, "AI_3_V": 2.5}


@pytest.fixture
def memory() -> Memory:
    return Memory(stored=["P0522"], frozen={0x04: 40.0, 0x05: 80.0, 0x0C: 1500.0}, warm_ups=7)


@pytest.fixture
def address(request: pytest.FixtureRequest) -> CanAddress:
    return CanAddress("virtual", request.node.name)


@pytest.fixture
def port(memory: Memory, address: CanAddress) -> Iterator[CanPort]:
    made = SimulatedController(address, FRAMES, memory, sensors=lambda: SENSORS, faults=lambda: ("P1A02",))
    with made, CanPort(address, FRAMES) as opened:
        yield opened


def test_a_port_tells_what_controller_and_frames_have(port: CanPort) -> None:
    names = {channel.name: channel for channel in port.channels()}
    assert {"Engine speed", "Coolant temperature", "Oil pressure", "AI 3", "AI 3 V", "X2 1"} <= set(names)
    assert names["Oil pressure"].sense == "oil pressure"


def test_values_are_those_of_the_engine(port: CanPort) -> None:
    port.channels()
    values = port.values()
    assert 0 <= values["Engine speed"] < 5000
    assert values["Barometer"] == pytest.approx(101, abs=3)
    assert values["Warm-ups since clearing"] == 7


def test_channels_come_by_themselves_and_silent_ones_do_not(port: CanPort) -> None:
    heard: dict[str, float] = {}

    def both_came() -> bool:
        heard.update(port.heard())
        return {"AI 3", "AI 3 V"} <= heard.keys()

    until(both_came)
    assert heard["AI 3"] == pytest.approx(231.4, rel=1e-6)
    assert heard["AI 3 V"] == 2.5
    assert "X2 1" not in heard


def test_codes_are_there_until_they_are_cleared_and_a_fault_that_stays_comes_back(port: CanPort) -> None:
    port.channels()
    until(lambda: port.codes().pending)
    told = port.codes()
    assert (told.stored, told.pending, told.frozen_code) == (("P0522",), ("P1A02",), "P0522")
    assert told.frozen["Engine speed"] == 1500
    port.clear()
    assert port.codes().stored == ()
    until(lambda: port.codes().pending == ("P1A02",))


def test_clearing_is_kept_over_a_pause_of_the_controller(memory: Memory) -> None:
    assert Memory.from_dict(memory.as_dict()) == memory


def test_a_silent_bus_is_said() -> None:
    with CanPort(CanAddress("virtual", "nobody there"), FRAMES) as port:
        assert "Engine speed" not in {channel.name for channel in port.channels()}
        with pytest.raises(InstrumentError, match="does not answer"):
            port.codes()


def test_a_bus_that_is_not_there_is_said() -> None:
    with (
        pytest.raises(InstrumentError, match="The bus can7 cannot be opened"),
        CanPort(CanAddress("socketcan", "can7")),
    ):
        pass


@pytest.mark.parametrize(
    ("answer", "said"),
    [
        ("03 7F 03 22", "the engine must stand still"),
        ("02 43 05", "what is no answer"),
        ("03 41 0C 1A", "what is no answer"),
    ],
)
def test_a_controller_that_refuses_or_answers_nonsense_is_said(address: CanAddress, answer: str, said: str) -> None:
    with can.Bus(channel=address.channel, interface="virtual") as other, CanPort(address) as port:
        frame = bytes.fromhex(answer).ljust(8, b"\x00")

        def reply(_message: can.Message) -> None:
            other.send(can.Message(arbitration_id=0x7E8, data=frame, is_extended_id=False))

        notifier = can.Notifier(other, [reply])
        try:
            with pytest.raises(InstrumentError, match=said):
                port.codes()
        finally:
            notifier.stop()


def test_a_controller_that_needs_time_is_waited_for(address: CanAddress) -> None:
    with can.Bus(channel=address.channel, interface="virtual") as other, CanPort(address) as port:

        def reply(_message: can.Message) -> None:
            for data, pause_s in (("03 7F 04 78", 0.4), ("01 44", 0.0)):
                other.send(
                    can.Message(arbitration_id=0x7E8, data=bytes.fromhex(data).ljust(8, b"\x00"), is_extended_id=False)
                )
                time.sleep(pause_s)

        notifier = can.Notifier(other, [reply])
        try:
            port.clear()
        finally:
            notifier.stop()
