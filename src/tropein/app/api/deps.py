"""What routers need, from the application's state."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from fastapi import Depends, Path, Query, Request
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.live.pool import PreviewPool
from tropein.app.live.shots import LiveShots
from tropein.app.store.database import transaction
from tropein.core.document.base import HASH_PATTERN, ID_PATTERN, MOST_FRAMES


def work(request: Request) -> WorkContext:
    found: WorkContext = request.app.state.work
    return found


def pool(request: Request) -> PreviewPool:
    found: PreviewPool = request.app.state.pool
    return found


def live_shots(request: Request) -> LiveShots:
    found: LiveShots = request.app.state.live_shots
    return found


def db(request: Request) -> Iterator[Session]:
    with transaction(request.app.state.work.engine) as session:
        yield session


Work = Annotated[WorkContext, Depends(work)]
Db = Annotated[Session, Depends(db, scope="function")]
Pool = Annotated[PreviewPool, Depends(pool)]
Live = Annotated[LiveShots, Depends(live_shots)]
IdInPath = Annotated[str, Path(pattern=ID_PATTERN)]
HashInPath = Annotated[str, Path(pattern=HASH_PATTERN)]
FrameInPath = Annotated[int, Path(ge=-MOST_FRAMES, le=MOST_FRAMES)]
FrameAsked = Annotated[int, Query(ge=-MOST_FRAMES, le=MOST_FRAMES)]
Revision = Annotated[int, Query(ge=-1, lt=2**31, description="-1 is the newest")]
