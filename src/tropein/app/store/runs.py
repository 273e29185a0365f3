"""Runs: long work, its chunks, its progress. These rows are the truth; queue entries only wake workers up."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from tropein.app.store.models import ChunkRow, RunRow
from tropein.app.store.shots import notify
from tropein.core.document import new_id
from tropein.core.errors import NotFound

LIVE = ("waiting", "running", "finishing")
ENDED = ("done", "failed", "cancelled")
MOST_ATTEMPTS = 12  # workers that may die over a piece of work before it is given up


GIVEN_UP = f"The worker ended {MOST_ATTEMPTS} times while it did this, so it was given up. Its log says why (var/log/worker.log)."


def create(
    session: Session, kind: str, title: str, params: dict[str, Any], total: int = 0, shot_id: str | None = None
) -> RunRow:
    row = RunRow(
        id=new_id(), kind=kind, title=title[:200], state="waiting", params=params, total=total, shot_id=shot_id
    )
    session.add(row)
    session.flush()
    announce(session, row.id)
    return row


def get(session: Session, run_id: str) -> RunRow:
    row = session.get(RunRow, run_id)
    if row is None:
        raise NotFound("This piece of work does not exist (any more).")
    return row


def recent(session: Session, limit: int = 100) -> list[RunRow]:
    return list(session.scalars(select(RunRow).order_by(RunRow.created.desc()).limit(limit)))


def announce(session: Session, run_id: str, **more: object) -> None:
    notify(session, kind="run", run=run_id, **more)


def start(session: Session, run_id: str, counted: bool = True) -> bool:
    """Take up a run; False when it has ended meanwhile. What was taken up too often ends here, as failed."""
    row = session.get(RunRow, run_id, with_for_update=True)
    if row is None or row.state not in ("waiting", "running"):
        return False
    row.attempts += counted
    if row.attempts > MOST_ATTEMPTS:
        end(session, run_id, "failed", error=GIVEN_UP)
        return False
    row.state, row.started = "running", row.started or func.now()
    announce(session, run_id)
    return True


def progress(session: Session, run_id: str, done: int, total: int, note: str = "", **more: object) -> None:
    session.execute(update(RunRow).where(RunRow.id == run_id).values(done=done, total=total, note=note[:200]))
    announce(session, run_id, **more)


def stopped(session: Session, run_id: str) -> bool:
    """Whether the user cancelled the run, or it is gone."""
    state = session.scalar(select(RunRow.state).where(RunRow.id == run_id))
    return state is None or state in ("cancelled", "failed")


def end(
    session: Session, run_id: str, state: str, *, error: str = "", note: str = "", result: dict[str, Any] | None = None
) -> None:
    """Close a run, unless it has been closed already (a cancelled run may still gain its result)."""
    values: dict[str, Any] = {"finished": text("now()")}
    if error:
        values["error"] = error[:2000]
    if note:
        values["note"] = note[:200]
    if result is not None:
        values["result"] = result
    session.execute(update(RunRow).where(RunRow.id == run_id).values(**values))
    session.execute(update(RunRow).where(RunRow.id == run_id, RunRow.state.not_in(ENDED)).values(state=state))
    announce(session, run_id)


def delete(session: Session, rows: Iterable[RunRow]) -> None:
    """Forget runs; what a worker still does for them ends at its next frame."""
    for row in rows:
        session.delete(row)
        announce(session, row.id)


def of_shot(session: Session, shot_id: str) -> list[RunRow]:
    return list(session.scalars(select(RunRow).where(RunRow.shot_id == shot_id)))


def cancel(session: Session, run_id: str) -> RunRow:
    get(session, run_id)
    session.execute(
        update(RunRow)
        .where(RunRow.id == run_id, RunRow.state.not_in(ENDED))
        .values(state="cancelled", finished=text("now()"))
    )
    announce(session, run_id)
    return get(session, run_id)


def add_parts(session: Session, run_id: str, parts: Iterable[tuple[int, int]]) -> list[int]:
    """The parts of a run, first and last frame of each; returns their numbers."""
    rows = [ChunkRow(run_id=run_id, number=n, first=first, last=last) for n, (first, last) in enumerate(parts)]
    session.add_all(rows)
    session.flush()
    return [row.number for row in rows]


def chunks(session: Session, run_id: str) -> list[ChunkRow]:
    return list(session.scalars(select(ChunkRow).where(ChunkRow.run_id == run_id).order_by(ChunkRow.number)))
