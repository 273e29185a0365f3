"""What routers need, from the application's state."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from fastapi import Depends, Request
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.live.pool import PreviewPool
from tropein.app.live.shots import LiveShots
from tropein.app.store.database import transaction


def work(request: Request) -> WorkContext:
    return request.app.state.work


def pool(request: Request) -> PreviewPool:
    return request.app.state.pool


def live_shots(request: Request) -> LiveShots:
    return request.app.state.live_shots


def db(request: Request) -> Iterator[Session]:
    with transaction(request.app.state.work.engine) as session:
        yield session


Work = Annotated[WorkContext, Depends(work)]
Db = Annotated[Session, Depends(db, scope="function")]
Pool = Annotated[PreviewPool, Depends(pool)]
Live = Annotated[LiveShots, Depends(live_shots)]
