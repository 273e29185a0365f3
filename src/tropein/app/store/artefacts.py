"""Bulk data beside the documents: named by content, never changed."""

from __future__ import annotations

import gzip
import os
from functools import lru_cache
from pathlib import Path as File

import xxhash

from tropein.core.animate.ride import Path
from tropein.core.errors import NotFound
from tropein.core.matte.cutout_file import CutoutFile, opened
from tropein.core.track.file import FileBase, TrackFile, parse_track
from tropein.core.track.samples import as_path


class Artefacts:
    """The folder root/ab/: tracks as HASH.json.gz, cut-outs as HASH.cutout.zip."""

    def __init__(self, root: File) -> None:
        self.root = root

    def file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}.json.gz"

    def put_track(self, track: FileBase) -> str:
        raw = track.dumps()
        name = xxhash.xxh3_128_hexdigest(raw)
        self._put(self.file(name), gzip.compress(raw, 5, mtime=0))
        return name

    def track(self, name: str) -> TrackFile:
        try:
            return parse_track(self.file(name).read_bytes())
        except FileNotFoundError as error:
            raise NotFound("The samples of this track are missing.") from error

    def cutout_file(self, name: str) -> File:
        return self.root / name[:2] / f"{name}.cutout.zip"

    def put_cutout(self, data: bytes) -> str:
        name = xxhash.xxh3_128_hexdigest(data)
        self._put(self.cutout_file(name), data)
        return name

    def cutout(self, name: str) -> CutoutFile | None:
        """A stored cut-out; None when it is missing."""
        path = self.cutout_file(name)
        return opened(path) if name and path.exists() else None

    def _put(self, path: File, data: bytes) -> None:
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            part = path.with_name(f"{path.name}.{os.getpid()}.part")
            part.write_bytes(data)
            part.replace(path)

    def path(self, name: str, spot: str = "") -> Path | None:
        """A track's path to ride on, of a face that of a spot; None when there are no samples."""
        return _path(str(self.root), name, spot) if name else None


@lru_cache(256)
def _path(root: str, name: str, spot: str) -> Path | None:
    try:
        return as_path(Artefacts(File(root)).track(name), spot)
    except NotFound:
        return None
