"""The server's side of a connection, for which a request's head must come soon and be short."""

from __future__ import annotations

import asyncio

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_S = 15.0  # from the first byte of a request, or from connecting, to the end of its head
HEAD_BYTES = 64 << 10


class Prompt(HttpToolsProtocol):
    """Closes connections on which half a head is all that comes; bodies are watched over by `api.limits`."""

    _deadline: asyncio.TimerHandle | None = None
    _head_bytes = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._expect_head()

    def connection_lost(self, exc: Exception | None) -> None:
        self._head_is_there()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        if self._deadline is not None:
            self._head_bytes += len(data)
            if self._head_bytes > HEAD_BYTES + len(data):
                self.send_400_response("The head of this request is too long.")
                return
        super().data_received(data)

    def on_message_begin(self) -> None:
        super().on_message_begin()
        if self._deadline is None:
            self._expect_head()

    def on_headers_complete(self) -> None:
        self._head_is_there()
        super().on_headers_complete()

    def _expect_head(self) -> None:
        self._head_bytes = 0
        self._deadline = self.loop.call_later(HEAD_S, self._late)

    def _head_is_there(self) -> None:
        if self._deadline is not None:
            self._deadline.cancel()
            self._deadline = None

    def _late(self) -> None:
        self._deadline = None
        if not self.transport.is_closing():
            self.send_400_response("The request did not come in time.")
