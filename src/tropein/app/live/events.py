"""What happens in the database, told to every open page: one LISTEN connection a server process."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from typing import Any

import psycopg

log = logging.getLogger(__name__)
QUEUE_LENGTH = 500


class Events:
    """Fans notifications out to subscribers; a subscriber that does not keep up loses the oldest."""

    def __init__(self, database: str) -> None:
        self._database = database.replace("postgresql+psycopg", "postgresql")
        self._queues: set[asyncio.Queue[dict[str, Any]]] = set()
        self._task: asyncio.Task[None] | None = None

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
                async with await psycopg.AsyncConnection.connect(self._database, autocommit=True) as connection:
                    await connection.execute("listen tropein")
                    async for message in connection.notifies():
                        self._tell(json.loads(message.payload))
            except psycopg.OperationalError:
                log.warning("the database is not reachable; trying again")
                await asyncio.sleep(1)

    def _tell(self, event: dict[str, Any]) -> None:
        for queue in self._queues:
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(event)
