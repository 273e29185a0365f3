"""The server's side of the preview process: an ordered queue, newest first where requests replace each other."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import json
import logging
import multiprocessing
from collections import OrderedDict
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from tropein.app.courtesy import Courtesy
from tropein.app.live.preview import SHOTS_KEPT, Ask, Drawn, Question, main
from tropein.app.live.shots import Seen
from tropein.app.settings import Settings
from tropein.core.compose.cache import Cache
from tropein.core.errors import BadInput, MediaError, NotFound, TropeinError

log = logging.getLogger(__name__)
ANSWER_BYTES = 96 << 20
EXPECTED: dict[str, type[TropeinError]] = {kind.code: kind for kind in (BadInput, MediaError, NotFound)}
FRAME_SECONDS = 60  # a frame that takes longer ends the process


class PreviewFailed(TropeinError):
    """A picture could not be made."""

    code = "preview"


class Superseded(TropeinError):
    """A newer request of the same view took this one's place."""

    code = "superseded"


@dataclass(eq=False)
class _Job:
    priority: int
    order: int
    channel: str | None
    seen: Seen | None  # None: an errand that needs no shot
    wanted: Ask | Question | tuple[str, tuple[Any, ...]]
    future: asyncio.Future[Any]


@dataclass(frozen=True)
class _Answer:
    """A finished answer, kept in the server's own memory: what is asked for again does not wait for others' pictures."""

    value: Any

    @property
    def nbytes(self) -> int:
        return (self.value.nbytes if isinstance(self.value, Drawn) else 1000) + 200


class PreviewPool:
    """Asks the preview process for pictures, one at a time; lower priority numbers first."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self._courtesy = Courtesy(settings.home)
        self._jobs: list[_Job] = []
        self._count = itertools.count()
        self._wake = asyncio.Event()
        self._answers: Cache[_Answer] = Cache(ANSWER_BYTES)
        self._told: OrderedDict[str, None] = OrderedDict()
        self._pipe: Connection | None = None
        self._process: BaseProcess | None = None
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._spawn()
        self._task = asyncio.create_task(self._work())

    async def stop(self) -> None:
        if self._task:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
        self._kill()

    def _spawn(self) -> None:
        ours, theirs = multiprocessing.Pipe()
        s = self.settings
        context = multiprocessing.get_context("spawn")
        self._process = context.Process(
            target=main, args=(theirs, str(s.media), str(s.artefacts), s.cache_bytes), daemon=True, name="preview"
        )
        self._process.start()
        theirs.close()
        self._pipe = ours
        self._told.clear()

    def _kill(self) -> None:
        if self._process:
            self._process.kill()
            self._process.join(2)
        if self._pipe:
            self._pipe.close()

    async def ask(self, seen: Seen, ask: Ask, priority: int = 5, channel: str | None = None) -> Drawn:
        """The picture. A waiting request with the same channel is given up as Superseded."""
        kept = await self._answer(seen, replace(ask, have=()), ask, priority, channel)
        return Drawn(kept.key, b"") if kept.key in ask.have else kept

    async def question(
        self, seen: Seen, frame: int, name: str, priority: int = 3, channel: str | None = None, **arguments: Any
    ) -> Any:
        """Something else about a frame (see live.questions)."""
        asked = Question("", frame, name, tuple(arguments.items()))
        return await self._answer(seen, asked, asked, priority, channel)

    async def _answer(
        self, seen: Seen, named: Ask | Question, ask: Ask | Question, priority: int, channel: str | None
    ) -> Any:
        """Kept under what was asked (`named`), unless something is laid over the shot, or nothing was sent."""
        key = f"{seen.known} {named}" if seen.known else ""
        if key and (kept := self._answers.get(key)) is not None:
            return kept.value
        value = await self._queue(seen, ask, priority, channel)
        if key and not (isinstance(value, Drawn) and not value.data):
            self._answers.put(key, _Answer(value))
        return value

    async def errand(self, name: str, *arguments: Any, priority: int = 3) -> Any:
        """Something that needs footage decoded, but no shot (see preview.ERRANDS)."""
        return await self._queue(None, (name, arguments), priority, None)

    async def _queue(
        self,
        seen: Seen | None,
        wanted: Ask | Question | tuple[str, tuple[Any, ...]],
        priority: int,
        channel: str | None,
    ) -> Any:
        self._courtesy.asked()
        if channel is not None:
            for job in [j for j in self._jobs if j.channel == channel]:
                self._jobs.remove(job)
                if not job.future.done():
                    job.future.set_exception(Superseded("A newer picture was asked for."))
        future: asyncio.Future[Any] = asyncio.get_running_loop().create_future()
        self._jobs.append(_Job(priority, next(self._count), channel, seen, wanted, future))
        self._wake.set()
        return await future

    async def _work(self) -> None:
        while True:
            self._wake.clear()
            self._jobs = [j for j in self._jobs if not j.future.cancelled()]
            if not self._jobs:
                await self._wake.wait()
                continue
            job = min(self._jobs, key=lambda j: (j.priority, j.order))
            self._jobs.remove(job)
            try:
                kind, value = await asyncio.to_thread(self._exchange, job)
            except (EOFError, OSError, TimeoutError):
                self._kill()
                self._spawn()
                kind, value = "preview", "Drawing this frame failed and was given up; the preview was started again."
            except Exception as error:  # a request that cannot even be sent is no reason to answer none any more
                log.exception("a request could not be passed on")
                kind, value = "preview", f"This frame could not be asked for ({type(error).__name__})."
            if job.future.done():
                continue
            if kind == "ok":
                job.future.set_result(value)
            else:
                job.future.set_exception(EXPECTED.get(kind, PreviewFailed)(value))

    def _tell(self, seen: Seen) -> str:
        """The name under which the preview process knows a revision; it is told the step from the one before if it knows that, else the whole."""
        assert self._pipe is not None
        shot, number = seen.revision
        key, before = f"{shot} {number}", f"{shot} {number - 1}"
        if key in self._told:
            self._told.move_to_end(key)
            return key
        if before in self._told and seen.step is not None:
            self._pipe.send(("step", key, (before, json.dumps(seen.step))))
        else:
            self._pipe.send(("shot", key, json.dumps(seen.document)))
        self._told[key] = None
        while len(self._told) > SHOTS_KEPT:
            self._pipe.send(("forget", self._told.popitem(last=False)[0], None))
        return key

    def _exchange(self, job: _Job) -> tuple[str, Any]:
        assert self._pipe is not None
        if job.seen is None:
            self._pipe.send(("errand", job.order, job.wanted))
        else:
            assert isinstance(job.wanted, Ask | Question)
            overlay = json.dumps(job.seen.overlay) if job.seen.overlay else ""
            self._pipe.send(("ask", job.order, replace(job.wanted, shot=self._tell(job.seen), overlay=overlay)))
        if not self._pipe.poll(FRAME_SECONDS):
            raise TimeoutError
        _, kind, value = self._pipe.recv()
        return kind, value
