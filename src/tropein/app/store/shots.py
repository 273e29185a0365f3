"""Shots and the one way to change them: labelled patches on a revision, with undo and redo without end."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from collections.abc import Iterable
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

import orjson
from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from tropein.app.store.models import EditRow, RunRow, ShotRow
from tropein.core.commands import Change, planned
from tropein.core.document import SCHEMA_VERSION, Shot, new_id
from tropein.core.document.held import Held
from tropein.core.document.patch import PatchOps, apply_in_place
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, Conflict, NotFound

HELD_SHOTS = 12  # whose models are kept from one edit to the next
STEPS = 40  # so many may lie between a document that is written and the newest
LARGE_BYTES = 256 << 10  # a step so large is written with its document
_kept: OrderedDict[str, tuple[str, Held]] = OrderedDict()
_grown: dict[str, str] = {}  # marks of shots that hold more as they are read than is stored: fields that came since
_lock = threading.Lock()
MOST_TOLD_BYTES = 7900  # PostgreSQL takes less than 8000
WORK = ("worker", "tracks")  # who edits for the shot's own work, not for a person


@dataclass(frozen=True)
class ShotState:
    """A shot as it stands, with the names of what undo and redo would do."""

    id: str
    name: str
    revision: int
    document: dict[str, Any]
    undo: str | None
    redo: str | None


@dataclass(frozen=True)
class Stepped:
    """A shot's newest revision by what was done since another one (`base`), and the names of what undo and redo would do."""

    id: str
    name: str
    revision: int
    base: int
    patch: PatchOps
    undo: str | None
    redo: str | None


def notify(session: Session, **event: object) -> None:
    """Tell every server process; delivered when the transaction commits. What does not fit loses its lists."""
    body = json.dumps(event)
    if len(body.encode()) > MOST_TOLD_BYTES:
        body = json.dumps({k: v for k, v in event.items() if not isinstance(v, list)})
    session.execute(text("select pg_notify('tropein', :body)"), {"body": body})


def create(session: Session, shot: Shot, shot_id: str | None = None) -> ShotState:
    held = Held(shot.model_dump(mode="json"), shot)
    row = ShotRow(id=shot_id or new_id(), name=shot.name, revision=0, written=0, mark=new_id(), document=held.plain)
    session.add(row)
    session.flush()
    _keep(row, held)
    notify(session, kind="shots")
    return ShotState(row.id, row.name, 0, held.plain, None, None)


def copy(session: Session, shot_id: str) -> ShotState:
    """A second shot with the same document; its history begins anew."""
    shot = shot_of(session, shot_id)
    return create(session, shot.model_copy(update={"name": f"{shot.name[:110]} copy"}))


def row_of(session: Session, shot_id: str, lock: bool = False) -> ShotRow:
    row = session.get(ShotRow, shot_id, with_for_update=lock or None)
    if row is None:
        raise NotFound("This shot does not exist (any more).")
    return row


def document_of(session: Session, row: ShotRow) -> dict[str, Any]:
    """The plain document of a shot's newest revision, not to be changed, and not validated where it was not used since this process began."""
    kept = _lookup(row)
    return _replayed(session, row) if kept is None else kept.plain


def shot_of(session: Session, shot_id: str) -> Shot:
    """A shot as it stands. BadInput where what is stored cannot be read."""
    return _held(session, row_of(session, shot_id)).shot


def _replayed(session: Session, row: ShotRow) -> dict[str, Any]:
    """The document that is written with the steps since; the row is read anew with it, so that they belong together."""
    session.refresh(row, ["revision", "written", "mark", "document"])
    query = select(EditRow.patch).where(
        EditRow.shot_id == row.id, EditRow.number.between(row.written + 1, row.revision)
    )
    steps = session.scalars(query.order_by(EditRow.number)).all()
    document = row.document
    if document.get("schema_version") != SCHEMA_VERSION:
        document = load_shot(document).model_dump(mode="json")
    try:
        return _walked(document, steps) if steps else document
    except BadInput:  # steps of a version that knew more fields than the document was written with
        return _walked(load_shot(document).model_dump(mode="json"), steps)


def _walked(document: dict[str, Any], steps: Iterable[PatchOps]) -> dict[str, Any]:
    """A document after some steps."""
    document = deepcopy(document)
    for step in steps:
        document = apply_in_place(document, step)
    return document


def newest(session: Session, shot_id: str) -> int:
    """The number of a shot's last revision."""
    revision = session.scalar(select(ShotRow.revision).where(ShotRow.id == shot_id))
    if revision is None:
        raise NotFound("This shot does not exist (any more).")
    return revision


def document_at(session: Session, shot_id: str, revision: int) -> dict[str, Any]:
    """The plain document as it stood at a revision: what was done since is taken back, step by step."""
    row = row_of(session, shot_id)
    if not 0 <= revision <= row.revision:
        raise NotFound(f"The shot has no revision {revision}.")
    newest = _held(session, row).plain
    if revision == row.revision:
        return newest
    later = EditRow.number.between(revision + 1, row.revision)
    query = select(EditRow.inverse).where(EditRow.shot_id == shot_id, later)
    document = _walked(newest, session.scalars(query.order_by(EditRow.number.desc())))
    return load_shot(document).model_dump(mode="json")


def step_to(session: Session, shot_id: str, revision: int) -> PatchOps | None:
    """The patch that made a revision of the one before it."""
    query = select(EditRow.patch).where(EditRow.shot_id == shot_id, EditRow.number == revision)
    return session.scalar(query)


def state(session: Session, shot_id: str) -> ShotState:
    """All of a shot. BadInput where what is stored cannot be read."""
    row = row_of(session, shot_id)
    return ShotState(row.id, row.name, row.revision, _held(session, row).plain, *_names(session, shot_id))


def since(session: Session, shot_id: str, base: int) -> Stepped:
    """What was done since a revision. NotFound where the shot never had it."""
    row = row_of(session, shot_id)
    if not 0 <= base <= row.revision:
        raise NotFound(f"The shot has no revision {base}.")
    later = EditRow.number.between(base + 1, row.revision)
    query = select(EditRow.patch).where(EditRow.shot_id == shot_id, later).order_by(EditRow.number)
    patch = [op for step in session.scalars(query) for op in step]
    return Stepped(row.id, row.name, row.revision, base, patch, *_names(session, shot_id))


def _names(session: Session, shot_id: str) -> tuple[str | None, str | None]:
    """What undo and redo would do."""
    undo, redo = _undoable(session, shot_id), _redoable(session, shot_id)
    return undo.label if undo else None, redo.label if redo else None


def _undoable(session: Session, shot_id: str) -> EditRow | None:
    query = select(EditRow).where(EditRow.shot_id == shot_id, EditRow.kind == "edit", EditRow.state == "done")
    return session.scalars(query.order_by(EditRow.number.desc()).limit(1)).first()


def _redoable(session: Session, shot_id: str) -> EditRow | None:
    query = select(EditRow).where(EditRow.shot_id == shot_id, EditRow.kind == "edit", EditRow.state == "undone")
    return session.scalars(query.order_by(EditRow.number).limit(1)).first()


def apply(
    session: Session,
    shot_id: str,
    base: int | None,
    label: str,
    ops: PatchOps,
    client: str = "",
    key: str | None = None,
) -> Stepped:
    """Apply an edit made on revision `base` (None: on whatever stands, for work that touches only what is its own).

    Conflict, carrying the newer revision, when someone else was first. Results of the shot's own work that came meanwhile are no
    conflict, unless the edit is about the same things. An edit whose `key` is stored already was sent twice, and stands.
    """
    row = row_of(session, shot_id, lock=True)
    known = row.revision if base is None else base
    if _stored_already(session, shot_id, key):
        return since(session, shot_id, known)
    _refuse_if_behind(session, row, base, ops)
    held = _held(session, row)
    after, patch, inverse = held.edit(ops)
    if not patch:
        return since(session, shot_id, known)
    session.execute(
        update(EditRow).where(EditRow.shot_id == shot_id, EditRow.state == "undone").values(state="dropped")
    )
    _store(session, row, held, after, label, "edit", None, patch, inverse, client, key)
    return since(session, shot_id, known)


def _stored_already(session: Session, shot_id: str, key: str | None) -> bool:
    query = select(EditRow.number).where(EditRow.shot_id == shot_id, EditRow.key == key)
    return key is not None and session.scalar(query) is not None


def _refuse_if_behind(session: Session, row: ShotRow, base: int | None, ops: PatchOps) -> None:
    """Conflict where what was made on a revision does not hold on the one that stands."""
    known = (
        base is None
        or base == row.revision
        or 0 <= base < row.revision
        and _only_work_since(session, row.id, base, ops)
    )
    if not known:
        last = session.get(EditRow, (row.id, row.revision))
        what = f" ({last.label})" if last else ""
        raise Conflict(
            f"This shot was changed elsewhere{what} after you last saw it. Your change was not stored: take over the "
            "newer state and do it again.",
            revision=row.revision,
        )  # fmt: skip


def give(
    session: Session, shot_id: str, base: int | None, command: str, arguments: dict[str, Any], client: str = "", key: str | None = None
) -> tuple[Stepped, Change]:  # fmt: skip
    """Give a command (see core.commands) on revision `base`: what it does is one edit. Sent twice with one key it is done once."""
    row = row_of(session, shot_id, lock=True)
    if _stored_already(session, shot_id, key):
        return since(session, shot_id, row.revision if base is None else base), Change("")
    ops, change = planned(_held(session, row), command, arguments)
    _refuse_if_behind(session, row, base, ops)
    known = row.revision if base is None else base
    apply(session, shot_id, row.revision, change.label, ops, client, key)
    return since(session, shot_id, known), change


def _held(session: Session, row: ShotRow) -> Held:
    """The newest document with its models, which are kept from the edit before; what was kept counts only with the row's own mark."""
    kept = _lookup(row)
    if kept is None:
        stored = _replayed(session, row)
        kept = Held.of(stored)
        _keep(row, kept)
        if kept.plain != stored:
            _grown[row.id] = row.mark
    return kept


def _lookup(row: ShotRow) -> Held | None:
    with _lock:
        mark, held = _kept.get(row.id, ("", None))
    return held if row.mark and mark == row.mark else None


def _keep(row: ShotRow, held: Held) -> None:
    if not row.mark:
        return
    with _lock:
        _kept[row.id] = row.mark, held
        _kept.move_to_end(row.id)
        while len(_kept) > HELD_SHOTS:
            _kept.popitem(last=False)


def _only_work_since(session: Session, shot_id: str, base: int, ops: PatchOps) -> bool:
    """Whether all that was stored after a revision is work's own, and none of it touches what the operations do."""
    query = select(EditRow).where(EditRow.shot_id == shot_id, EditRow.number > base)
    since = session.scalars(query).all()
    mine, theirs = _touched(ops), _touched([op for row in since for op in row.patch])
    apart = not any(a[: len(b)] == b[: len(a)] for a in mine for b in theirs)
    return apart and all(row.client in WORK for row in since)


def _touched(ops: PatchOps) -> list[list[str]]:
    """The parts of every path that operations name."""
    return [op[name].split("/")[1:] for op in ops for name in ("path", "from") if name in op]


def undo(session: Session, shot_id: str, client: str = "", base: int | None = None) -> Stepped:
    """Take the last edit back; `base` is the revision whoever asks knows."""
    row = row_of(session, shot_id, lock=True)
    known = row.revision if base is None else base
    target = _undoable(session, shot_id)
    if target is None:
        raise BadInput("There is nothing to undo.")
    target.state = "undone"
    _again(session, row, target, target.inverse, "undo", client)
    return since(session, shot_id, known)


def redo(session: Session, shot_id: str, client: str = "", base: int | None = None) -> Stepped:
    row = row_of(session, shot_id, lock=True)
    known = row.revision if base is None else base
    target = _redoable(session, shot_id)
    if target is None:
        raise BadInput("There is nothing to redo.")
    target.state = "done"
    _again(session, row, target, target.patch, "redo", client)
    return since(session, shot_id, known)


def _again(session: Session, row: ShotRow, target: EditRow, ops: PatchOps, kind: str, client: str) -> None:
    held = _held(session, row)
    after, patch, inverse = held.edit(ops)
    _store(session, row, held, after, target.label, kind, target.number, patch, inverse, client)


def _store(
    session: Session, row: ShotRow, before: Held, after: Held, label: str, kind: str, target: int | None,
    patch: PatchOps, inverse: PatchOps, client: str, key: str | None = None,
) -> None:  # fmt: skip
    if _grown.pop(row.id, None) == row.mark:
        # the step is one from what was read: that is what it must be laid on again
        row.document, row.written = before.plain, row.revision
    row.revision += 1
    row.name, row.mark = after.shot.name, new_id()
    if row.revision - row.written >= STEPS or len(orjson.dumps(patch)) > LARGE_BYTES:
        row.document, row.written = after.plain, row.revision
    _keep(row, after)
    row.updated = func.now()
    state_now = "done" if kind == "edit" else "dropped"
    session.add(
        EditRow(
            shot_id=row.id, number=row.revision, label=label[:200], kind=kind, target=target, state=state_now,
            patch=patch, inverse=inverse, client=client[:60], key=key,
        )
    )  # fmt: skip
    session.flush()
    notify(
        session,
        kind="edit",
        shot=row.id,
        revision=row.revision,
        client=client[:60],
        work=client in WORK,
        label=label[:200],
    )


def history(session: Session, shot_id: str, limit: int = 200) -> list[EditRow]:
    row_of(session, shot_id)
    query = select(EditRow).where(EditRow.shot_id == shot_id).order_by(EditRow.number.desc()).limit(limit)
    return list(session.scalars(query))


def file_stem(name: str) -> str:
    """A shot's name as the stem of a file."""
    return ("".join(c if c.isalnum() or c in "-_" else "-" for c in name).strip("-") or "shot")[:80]


def all_shots(session: Session) -> list[ShotRow]:
    return list(session.scalars(select(ShotRow).order_by(ShotRow.created)))


def with_runs(session: Session) -> list[tuple[ShotRow, int]]:
    """Every shot, and how many pieces of work it has."""
    count = select(RunRow.shot_id, func.count().label("n")).group_by(RunRow.shot_id).subquery()
    query = select(ShotRow, func.coalesce(count.c.n, 0)).outerjoin(count, count.c.shot_id == ShotRow.id)
    return [(row, int(n)) for row, n in session.execute(query.order_by(ShotRow.created))]


def delete(session: Session, shot_id: str) -> None:
    session.delete(row_of(session, shot_id))
    notify(session, kind="shots")
