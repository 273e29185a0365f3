"""Facts about the whole installation, by name."""

from __future__ import annotations

import uuid
from pathlib import Path
from typing import Any

from sqlalchemy import func
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from tropein.app.store.models import SettingRow
from tropein.core.errors import BadInput
from tropein.core.files import write_whole

HOME = "home"
MARK = "home-id"  # the file that says which home folder this is


def get(session: Session, name: str) -> Any:
    row = session.get(SettingRow, name)
    return None if row is None else row.value


def put(session: Session, name: str, value: Any) -> None:
    new = insert(SettingRow).values(name=name, value=value)
    session.execute(
        new.on_conflict_do_update(index_elements=["name"], set_={"value": new.excluded.value, "changed": func.now()})
    )


def claim_home(session: Session, home: Path) -> None:
    """Remember, as the server, which folder goes with this database."""
    mark = home / MARK
    if not mark.exists():
        write_whole(mark, uuid.uuid4().hex.encode())
    put(session, HOME, {"id": mark.read_text().strip(), "folder": str(home)})


def check_home(session: Session, home: Path) -> None:
    """BadInput when a worker sees another folder than the server does: it would not find the media, nor would its pictures be
    found."""
    known = get(session, HOME)
    mark = home / MARK
    if known is None:
        raise BadInput("No server has used this database yet: start one first.")
    if not mark.exists() or mark.read_text().strip() != known["id"]:
        raise BadInput(
            f"TROPEIN_HOME={home} is not the folder that goes with this database: on the server that is {known['folder']}."
        )
