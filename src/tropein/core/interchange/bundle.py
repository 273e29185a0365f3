"""Shot bundles: a zip of shot.json, the media it uses (originals) and its track files."""

from __future__ import annotations

import json
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import ClassVar, Literal

from tropein.core.compose.artefacts import FONT, TABLE, TRACK, Artefacts, stored_with
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.files import whole
from tropein.core.interchange.fonts import read_font
from tropein.core.interchange.form import FORMS, FormBase
from tropein.core.media.probe import natural
from tropein.core.media.record import MediaStore, content_hash
from tropein.core.media.zips import check_zip, or_bad_input, unpack

MAX_SHOT_BYTES = 64 << 20
MAX_TRACK_BYTES = 64 << 20  # packed
FOLDERS = {TRACK: "tracks", TABLE: "tables", FONT: "fonts"}


@FORMS.add
class ShotBundle(FormBase):
    """A shot with its media, its tracks and its cut-outs, to be opened elsewhere."""

    title: ClassVar[str] = "Bundle"
    of: ClassVar[Literal["track", "shot"]] = "shot"
    writes: ClassVar[dict[str, str]] = {".tropein": "the shot with all that belongs to it"}
    reads: ClassVar[tuple[str, ...]] = (".tropein",)
    kind: Literal["bundle"] = "bundle"

    def pack(self, shot: Shot, store: MediaStore, artefacts: Artefacts, out: Path) -> None:
        write_bundle(shot, store, artefacts, out)


def write_bundle(shot: Shot, store: MediaStore, artefacts: Artefacts, out: Path) -> None:
    """Everything needed to open the shot elsewhere; proxies are made again there. OutOfSpace when the disk is full."""
    with whole(out) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        archive.writestr("shot.json", shot.model_dump_json(indent=1))
        for media in sorted({f.media for f in shot.footage.values()}):
            record = store.record(media)
            for name in record.files:
                path = store.folder(media) / "original" / name
                archive.write(path, f"media/{media}/{name}", zipfile.ZIP_STORED)
        for name, suffix in sorted(set(stored_with(shot))):
            archive.write(artefacts.root / name[:2] / f"{name}{suffix}", _within(name, suffix), zipfile.ZIP_STORED)


def _within(name: str, suffix: str) -> str:
    return f"{FOLDERS.get(suffix, 'cut-outs')}/{name}{suffix}"


class Bundle:
    """An opened bundle: its shot, and its files on request. BadInput, in words, for all that is wrong with one."""

    def __init__(self, path: Path) -> None:
        with or_bad_input(f"{path.name} is not a shot bundle."):
            self._archive = zipfile.ZipFile(path)
        try:
            self._infos = {i.filename: i for i in check_zip(self._archive, path.stat().st_size)}
            if any(i.flag_bits & 1 for i in self._infos.values()):
                raise BadInput(f"{path.name} is encrypted; a bundle is not.")
            info = self._infos.get("shot.json")
            if info is None or info.file_size > MAX_SHOT_BYTES:
                raise BadInput(f"{path.name} holds no shot.")
            with or_bad_input(f"The shot in {path.name} is damaged."):
                self.shot = load_shot(json.loads(self._archive.read(info)))
        except BaseException:
            self._archive.close()
            raise

    def media(self) -> Iterator[tuple[str, list[zipfile.ZipInfo]]]:
        """(content hash, files) of every media the shot uses; BadInput when one is missing."""
        for media in sorted({f.media for f in self.shot.footage.values()}):
            files = [i for name, i in self._infos.items() if name.startswith(f"media/{media}/")]
            if not files:
                raise BadInput("The bundle does not hold all the media its shot uses.")
            yield media, files

    def unpack_media(self, media: str, files: list[zipfile.ZipInfo], folder: Path) -> list[Path]:
        """The files of one piece of media, in order; BadInput when they are not what its name says."""
        folder.mkdir(parents=True, exist_ok=True)
        for info in files:
            self._unpack(info, folder / PurePosixPath(info.filename).name)
        paths = sorted(folder.iterdir(), key=natural)
        if content_hash(paths) != media:
            raise BadInput("The media in the bundle is not what its shot names.")
        return paths

    def unpack_bulk(self, artefacts: Artefacts) -> None:
        """Tracks, cut-outs, tables and fonts into the artefacts, each checked against its name before it is stored."""
        with tempfile.TemporaryDirectory() as folder:
            for name, suffix in sorted(set(stored_with(self.shot))):
                info = self._infos.get(_within(name, suffix))
                if info is None:
                    raise BadInput("The bundle does not hold all the tracks, cut-outs, tables and fonts of its shot.")
                if suffix in FOLDERS and info.file_size > MAX_TRACK_BYTES:
                    raise BadInput("A track, table or font in the bundle is larger than any can be.")
                target = Path(folder) / "file"
                self._unpack(info, target)
                if suffix == TRACK:
                    artefacts.take_track(name, target.read_bytes())
                elif suffix == TABLE:
                    artefacts.take_table(name, target.read_bytes())
                elif suffix == FONT:
                    data = target.read_bytes()
                    read_font(data, "A font in the bundle.ttf")
                    artefacts.take_font(name, data)
                else:
                    artefacts.take_cutout(name, target)

    def _unpack(self, info: zipfile.ZipInfo, target: Path) -> None:
        with or_bad_input("The bundle is damaged."):
            unpack(self._archive, info, target)

    def close(self) -> None:
        self._archive.close()
