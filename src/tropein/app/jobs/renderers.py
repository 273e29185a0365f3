"""What renders the parts of a run in this process: kept from part to part, so that what stands still is made once, and sharing the cores."""

from __future__ import annotations

import os
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tropein.app.jobs.context import WorkContext
from tropein.core.compose.render import Renderer, of_artefacts
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.garbage import settled
from tropein.core.media.source import Sources
from tropein.core.raster import threads

CACHE_BYTES = 512 << 20


@dataclass(eq=False)
class Rendering:
    """A renderer with the shot it knows; used by one thread at a time."""

    run_id: str
    shot: Shot
    renderer: Renderer

    def share_cores(self) -> None:
        """Take as many threads as fall to each part that is being rendered on this machine now. To be called frame by frame."""
        threads.use(_cores() // max(1, sum(1 for _ in _marked())))

    def close(self) -> None:
        self.renderer.sources.close()


_MARKS = Path(tempfile.gettempdir()) / f"tropein-rendering-{os.getuid()}"
_lock = threading.Lock()
_busy: list[Rendering] = []
_idle: list[Rendering] = []


@contextmanager
def rendering(context: WorkContext, run_id: str, document: dict[str, Any]) -> Iterator[Rendering]:
    """For a part of a run: one that has rendered another part of it, else a new one. What other runs left is let go."""
    with _lock:
        known = next((r for r in _idle if r.run_id == run_id), None)
        gone = [r for r in _idle if r.run_id != run_id]
        _idle[:] = [r for r in _idle if r.run_id == run_id and r is not known]
    for old in gone:
        old.close()
    if known is None:
        sources = Sources(context.library.store, final=True, threads=1 if _busy else 2)
        renderer = of_artefacts(sources, context.artefacts, CACHE_BYTES, in_order=True)
        known = Rendering(run_id, load_shot(document), renderer)
        settled()
    with _lock:
        _busy.append(known)
    try:
        with _mark():
            yield known
    except BaseException:
        known.close()
        raise
    else:
        with _lock:
            _idle.append(known)
    finally:
        with _lock:
            _busy.remove(known)


def forget(run_id: str) -> None:
    """A run has no more parts to be rendered: let go of what was kept for it."""
    with _lock:
        gone = [r for r in _idle if r.run_id == run_id]
        _idle[:] = [r for r in _idle if r.run_id != run_id]
    for old in gone:
        old.close()


@contextmanager
def _mark() -> Iterator[None]:
    """Says to all workers on this machine that a part is being rendered, by a file that carries the process's number."""
    _MARKS.mkdir(exist_ok=True)
    mark = _MARKS / f"{os.getpid()}-{threading.get_ident()}"
    mark.touch()
    try:
        yield
    finally:
        mark.unlink(missing_ok=True)


def _marked() -> Iterator[Path]:
    """The marks whose makers live; others are taken away."""
    for mark in _MARKS.iterdir():
        if Path("/proc", mark.name.partition("-")[0]).exists():
            yield mark
        else:
            mark.unlink(missing_ok=True)


def _cores() -> int:
    return len(os.sched_getaffinity(0))
