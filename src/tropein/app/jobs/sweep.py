"""Giving space back: files that nothing refers to any more, once they are old enough that nothing can be about to.

What may go is told by references alone (see store.references) and by age; what is being written now is younger than that, or held
by a lock. It runs by itself in a worker, one at a time, and its figures are kept for the page.
"""

from __future__ import annotations

import asyncio
import logging
import os
import re
import shutil
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import text

from tropein.app.jobs.context import WorkContext
from tropein.app.settings import Settings
from tropein.app.store import references, settings
from tropein.app.store.database import transaction
from tropein.core.files import is_taken, locked

EVERY_S, FIRST_AFTER_S = 3600.0, 60.0
UNREFERENCED_S = 24 * 3600.0  # media and artefacts that nothing names
LEFT_OVER_S = 2 * 3600.0  # unfinished things whose maker is gone
HASH = re.compile(r"[0-9a-f]{32}")
FIGURES, GOING = "sweep", ".going-"
log = logging.getLogger(__name__)


@dataclass
class Swept:
    """What one sweep found, in bytes and files."""

    at: str = ""
    removed: int = 0
    freed: int = 0
    media: int = 0
    tracks: int = 0
    renders: int = 0
    under_way: int = 0
    free: int = 0
    problems: list[str] = field(default_factory=list)


async def now_and_then(context: WorkContext) -> None:
    await asyncio.sleep(FIRST_AFTER_S)
    while True:
        await asyncio.to_thread(sweep, context)
        await asyncio.sleep(EVERY_S)


def sweep(
    context: WorkContext, unreferenced_s: float = UNREFERENCED_S, left_over_s: float = LEFT_OVER_S
) -> Swept | None:
    """One sweep, or None while another process sweeps. Ages in seconds: younger things stay."""
    with context.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        if not connection.scalar(text("select pg_try_advisory_lock(84202)")):
            return None
        try:
            swept = _sweep(context, unreferenced_s, left_over_s)
        finally:
            connection.execute(text("select pg_advisory_unlock(84202)"))
    with transaction(context.engine) as session:
        settings.put(session, FIGURES, asdict(swept))
    return swept


def figures(value: Any) -> Swept | None:
    return Swept(**value) if isinstance(value, dict) else None


@dataclass(frozen=True)
class Candidate:
    """A file or folder, the name by which something may refer to it, and how old it must be to go."""

    path: Path
    name: str
    age_s: float

    @property
    def old(self) -> bool:
        return time.time() - _changed(self.path) > self.age_s


def _sweep(context: WorkContext, unreferenced_s: float, left_over_s: float) -> Swept:
    home, swept = context.settings, Swept(at=datetime.now(UTC).isoformat(timespec="seconds"))
    candidates = [c for c in _candidates(home, unreferenced_s, left_over_s) if c.old]
    with transaction(context.engine) as session:  # asked after the files were listed: what is newer is not among them
        kept = references.needed(session) | references.known_runs(session) | references.uploads(session)
    for candidate in candidates:
        path = candidate.path
        if candidate.name in kept:
            continue
        try:
            size = _size(path)
            with locked(context.library.store.sweep_lock):
                if not candidate.old or is_taken(path):
                    continue
                going = path.with_name(f"{GOING}{path.name}") if path.is_dir() else path
                path.rename(going)  # so that no half of a folder is ever taken for the whole
            shutil.rmtree(going) if going.is_dir() else going.unlink(missing_ok=True)
        except OSError as error:
            swept.problems.append(f"{path.name}: {error.strerror}")
            continue
        log.warning("nothing needs %s any more: removed", path)
        swept.removed, swept.freed = swept.removed + 1, swept.freed + size
    swept.media = sum(_size(p) for p in home.media.glob("??"))
    swept.under_way = _size(home.media / "incoming") + _size(home.outgoing)
    swept.tracks, swept.renders = _size(home.artefacts), _size(home.renders)
    swept.free = shutil.disk_usage(home.home).free
    return swept


def _candidates(home: Settings, unreferenced_s: float, left_over_s: float) -> Iterator[Candidate]:
    for path in (*home.media.glob("??/*"), *home.artefacts.glob("??/*")):
        name = path.name.partition(".")[0]
        if HASH.fullmatch(name):
            yield Candidate(path, name, unreferenced_s)
        elif path.name.startswith("."):  # half made, or half removed
            yield Candidate(path, "", left_over_s)
    for folder in (home.renders, home.media / "incoming", home.outgoing):
        for path in folder.glob("*"):
            yield Candidate(path, path.name, left_over_s)
    for pattern in ("*/.*.part*", "*/frames/.*.part*"):
        for path in home.renders.glob(pattern):
            yield Candidate(path, "", left_over_s)
    for path in home.renders.glob("*/part-*"):  # of films that are joined
        if _joined(path.parent):
            yield Candidate(path, "", left_over_s)


def _joined(folder: Path) -> bool:
    return any(p.is_file() and not p.name.startswith((".", "part-")) for p in folder.iterdir())


def _changed(path: Path) -> float:
    """The newest change within, in seconds since the epoch."""
    try:
        newest = path.lstat().st_mtime
        if path.is_dir():
            for root, _, files in os.walk(path):
                newest = max([newest, *((Path(root) / f).lstat().st_mtime for f in files)])
        return newest
    except FileNotFoundError:
        return time.time()  # gone, or going, by itself


def _size(path: Path) -> int:
    if not path.is_dir():
        return path.lstat().st_size if path.exists() else 0
    total = 0
    for root, _, files in os.walk(path):
        for name in files:
            try:
                total += (Path(root) / name).lstat().st_size
            except FileNotFoundError:
                continue
    return total
