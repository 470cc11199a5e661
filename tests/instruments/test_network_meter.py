"""The client against the simulated meter and against meters that misbehave, over real sockets."""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest

from irongauge.core.live.meter import MeterFunction, meter_resource
from irongauge.errors import InstrumentError
from irongauge.instruments.network_meter import read_meter
from irongauge.instruments.simulated_meter import SimulatedMeter

V = MeterFunction.DC_VOLTS


@pytest.fixture
def meter() -> Iterator[str]:
    with SimulatedMeter() as made:
        yield f"127.0.0.1:{made.port}"


@contextmanager
def answering(answer: Callable[[bytes], bytes | None]) -> Iterator[str]:
    """Something on the network that answers each line somehow; None hangs up."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        connection, _ = server.accept()
        with connection, connection.makefile("rb") as lines:
            for line in lines:
                said = answer(line.strip())
                if said is None:
                    return
                connection.sendall(said)

    threading.Thread(target=serve, daemon=True).start()
    yield f"127.0.0.1:{server.getsockname()[1]}"
    server.close()


@pytest.mark.parametrize(
    ("probe", "wanted", "typed"),
    [
        ("SIM:PROB VOLT,4.98213", V, "4.98213"),
        ("SIM:PROB VOLT,-0.0123", V, "-0.0123"),
        ("SIM:PROB RES,38.6", MeterFunction.OHMS, "38.6"),
        ("SIM:PROB RES,9.9E37", MeterFunction.OHMS, "OL"),
        ("SIM:PROB CURR,0.0125", MeterFunction.MILLIAMPS, "12.5"),
    ],
)
def test_a_meter_reads_what_its_probes_touch(meter: str, probe: str, wanted: MeterFunction, typed: str) -> None:
    assert read_meter(meter, wanted, probe).typed == typed
    assert read_meter(meter, wanted).typed == typed


def test_a_meter_that_is_set_otherwise_is_not_read(meter: str) -> None:
    with pytest.raises(InstrumentError, match="set to ohms; this step needs DC volts"):
        read_meter(meter, V, "CONF:RES")
    with pytest.raises(InstrumentError, match="overload"):
        read_meter(meter, V, "SIM:PROB VOLT,banana")


def test_a_simulated_meter_tells_of_itself_and_of_what_it_did_not_understand(meter: str) -> None:
    host, port = meter.split(":")
    with socket.create_connection((host, int(port))) as connection, connection.makefile("rw", newline="\n") as lines:
        asked = ["*IDN?", "FUNC?", "BANANA", "SYST:ERR?", "SYST:ERR?", "MEAS?"]
        lines.write("\n".join(asked) + "\n")
        lines.flush()
        answers = [lines.readline().strip() for _ in range(5)]
    assert answers == [
        "Saltmarsh,Simulated meter,0,1.0",
        '"VOLT"',
        '-113,"Undefined header"',
        '+0,"No error"',
        "+0.00000000E+00",
    ]


@pytest.mark.parametrize(
    "answer",
    [lambda _: b"banana\n", lambda _: b"\xff\xfe\x00\n", lambda _: b"\n", lambda _: b"9" * 10_000 + b"\n"],
    ids=["a word", "no text", "nothing", "no end"],
)
def test_a_meter_that_answers_nonsense_is_said(answer: Callable[[bytes], bytes | None]) -> None:
    with answering(answer) as address, pytest.raises(InstrumentError) as told:
        read_meter(address, V)
    assert told.value.would_do


def test_a_meter_that_hangs_up_or_is_not_there_is_said() -> None:
    with answering(lambda _: None) as address, pytest.raises(InstrumentError, match="does not answer"):
        read_meter(address, V)
    with pytest.raises(InstrumentError, match="does not answer"):
        read_meter("127.0.0.1:9", V)


@pytest.mark.parametrize(
    ("typed", "resource"),
    [
        ("192.168.1.40", "TCPIP::192.168.1.40::5025::SOCKET"),
        ("meter-3.local:5026", "TCPIP::meter-3.local::5026::SOCKET"),
        ("TCPIP0::10.0.0.7::5555::SOCKET", "TCPIP::10.0.0.7::5555::SOCKET"),
    ],
)
def test_an_address_is_taken_as_people_write_it(typed: str, resource: str) -> None:
    assert meter_resource(typed) == resource


@pytest.mark.parametrize("typed", ["", "a b", "http://x", "x:0", "x:70000", "USB0::1::INSTR", "-x", "x" * 200])
def test_what_is_no_address_is_refused(typed: str) -> None:
    with pytest.raises(ValueError, match="no address of a meter"):
        meter_resource(typed)
