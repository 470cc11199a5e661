"""A simulated meter on the network: SCPI over plain TCP. What its probes touch is told to it by SIM:PROB, which no real one has.

It answers *IDN?, CONF?, CONF:…, FUNC?, READ?, MEAS?, SYST:ERR? and SYST:LOC. What it does not imitate: triggers, memory,
ranges that have to be chosen.
"""

from __future__ import annotations

import math
import socketserver
import threading
from types import TracebackType
from typing import Self

__all__ = ["SimulatedMeter"]

_LONGEST_LINE = 200
_RANGES = {"VOLT": (0.1, 1, 10, 100, 1000), "VOLT:AC": (0.1, 1, 10, 100, 750), "RES": (100, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8),
           "CURR": (0.01, 0.1, 1), "FREQ": (10,)}  # fmt: skip
_OVERLOAD = "+9.90000000E+37"


class _Answering(socketserver.StreamRequestHandler):
    server: _Server

    def handle(self) -> None:
        while line := self.rfile.readline(_LONGEST_LINE):
            answer = self.server.answer(line.decode("ascii", "replace").strip())
            if answer is not None:
                self.wfile.write(f"{answer}\n".encode())


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int]) -> None:
        super().__init__(address, _Answering)
        self.function, self.value = "VOLT", 0.0
        self.errors: list[str] = []

    def answer(self, line: str) -> str | None:
        """The answer to a line; None where it has none."""
        command, _, rest = line.partition(" ")
        command = command.upper()
        span = next((r for r in _RANGES[self.function] if abs(self.value) <= 1.2 * r), _RANGES[self.function][-1])
        is_over = not math.isfinite(self.value) or abs(self.value) > 1.2 * span
        answers = {
            "*IDN?": "Saltmarsh,Simulated meter,0,1.0",
            "CONF?": f'"{self.function} {span:+.6E},{span * 1e-6:+.6E}"',
            "FUNC?": f'"{self.function}"',
            "READ?": _OVERLOAD if is_over else f"{self.value:+.8E}",
            "SYST:ERR?": self.errors.pop(0) if self.errors and command == "SYST:ERR?" else '+0,"No error"',
        }
        answers["MEAS?"] = answers["READ?"]
        if command in answers:
            return answers[command]
        self._set(command, rest)
        return None

    def _set(self, command: str, rest: str) -> None:
        function = command.removeprefix("CONF:").removesuffix(":DC")
        if command.startswith("CONF:") and function in _RANGES:
            self.function = function
        elif command == "SIM:PROB":
            function, _, value = rest.partition(",")
            try:
                self.value = float(value)
            except ValueError:
                self.value = math.nan
            self.function = function if function in _RANGES else self.function
        elif command not in {"SYST:LOC", "SYST:REM", "*CLS", "*RST"}:
            self.errors = [*self.errors[-9:], '-113,"Undefined header"']


class SimulatedMeter:
    """Answers on a port of loopback while its block runs; 0 is any free one. `port` says which."""

    def __init__(self, port: int = 0) -> None:
        self._wanted = port

    def __enter__(self) -> Self:
        self._server = _Server(("127.0.0.1", self._wanted))
        self.port: int = self._server.server_address[1]
        threading.Thread(target=self._server.serve_forever, daemon=True, name="simulated meter").start()
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._server.shutdown()
        self._server.server_close()
