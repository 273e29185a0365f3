"""Adding media to the store: all or nothing, the same content once."""

from __future__ import annotations

import os
import shutil
import uuid
import zipfile
from collections.abc import Callable
from pathlib import Path

from tropein.core.errors import BadInput, OutOfSpace
from tropein.core.files import FULL, taken
from tropein.core.media.probe import natural
from tropein.core.media.record import MediaRecord, MediaStore, content_hash
from tropein.core.media.sandbox import run_ingest
from tropein.core.media.still import SUFFIXES as STILL_SUFFIXES
from tropein.core.media.zips import check_zip, or_bad_input, unpack

CLIP_SUFFIXES = {
    ".mp4",
    ".mov",
    ".mkv",
    ".webm",
    ".m4v",
    ".avi",
    ".mxf",
    ".wav",
    ".mp3",
    ".aac",
    ".m4a",
    ".flac",
    ".ogg",
}
MAX_ZIP_FILES = 20_000


class Library:
    """The media store, with taking in."""

    def __init__(self, root: Path) -> None:
        self.store = MediaStore(root)
        self.incoming = root / "incoming"
        self.incoming.mkdir(parents=True, exist_ok=True)

    def add(
        self, files: list[tuple[Path, str]], rate: str = "24/1",
        progress: Callable[[int, int, str], None] = lambda done, total, what: None,
        stop: Callable[[], bool] = lambda: False, gaps: str = "ask",
    ) -> tuple[str, MediaRecord]:  # fmt: skip
        """Take in (path, name it came under) files as one piece of media: (content hash, record).

        The given files stay where they are. Names only lend their suffix. Nothing is left behind on failure. `gaps`: see order.order_of.
        """
        try:
            with taken(self.incoming / uuid.uuid4().hex) as work:
                original = work / "original"
                original.mkdir()
                self._place(files, original)
                media = content_hash(sorted(original.iterdir()))
                if not self.store.still_there(media):
                    run_ingest(work, rate, progress, stop, gaps)
                    self.store.take(work, media)
            return media, self.store.record(media)
        except OSError as error:
            if error.errno in FULL:
                raise OutOfSpace("The disk is full; nothing was imported.") from error
            raise

    def _place(self, files: list[tuple[Path, str]], original: Path) -> None:
        if len(files) == 1 and Path(files[0][1]).suffix.lower() == ".zip":
            self._unzip(files[0][0], original)
            return
        width = len(str(len(files)))
        ordered = sorted(files, key=lambda f: _natural(f[1])) if len(files) > 1 else files
        for i, (path, name) in enumerate(ordered):
            suffix = Path(name).suffix.lower()
            if suffix not in STILL_SUFFIXES | CLIP_SUFFIXES:
                raise BadInput(f"{Path(name).name or 'The file'} is not of a kind that can be imported.")
            link = original / f"{i:0{width}d}{suffix}"
            try:
                os.link(path, link)
            except OSError:
                shutil.copyfile(path, link)

    def _unzip(self, path: Path, original: Path) -> None:
        with or_bad_input("The zip is damaged, or locked."), zipfile.ZipFile(path) as archive:
            infos = check_zip(archive, path.stat().st_size)
            kept = [i for i in infos if Path(i.filename).suffix.lower() in STILL_SUFFIXES | CLIP_SUFFIXES]
            kept = [i for i in kept if not Path(i.filename).name.startswith(".") and "__MACOSX" not in i.filename]
            if not kept:
                raise BadInput("The zip holds no pictures, clips or sound.")
            if len(kept) > MAX_ZIP_FILES:
                raise BadInput(f"The zip holds more than {MAX_ZIP_FILES} files.")
            kept.sort(key=lambda i: _natural(i.filename))
            for i, info in enumerate(kept):
                unpack(archive, info, original / f"{i:06d}{Path(info.filename).suffix.lower()}")


def _natural(name: str) -> list[object]:
    return natural(Path(name))
