"""HEAD requests: answered as GET, without what follows the headers. Pure ASGI, so that nothing is made twice."""

from __future__ import annotations

from starlette.types import ASGIApp, Message, Receive, Scope, Send

__all__ = ["HeadsAsGets"]

_ENDLESS = "/events"  # a stream has no end, so its head is not asked for by making it


class HeadsAsGets:
    """Answers HEAD where GET is answered."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "HEAD" or scope["path"].endswith(_ENDLESS):
            await self._app(scope, receive, send)
            return

        async def without_body(message: Message) -> None:
            if message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        await self._app({**scope, "method": "GET"}, receive, without_body)
