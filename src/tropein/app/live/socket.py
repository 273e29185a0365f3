"""The WebSocket of a page: events out, picture requests in, pictures out.

Text in: {"ask": n, "shot": id, "revision": r, "overlay": [patch...], "frame": f, "scale": s, "look": {...}, "draft": bool,
"have": [keys of pictures the page holds for this], "channel": name}. A newer request on the same channel replaces a waiting one. With "frames" in
place of "frame" the keys are asked for that pictures of these would have. Text out: events, {"ask": n, "error": text}, {"ask": n, "same": key}
where the page has the picture, {"ask": n, "keys": {frame: key}}. Binary out: 4 bytes little-endian n, 12 bytes of the key, then a JPEG. The page
keeps few requests open at a time (credits), so a slow page is never flooded.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import struct
from typing import Annotated, Any

import orjson
from pydantic import BaseModel, Field, ValidationError
from starlette.websockets import WebSocket, WebSocketDisconnect

from tropein.app.live.events import Events
from tropein.app.live.pool import PreviewPool, Superseded
from tropein.app.live.preview import Ask
from tropein.app.live.shots import LiveShots
from tropein.app.store.database import is_gone
from tropein.core.compose.look import Look
from tropein.core.document.base import Frame, Id
from tropein.core.errors import TropeinError

log = logging.getLogger(__name__)
AWAY = "The database cannot be reached at the moment."
DRAG = 0  # who drags sees each picture or none; who scrubs can wait for one more
MOST_KEYS = 48  # frames whose keys are asked for at once: whoever drags meanwhile is not kept waiting
MAX_OPEN = 24  # requests one page may have open; more are refused


class Wanted(BaseModel):
    """A page's request for a picture."""

    ask: Annotated[int, Field(ge=0, lt=2**32)]
    shot: Id
    revision: Annotated[int, Field(ge=-1, lt=2**31)]
    overlay: list[dict[str, Any]] = Field(default_factory=list, max_length=200)
    frame: Frame = 0
    frames: Annotated[list[Frame], Field(max_length=MOST_KEYS)] = []
    scale: Annotated[float, Field(gt=0.01, le=2)]
    look: Look = Look()
    draft: bool = False
    have: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=64)] = []
    channel: Annotated[str, Field(max_length=40)] | None = None


class Connection:
    """One page."""

    def __init__(self, socket: WebSocket, pool: PreviewPool, events: Events, shots: LiveShots) -> None:
        self.socket, self.pool, self.events, self.shots = socket, pool, events, shots
        self._open: set[asyncio.Task[None]] = set()
        self._sending = asyncio.Lock()
        self._newest: dict[str, int] = {}  # the last request heard on each channel

    async def run(self) -> None:
        await self.socket.accept()
        with self.events.subscribe() as queue:
            teller = asyncio.create_task(self._tell(queue))
            try:
                while True:
                    await self._heard(await self.socket.receive_text())
            except (WebSocketDisconnect, RuntimeError):
                pass
            finally:
                for task in [teller, *self._open]:
                    task.cancel()
                    with contextlib.suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError):
                        await task

    async def _tell(self, queue: asyncio.Queue[dict[str, Any]]) -> None:
        while True:
            event = await queue.get()
            async with self._sending:
                await self.socket.send_text(orjson.dumps({"event": event}).decode())

    async def _heard(self, text: str) -> None:
        try:
            wanted = Wanted.model_validate_json(text)
        except ValidationError:
            await self._say({"error": "This request was not understood."})
            return
        if len(self._open) >= MAX_OPEN:
            await self._say({"ask": wanted.ask, "error": "Too many requests are open."})
            return
        if wanted.channel:
            self._newest[wanted.channel] = wanted.ask
        task = asyncio.create_task(self._answer(wanted))
        self._open.add(task)
        task.add_done_callback(self._open.discard)

    async def _answer(self, wanted: Wanted) -> None:
        try:
            seen = await self.shots.document(wanted.shot, wanted.revision, wanted.overlay)
            if wanted.channel and self._newest[wanted.channel] != wanted.ask:
                raise Superseded("A newer picture was asked for.")
            scale, quality = round(wanted.scale, 4), 80 if wanted.draft else 88
            if wanted.frames:
                keys = await self.pool.question(
                    seen, 0, "keys", 2, look=wanted.look, scale=scale, quality=quality, frames=wanted.frames
                )
                await self._say({"ask": wanted.ask, "keys": keys})
                return
            ask = Ask("", wanted.frame, scale, wanted.look, wanted.draft, quality, tuple(wanted.have))
            channel = f"{id(self)} {wanted.channel}" if wanted.channel else None
            priority = 3 if wanted.channel != "view" else DRAG if wanted.draft else 1
            picture = await self.pool.ask(seen, ask, priority, channel)
        except Superseded:
            await self._say({"ask": wanted.ask, "superseded": True})
        except TropeinError as error:
            await self._say({"ask": wanted.ask, "error": error.message})
        except Exception as error:  # every question gets an answer
            if not is_gone(error):
                log.exception("a picture could not be answered for")
            words = AWAY if is_gone(error) else "The server could not answer this; its log says why."
            await self._say({"ask": wanted.ask, "error": words, "away": is_gone(error)})
        else:
            if not picture.data:
                await self._say({"ask": wanted.ask, "same": picture.key})
                return
            async with self._sending:
                await self.socket.send_bytes(struct.pack("<I", wanted.ask) + bytes.fromhex(picture.key) + picture.data)

    async def _say(self, message: dict[str, Any]) -> None:
        async with self._sending:
            await self.socket.send_text(orjson.dumps(message, option=orjson.OPT_NON_STR_KEYS).decode())
