"""What a request may be: so many bytes, in good time, of plain text in its address. ASGI middleware."""

from __future__ import annotations

import asyncio
import re
from urllib.parse import unquote_to_bytes

from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tropein.app.settings import Settings

JSON_BYTES = 16 << 20
QUIET_S = 30.0  # without a byte of a body that is not complete
LARGER = [  # what may be larger than an edit: (path, bytes; None: as the settings say)
    (re.compile(r"/api/uploads$"), None),
    (re.compile(r"/api/shots/[^/]+/tracks/[^/]+/camera$"), 66 << 20),
    (re.compile(r"/api/shots/[^/]+/tracks/[^/]+/table$"), 40 << 20),
]
CONTROL = re.compile(rb"[\x00-\x1f\x7f]")


class Limits:
    """Refuses what is too large (413), does not come (408), or has control characters in its address (404)."""

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self.app, self.settings = app, settings

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if not _plain(scope):
            await _refuse(scope, receive, send, 404, "not-found", "There is nothing at this address.")
            return
        most = self._most(scope["path"])
        said = Headers(scope=scope).get("content-length", "0")
        if not said.isascii() or not said.isdigit() or int(said[:15]) > most:
            await _refuse(scope, receive, send, 413, "too-large", f"A request here may have up to {most >> 20} MB.")
            return
        await _Watched(self.app, scope, receive, send, most).run()

    def _most(self, path: str) -> int:
        for pattern, most in LARGER:
            if pattern.match(path):
                return most or self.settings.upload_bytes
        return JSON_BYTES


class _Watched:
    """One request whose body is counted and timed. What is refused midway is answered here, and the application is told that
    the other side has gone."""

    def __init__(self, app: ASGIApp, scope: Scope, receive: Receive, send: Send, most: int) -> None:
        self.app, self.scope, self._receive, self._send, self.left = app, scope, receive, send, most
        self.most, self.complete, self.refused, self.answering = most, False, False, False

    async def run(self) -> None:
        try:
            await self.app(self.scope, self.receive, self.send)
        except Exception:
            if not self.refused:
                raise

    async def receive(self) -> Message:
        if self.complete:
            return await self._receive()
        try:
            message = await asyncio.wait_for(self._receive(), QUIET_S)
        except TimeoutError:
            return await self._refused(408, "too-slow", "The request did not come in time.")
        if message["type"] != "http.request":
            return message
        self.left -= len(message.get("body", b""))
        self.complete = not message.get("more_body", False)
        if self.left < 0:
            return await self._refused(413, "too-large", f"A request here may have up to {self.most >> 20} MB.")
        return message

    async def send(self, message: Message) -> None:
        if self.refused:
            return
        self.answering = True
        if message["type"] == "http.response.start" and not self.complete:  # what is still to come will not be read
            message = {**message, "headers": [*message.get("headers", []), (b"connection", b"close")]}
        await self._send(message)

    async def _refused(self, status: int, code: str, words: str) -> Message:
        if not self.refused and not self.answering:
            await _refuse(self.scope, self._receive, self._send, status, code, words)
        self.refused = self.complete = True
        return {"type": "http.disconnect"}


def _plain(scope: Scope) -> bool:
    """Whether path and query are text without control characters."""
    try:
        scope["path"].encode()
    except UnicodeEncodeError:
        return False
    query = unquote_to_bytes(scope["query_string"].replace(b"+", b" "))
    return not CONTROL.search(scope["path"].encode()) and not CONTROL.search(query)


async def _refuse(scope: Scope, receive: Receive, send: Send, status: int, code: str, words: str) -> None:
    answer = JSONResponse({"code": code, "message": words}, status, headers={"Connection": "close"})
    await answer(scope, receive, send)
