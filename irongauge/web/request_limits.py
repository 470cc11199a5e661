"""How long the server waits for a client that is slow on purpose, or gone without a word."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

__all__ = ["BODY_S", "PatientProtocol"]

HEAD_S = 15.0  # until the head of a request is there
BODY_S = 30.0  # between two parts of its body


class PatientProtocol(HttpToolsProtocol):
    """Closes a connection on which the head of a request does not come to an end in time."""

    _waiting: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:  # as it is there
        """A connection: its clock starts."""
        super().connection_made(transport)
        self._waiting = self.loop.call_later(HEAD_S, self._give_up)

    def on_message_begin(self) -> None:
        """A request begins: its clock starts."""
        super().on_message_begin()
        if self._waiting is None:
            self._waiting = self.loop.call_later(HEAD_S, self._give_up)

    def on_headers_complete(self) -> None:
        """The head is whole: the clock for it stops."""
        self._stop_waiting()
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """The connection is gone, and its clock with it."""
        self._stop_waiting()
        super().connection_lost(exc)

    def _stop_waiting(self) -> None:
        if self._waiting is not None:
            self._waiting.cancel()
            self._waiting = None

    def _give_up(self) -> None:
        self._waiting = None
        if self.transport is not None and not self.transport.is_closing():
            self.transport.close()
