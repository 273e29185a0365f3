"""Documents and their history in version 3, whose addresses do not change when something else moves.

Each edit is made anew from the documents before and after it, from the newest back. Where an old document can no longer be read, undo ends.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from tropein.app.store.migrations.history import made_anew
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

shot = sa.table("shot", sa.column("id"), sa.column("document", JSONB))


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
    made_anew(connection, shot_id, document, after)


def downgrade() -> None:
    raise NotImplementedError("documents of version 3 are not taken back to version 2")
