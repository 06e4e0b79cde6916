"""What a request may cost: how large it is, and how long it may take to arrive."""

import asyncio
from typing import Any

import h11
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http.h11_impl import H11Protocol

from yavik.server.problems import problem

MOST_BODY = 32 << 20
"""Bytes of a description: a report, a path, a question. Files come through routes of their own."""
FILES = ("/uploads", "/unpack")
HEAD_SECONDS = 10.0
BODY_SECONDS = 30.0
CONNECTIONS = 800
TOO_LARGE = f"A request may have {MOST_BODY >> 20} MB. Bring data as a file, and pictures as figures."
TOO_LATE = "The rest of the request did not arrive in time."


class Limits:
    """
    Args:
        seconds: that the next piece of a body may take.
    """

    def __init__(self, app: ASGIApp, seconds: float = BODY_SECONDS) -> None:
        self.app, self.seconds = app, seconds

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        most = None if scope["path"].endswith(FILES) else MOST_BODY
        length = request.headers.get("content-length", "")
        if most is not None and length.isdigit() and int(length) > most:
            await problem(413, "Too large", TOO_LARGE)(scope, receive, send)
            return
        taken, whole = 0, False

        async def counted() -> Message:
            nonlocal taken, whole
            if whole:  # only the end of the connection is waited for
                return await receive()
            try:
                message = await asyncio.wait_for(receive(), self.seconds)
            except TimeoutError:
                raise HTTPException(408, TOO_LATE) from None
            taken += len(message.get("body", b""))
            whole = not message.get("more_body", False)
            if most is not None and taken > most:
                raise HTTPException(413, TOO_LARGE)
            return message

        await self.app(scope, counted, send)


class TimedHeads(H11Protocol):
    """Closes a connection whose request does not have its head in time: half a request keeps no place."""

    late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is h11.IDLE and self.conn.trailing_data[0]:
            self._wait()
        elif self.cycle is not None:
            self._arrived()

    def connection_lost(self, exc: Exception | None) -> None:
        self._arrived()
        super().connection_lost(exc)

    def _wait(self) -> None:
        if self.late is None:
            self.late = self.loop.call_later(HEAD_SECONDS, self._close)

    def _arrived(self) -> None:
        if self.late is not None:
            self.late.cancel()
            self.late = None

    def _close(self) -> None:
        self.late = None
        if not self.transport.is_closing():
            self.transport.close()
