"""Documents and their history in version 4, where the points of a track have addresses of their own.

The document is written as it stands now; each step is made anew from the documents before and after it, from the newest back. Where an
old document can no longer be read, undo ends.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from tropein.app.store.migrations.history import made_anew
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

shot = sa.table("shot", sa.column("id"), sa.column("document", JSONB), sa.column("revision"), sa.column("written"))
edit = sa.table("edit", sa.column("shot_id"), sa.column("number"), sa.column("patch", JSONB))


def upgrade() -> None:
    connection = op.get_bind()
    old = sa.select(shot).where(sa.text("(document ->> 'schema_version')::int < 4"))
    for row in list(connection.execute(old)):
        _convert(connection, row)


def _convert(connection: sa.Connection, row: Any) -> None:
    since = sa.select(edit.c.patch).where(
        edit.c.shot_id == row.id, edit.c.number.between(row.written + 1, row.revision)
    )
    document = row.document
    try:
        for patch in connection.scalars(since.order_by(edit.c.number)):
            document = apply_patch(document, patch)
        after = load_shot(document).model_dump(mode="json")
    except BadInput:
        return  # it is named on the sheet of shots as one that cannot be read
    here = shot.update().where(shot.c.id == row.id)
    connection.execute(here.values(document=after, written=row.revision))
    made_anew(connection, row.id, document, after)


def downgrade() -> None:
    raise NotImplementedError("documents of version 4 are not taken back to version 3")
