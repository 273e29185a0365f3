"""Shot bundles: a zip of shot.json, the media it uses (originals) and its track files."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

from tropein.core.document import CutoutPiece, Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.media.record import MediaStore
from tropein.core.media.zips import check_zip, unpack

MAX_SHOT_BYTES = 64 << 20


def write_bundle(shot: Shot, store: MediaStore, artefacts: Path, out: Path) -> None:
    """Everything needed to open the shot elsewhere; proxies are made again there."""
    part = out.with_name(f".{out.name}.part")
    try:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            archive.writestr("shot.json", shot.model_dump_json(indent=1))
            for media in sorted({f.media for f in shot.footage.values()}):
                record = store.record(media)
                for name in record.files:
                    path = store.folder(media) / "original" / name
                    archive.write(path, f"media/{media}/{name}", zipfile.ZIP_STORED)
            for folder, name in _bulk(shot):
                archive.write(artefacts / name[:2] / name, f"{folder}/{name}", zipfile.ZIP_STORED)
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)


def _bulk(shot: Shot) -> list[tuple[str, str]]:
    """(folder in the bundle, file name) of what lies beside the document."""
    tracks = {f"{t.samples}.json.gz" for t in shot.tracks.values() if t.samples}
    pieces = [p for m in shot.mattes.values() for p in m.pieces if isinstance(p, CutoutPiece)]
    cutouts = {f"{p.samples}.cutout.zip" for p in pieces if p.samples}
    return [*(("tracks", n) for n in sorted(tracks)), *(("cut-outs", n) for n in sorted(cutouts))]


class Bundle:
    """An opened bundle: its shot, and its files on request."""

    def __init__(self, path: Path) -> None:
        try:
            self._archive = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, OSError) as error:
            raise BadInput(f"{path.name} is not a shot bundle.") from error
        self._infos = {i.filename: i for i in check_zip(self._archive, path.stat().st_size)}
        info = self._infos.get("shot.json")
        if info is None or info.file_size > MAX_SHOT_BYTES:
            raise BadInput(f"{path.name} holds no shot.")
        try:
            self.shot = load_shot(json.loads(self._archive.read(info)))
        except (ValueError, zipfile.BadZipFile) as error:
            raise BadInput(f"The shot in {path.name} is damaged.") from error

    def media(self) -> Iterator[tuple[str, list[zipfile.ZipInfo]]]:
        """(content hash, files) of every media the shot uses; BadInput when one is missing."""
        for media in sorted({f.media for f in self.shot.footage.values()}):
            files = [i for name, i in self._infos.items() if name.startswith(f"media/{media}/")]
            if not files:
                raise BadInput("The bundle does not hold all the media its shot uses.")
            yield media, files

    def unpack_media(self, files: list[zipfile.ZipInfo], folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        for info in files:
            self._unpack(info, folder / PurePosixPath(info.filename).name)

    def unpack_tracks(self, artefacts: Path) -> None:
        for folder, name in _bulk(self.shot):
            info = self._infos.get(f"{folder}/{name}")
            if info is None:
                raise BadInput(f"The bundle does not hold all the {folder} of its shot.")
            target = artefacts / name[:2] / name
            target.parent.mkdir(parents=True, exist_ok=True)
            self._unpack(info, target)

    def _unpack(self, info: zipfile.ZipInfo, target: Path) -> None:
        try:
            unpack(self._archive, info, target)
        except zipfile.BadZipFile as error:
            raise BadInput("The bundle is damaged.") from error

    def close(self) -> None:
        self._archive.close()
