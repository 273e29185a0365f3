"""The account PostgreSQL runs as: never root."""

from __future__ import annotations

import os
import pwd
from pathlib import Path

from launch.step import StepFailed


def account() -> pwd.struct_passwd | None:
    """The account to drop to when we are root; None when we are not."""
    if os.geteuid() != 0:
        return None
    try:
        return pwd.getpwnam("postgres")
    except KeyError:
        raise StepFailed("start PostgreSQL", "There is no account 'postgres'.", "apt-get install postgresql") from None


def give(path: Path) -> None:
    """A file or folder to that account."""
    entry = account()
    if entry is not None:
        os.chown(path, entry.pw_uid, entry.pw_gid)
