"""Opening zip files that nobody vouches for."""

from __future__ import annotations

import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from tropein.core.errors import BadInput, TropeinError
from tropein.core.files import FULL

MAX_BYTES = 64 << 30
MAX_FILES = 400_000
MAX_RATIO = 200  # a zip that unpacks to more than this many times its size is a bomb


DAMAGED = (
    zipfile.BadZipFile,
    zlib.error,
    struct.error,
    EOFError,
    NotImplementedError,
    RuntimeError,
    ValueError,
    RecursionError,
    OSError,
)


@contextmanager
def or_bad_input(words: str) -> Iterator[None]:
    """What reading a damaged or locked zip, or JSON that nests without end, raises, in words."""
    try:
        yield
    except TropeinError:
        raise
    except DAMAGED as error:
        if isinstance(error, OSError) and error.errno in FULL:
            raise
        raise BadInput(words) from error


def check_zip(archive: zipfile.ZipFile, size: int) -> list[zipfile.ZipInfo]:
    """The files of a zip, or BadInput when it is unsafe: too many, too large, a bomb, or paths that lead outside."""
    infos = [i for i in archive.infolist() if not i.is_dir()]
    if len(infos) > MAX_FILES:
        raise BadInput(f"The zip holds more than {MAX_FILES} files.")
    total = sum(i.file_size for i in infos)
    if total > MAX_BYTES or total > max(size, 1 << 20) * MAX_RATIO:
        raise BadInput("The zip unpacks to far more than a zip of this size should; it was not opened.")
    for info in infos:
        path = PurePosixPath(info.filename)
        if path.is_absolute() or ".." in path.parts or "\\" in info.filename:
            raise BadInput("The zip holds a path that leads outside of it; it was not opened.")
    return infos


def unpack(archive: zipfile.ZipFile, info: zipfile.ZipInfo, target: Path) -> None:
    """One file, never more bytes than the zip declares, and no fewer."""
    left = info.file_size
    with archive.open(info) as source, target.open("wb") as out:
        while left > 0 and (block := source.read(min(1 << 20, left))):
            out.write(block)
            left -= len(block)
    if left > 0:
        raise zipfile.BadZipFile(f"{info.filename} is cut off")
