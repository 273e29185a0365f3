"""Documents and their history in version 3, whose addresses do not change when something else moves.

Each edit is made anew from the documents before and after it, from the newest back. Where an old document can no longer be read, undo ends.
"""

from __future__ import annotations

from typing import Any

import jsonpatch
import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

shot = sa.table("shot", sa.column("id"), sa.column("document", JSONB))
edit = sa.table(
    "edit", sa.column("shot_id"), sa.column("number"), sa.column("state"), sa.column("patch", JSONB), sa.column("inverse", JSONB)
)  # fmt: skip


def upgrade() -> None:
    connection = op.get_bind()
    old = sa.select(shot.c.id, shot.c.document).where(sa.text("(document ->> 'schema_version')::int < 3"))
    for shot_id, document in list(connection.execute(old)):
        _convert(connection, shot_id, document)


def _convert(connection: sa.Connection, shot_id: str, document: dict[str, Any]) -> None:
    try:
        after = load_shot(document).model_dump(mode="json")
    except BadInput:
        return  # it is named on the sheet of shots as one that cannot be read
    connection.execute(shot.update().where(shot.c.id == shot_id).values(document=after))
    rows = sa.select(edit.c.number, edit.c.inverse).where(edit.c.shot_id == shot_id).order_by(edit.c.number.desc())
    for number, inverse in list(connection.execute(rows)):
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


def downgrade() -> None:
    raise NotImplementedError("documents of version 3 are not taken back to version 2")
