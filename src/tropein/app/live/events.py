"""What happens in the database, told to every open page: one LISTEN connection a server process."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from typing import Any

import psycopg

from tropein.app.store.address import conninfo

log = logging.getLogger(__name__)
QUEUE_LENGTH = 500


class Events:
    """Fans notifications out to subscribers; a subscriber that does not keep up loses the oldest. When the database goes away
    and when it is back ({"kind": "away"}, {"kind": "back"}) is an event too: what happened in between was not heard."""

    def __init__(self, database: str) -> None:
        self._database = database
        self._queues: set[asyncio.Queue[dict[str, Any]]] = set()
        self._task: asyncio.Task[None] | None = None
        self._away = False

    def start(self) -> None:
        self._task = asyncio.create_task(self._listen())

    async def stop(self) -> None:
        if self._task:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    @contextlib.contextmanager
    def subscribe(self):  # type: ignore[no-untyped-def]
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue(QUEUE_LENGTH)
        self._queues.add(queue)
        try:
            yield queue
        finally:
            self._queues.discard(queue)

    async def _listen(self) -> None:
        while True:
            try:
                info = conninfo(self._database)
                async with await psycopg.AsyncConnection.connect(info, autocommit=True) as connection:
                    await connection.execute("listen tropein")
                    if self._away:
                        self._away = False
                        self._tell({"kind": "back"})
                    async for message in connection.notifies():
                        self._tell(json.loads(message.payload))
            except (psycopg.Error, OSError):
                log.warning("the database is not reachable; trying again")
            if not self._away:
                self._away = True
                self._tell({"kind": "away"})
            await asyncio.sleep(1)

    def _tell(self, event: dict[str, Any]) -> None:
        for queue in self._queues:
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(event)
