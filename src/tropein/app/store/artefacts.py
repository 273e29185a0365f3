"""Bulk data beside the documents: named by content, never changed."""

from __future__ import annotations

import gzip
import os
from functools import lru_cache
from pathlib import Path as File

import xxhash

from tropein.core.animate.ride import Path
from tropein.core.errors import NotFound
from tropein.core.track.file import FileBase, TrackFile, parse_track
from tropein.core.track.samples import as_path


class Artefacts:
    """The folder root/ab/HASH.json.gz."""

    def __init__(self, root: File) -> None:
        self.root = root

    def file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}.json.gz"

    def put_track(self, track: FileBase) -> str:
        raw = track.dumps()
        name = xxhash.xxh3_128_hexdigest(raw)
        path = self.file(name)
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            part = path.with_suffix(f".{os.getpid()}.part")
            part.write_bytes(gzip.compress(raw, 5, mtime=0))
            part.replace(path)
        return name

    def track(self, name: str) -> TrackFile:
        try:
            return parse_track(self.file(name).read_bytes())
        except FileNotFoundError as error:
            raise NotFound("The samples of this track are missing.") from error

    def path(self, name: str, spot: str = "") -> Path | None:
        """A track's path to ride on, of a face that of a spot; None when there are no samples."""
        return _path(str(self.root), name, spot) if name else None


@lru_cache(256)
def _path(root: str, name: str, spot: str) -> Path | None:
    try:
        return as_path(Artefacts(File(root)).track(name), spot)
    except NotFound:
        return None
