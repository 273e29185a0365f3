"""The steps of a shot's history, made anew for a later version of the document."""

from __future__ import annotations

from typing import Any

import jsonpatch
import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB

from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput

edit = sa.table(
    "edit", sa.column("shot_id"), sa.column("number"), sa.column("state"), sa.column("patch", JSONB), sa.column("inverse", JSONB)
)  # fmt: skip


def made_anew(connection: sa.Connection, shot_id: str, document: dict[str, Any], after: dict[str, Any]) -> None:
    """Each step from the documents before and after it, from the newest back: `document` as it was stored, `after` the same in the
    version of now. Steps before one that can no longer be read are dropped."""
    rows = sa.select(edit.c.number, edit.c.inverse).where(edit.c.shot_id == shot_id)
    for number, inverse in list(connection.execute(rows.order_by(edit.c.number.desc()))):
        here = edit.update().where(edit.c.shot_id == shot_id, edit.c.number <= number)
        try:
            document = apply_patch(document, inverse)
            before = load_shot(document).model_dump(mode="json")
        except BadInput:
            connection.execute(here.values(state="dropped"))
            return
        there, back = jsonpatch.make_patch(before, after).patch, jsonpatch.make_patch(after, before).patch
        connection.execute(here.where(edit.c.number == number).values(patch=there, inverse=back))
        after = before
