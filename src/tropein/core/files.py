"""Files that are there whole or not at all."""

from __future__ import annotations

import errno
import fcntl
import os
import secrets
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tropein.core.errors import OutOfSpace

LOCK = ".taken"
FULL = (errno.ENOSPC, errno.EDQUOT)


@contextmanager
def whole(path: Path, sync: bool = True) -> Iterator[Path]:
    """A name of its own beside `path` to write to, which takes that name once the block has ended well; otherwise nothing
    remains. With `sync` it lies on the disk by then. OutOfSpace when the disk is full."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f".{path.stem[:60]}.{os.getpid()}-{secrets.token_hex(4)}.part{path.suffix}")
    try:
        yield part
        if sync:
            _to_disk(part)
        part.replace(path)
        if sync:
            _to_disk(path.parent)
    except OSError as error:
        if error.errno in FULL:
            raise OutOfSpace("The disk is full; nothing was written.") from error
        raise
    finally:
        part.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes, sync: bool = True) -> None:
    with whole(path, sync) as part:
        part.write_bytes(data)


def _to_disk(path: Path) -> None:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


@contextmanager
def locked(path: Path, shared: bool = False) -> Iterator[None]:
    """Hold the lock on a file, which is made if need be; waits for it."""
    path.parent.mkdir(parents=True, exist_ok=True)
    lock = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(lock, fcntl.LOCK_SH if shared else fcntl.LOCK_EX)
        yield
    finally:
        os.close(lock)


@contextmanager
def taken(folder: Path) -> Iterator[Path]:
    """A folder to work in, locked for as long (see `is_taken`)
    and removed at the end; when its maker is killed the lock goes with it."""
    folder.mkdir(parents=True)
    lock = os.open(folder / LOCK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        os.close(lock)


def is_taken(folder: Path) -> bool:
    """Whether somebody works in a folder now."""
    try:
        lock = os.open(folder / LOCK, os.O_RDWR | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(lock)
    return False
