"""The shelf: all footage and stock elements."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from tropein.app.store.models import ShelfRow, ShotRow
from tropein.app.store.shots import document_of, notify
from tropein.core.document import Footage, new_id
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput, NotFound
from tropein.core.media.record import MediaRecord


def add(session: Session, media: str, name: str, record: MediaRecord, tags: list[str], stock: bool = False) -> ShelfRow:
    """A shelf item for stored media; the same media under the same name once. BadInput for facts that no shot could take."""
    name = " ".join(name.split())[:120] or "untitled"
    found = session.scalars(select(ShelfRow).where(ShelfRow.media == media, ShelfRow.name == name)).first()
    if found:
        return found
    row = ShelfRow(
        id=new_id(),
        media=media,
        name=name,
        kind=record.kind,
        stock=stock,
        tags=tags,
        facts=record.summary(),
    )
    if record.kind != "sound":
        try:
            footage_of(row)
        except ValidationError as error:
            raise BadInput(f"This footage cannot be used in a shot: {explain(error)}.") from error
    session.add(row)
    session.flush()
    notify(session, kind="shelf")
    return row


def items(session: Session) -> list[ShelfRow]:
    return list(session.scalars(select(ShelfRow).order_by(ShelfRow.stock, ShelfRow.created)))


def item(session: Session, item_id: str) -> ShelfRow:
    row = session.get(ShelfRow, item_id)
    if row is None:
        raise NotFound("This footage is not on the shelf (any more).")
    return row


def footage_of(row: ShelfRow) -> Footage:
    """The document's footage for a shelf item."""
    facts = row.facts
    return Footage(
        id=row.id, name=row.name, kind=facts["kind"], media=row.media, size=tuple(facts["size"]), rate=facts["rate"],
        frames=facts["frames"], alpha=facts["alpha"], sound=facts["sound"], space=facts["space"],
    )  # fmt: skip


def used_in(session: Session, media: str) -> list[str]:
    """Names of the shots that use this media."""
    return [
        shot.name
        for shot in session.scalars(select(ShotRow))
        if any(f["media"] == media for f in document_of(session, shot)["footage"].values())
    ]


def remove(session: Session, item_id: str) -> None:
    row = item(session, item_id)
    shots = used_in(session, row.media)
    if shots:
        raise BadInput(f"{row.name} is used in {', '.join(sorted(shots))}. Take it out there first.")
    session.delete(row)
    notify(session, kind="shelf")
