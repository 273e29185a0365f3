"""Bulk data beside the documents: named by content, never changed."""

from __future__ import annotations

import gzip
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path as File

import numpy as np
import xxhash

from tropein.core.animate.ride import Path
from tropein.core.document import Shot
from tropein.core.document.references import Stored, pointers
from tropein.core.errors import BadInput, NotFound
from tropein.core.files import write_whole
from tropein.core.matte.cutout_file import CutoutFile, opened
from tropein.core.raster.colour import Table
from tropein.core.track.file import FileBase, parse_track, plain

TRACK, CUTOUT, TABLE, FONT = ".json.gz", ".cutout.zip", ".table", ".font"
MAX_CUTOUT_BYTES = 4 << 30


class Artefacts:
    """The folder root/ab/: tracks as HASH.json.gz, cut-outs as HASH.cutout.zip, tables of colours as HASH.table (float32), fonts as HASH.font. HASH is the 128-bit xxh3 of a track file before it
    was packed, of a cut-out as it is."""

    def __init__(self, root: File) -> None:
        self.root = root

    def file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}{TRACK}"

    def put_track(self, track: FileBase) -> str:
        raw = track.dumps()
        name = xxhash.xxh3_128_hexdigest(raw)
        self._put(self.file(name), gzip.compress(raw, 5, mtime=0))
        return name

    def take_track(self, name: str, data: bytes) -> None:
        """Store a track file that came from elsewhere under its name; BadInput when it is damaged, no track, or another one."""
        raw = plain(data)
        _check_name(name, raw, "A track file")
        parse_track(raw)
        self._put(self.file(name), gzip.compress(raw, 5, mtime=0))

    def track(self, name: str) -> FileBase:
        try:
            return parse_track(self.file(name).read_bytes())
        except FileNotFoundError as error:
            raise NotFound("The samples of this track are missing.") from error

    def cutout_file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}{CUTOUT}"

    def put_cutout(self, data: bytes) -> str:
        return self._put_named(data, self.cutout_file)

    def take_cutout(self, name: str, unpacked: File) -> None:
        """Store a cut-out that came from elsewhere, as a file, under its name; BadInput when it is damaged, or another one."""
        if unpacked.stat().st_size > MAX_CUTOUT_BYTES:
            raise BadInput("A cut-out in the bundle is larger than any can be.")
        data = unpacked.read_bytes()
        _check_name(name, data, "A cut-out")
        CutoutFile(unpacked)
        self._put(self.cutout_file(name), data)

    def cutout(self, name: str) -> CutoutFile | None:
        """A stored cut-out; None when it is missing."""
        path = self.cutout_file(name)
        return opened(path) if name and path.exists() else None

    def table_file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}{TABLE}"

    def put_table(self, table: Table) -> str:
        return self._put_named(np.ascontiguousarray(table, "<f4").tobytes(), self.table_file)

    def take_table(self, name: str, data: bytes) -> None:
        """Store a table of colours that came from elsewhere under its name; BadInput when it is damaged, or another one."""
        _check_name(name, data, "A table of colours")
        _table(data)
        self._put(self.table_file(name), data)

    def table(self, name: str) -> Table | None:
        """(n, n, n, 3) of a stored table of colours; None when it is missing."""
        path = self.table_file(name)
        return _table(path.read_bytes()) if path.exists() else None

    def font_file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}{FONT}"

    def put_font(self, data: bytes) -> str:
        """Store a font that was looked into (interchange.fonts)."""
        return self._put_named(data, self.font_file)

    def take_font(self, name: str, data: bytes) -> None:
        """Store a font that came from elsewhere, and was looked into, under its name; BadInput when it is another one."""
        _check_name(name, data, "A font")
        self._put(self.font_file(name), data)

    def font(self, name: str) -> File | None:
        """Where a stored font lies; None when it is missing."""
        path = self.font_file(name)
        return path if path.exists() else None

    def _put_named(self, data: bytes, file: Callable[[str], File]) -> str:
        """Store data under the name that its content gives it."""
        name = xxhash.xxh3_128_hexdigest(data)
        self._put(file(name), data)
        return name

    def _put(self, path: File, data: bytes) -> None:
        if not path.exists():
            write_whole(path, data)

    def path(self, name: str, spot: str = "") -> Path | None:
        """A track's path to ride on, of a face that of a spot; None when there are no samples."""
        return _path(str(self.root), name, spot) if name else None


def _check_name(name: str, data: bytes, what: str) -> None:
    if xxhash.xxh3_128_hexdigest(data) != name:
        raise BadInput(f"{what} is not the one its name says.")


def stored_with(shot: Shot) -> Iterator[tuple[str, str]]:
    """(name, suffix) of all that lies beside a document."""
    suffixes = {"track": TRACK, "coverage": CUTOUT, "table": TABLE, "font": FONT}
    for thing in (*shot.tracks.values(), *shot.mattes.values(), *shot.layers.values()):
        for found in pointers(thing):
            if isinstance(found.mark, Stored) and found.mark.what in suffixes:
                yield found.value, suffixes[found.mark.what]


def _table(data: bytes) -> Table:
    side = round((len(data) / 12) ** (1 / 3))
    if side**3 * 12 != len(data) or side < 2:
        raise BadInput("A table of colours is damaged.")
    table = np.frombuffer(data, "<f4").reshape(side, side, side, 3)
    if not np.isfinite(table).all():
        raise BadInput("A table of colours is damaged.")
    return table


@lru_cache(256)
def _path(root: str, name: str, spot: str) -> Path | None:
    try:
        return _track(root, name).path(spot)
    except NotFound:
        return None


@lru_cache(2)
def _track(root: str, name: str) -> FileBase:
    """One of which several spots are asked for, mostly one after another."""
    return Artefacts(File(root)).track(name)
