"""Files used where they lie, without the library: for the command line. Only headers are read; no proxies are made."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

from tropein.core.errors import BadInput
from tropein.core.media.probe import natural, probe
from tropein.core.media.record import MediaRecord, MediaStore, content_hash, write_record
from tropein.core.media.sound import extract


def files_of(clip: str) -> list[Path]:
    """The files a CLIP argument means: one file, or with %04d the pictures of a sequence."""
    if "%" not in clip:
        path = Path(clip)
        if not path.is_file():
            raise BadInput(f"There is no file {clip}.")
        return [path]
    head, _, tail = clip.partition("%")
    digits, _, rest = tail.partition("d")
    if not digits.isdigit():
        raise BadInput(f"{clip}: a sequence is written like name_%04d.png.")
    name = re.compile(
        re.escape(Path(head).name if not head.endswith("/") else "") + r"\d" * int(digits) + re.escape(rest)
    )
    folder = Path(head).parent if not head.endswith("/") else Path(head)
    found = [p for p in folder.iterdir() if name.fullmatch(p.name)] if folder.is_dir() else []
    if not found:
        raise BadInput(f"There are no pictures {clip}.")
    return sorted(found, key=natural)


def borrow(
    store: MediaStore, paths: list[Path], rate: str = "24/1", with_sound: bool = False
) -> tuple[str, MediaRecord]:
    """Link files into a temporary store, so that readers find them: (content hash, record)."""
    record = probe(paths, rate)
    media = content_hash(paths)
    original = store.folder(media) / "original"
    original.mkdir(parents=True, exist_ok=True)
    for path, name in zip(sorted(paths, key=natural), record.files, strict=True):
        target = original / name
        if not target.exists():
            try:
                target.symlink_to(path.resolve())
            except OSError:
                shutil.copyfile(path, target)
    folder = store.folder(media)
    if with_sound and record.sound:
        extract(paths[0], folder / "sound.wav", folder / "peaks.json")
    write_record(record, folder / "media.json")
    return media, record
