"""Which stored files anything still needs: every content hash that stands anywhere in the database."""

from __future__ import annotations

from sqlalchemy import text
from sqlalchemy.orm import Session

# Documents, both directions of every edit (undo goes back without end), the shelf, and what runs were told or found.
_HASHES = text(
    """select distinct found[1] from (
        select document::text as words from shot
        union all select patch::text || inverse::text from edit
        union all select media from shelf_item
        union all select params::text || result::text from run
    ) said, regexp_matches(said.words, '[0-9a-f]{32}', 'g') found"""
)


def needed(session: Session) -> set[str]:
    """Names of media and artefacts that must stay."""
    return set(session.scalars(_HASHES))


def known_runs(session: Session) -> set[str]:
    return set(session.scalars(text("select id from run")))


def uploads(session: Session) -> set[str]:
    """Uploads that work still wants, or that the user has been asked about within the last days."""
    rows = text(
        """select params ->> 'upload' from run where params ? 'upload'
        and (state in ('waiting', 'running') or (result ? 'asks' and finished > now() - interval '2 days'))"""
    )
    return set(session.scalars(rows))
