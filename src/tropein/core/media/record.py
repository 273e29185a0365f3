"""What is known of a piece of stored media, and where its files lie."""

from __future__ import annotations

import json
import os
import shutil
from bisect import bisect_left
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import xxhash

from tropein.core.errors import NotFound
from tropein.core.files import LOCK, locked
from tropein.core.raster.colour import DISPLAY

Kind = Literal["clip", "sequence", "still", "sound"]


@dataclass(frozen=True)
class MediaRecord:
    """Facts of one piece of media, in upright square pixels at a constant rate.

    `stored` is the size the file itself codes; `pts` (in `time_base` units) names the coded picture of every frame after
    conforming, or with `counted` its number (see order.Order, for `keys` too); `mirrored` across, then turned by `rotation` degrees
    counter-clockwise it is upright; `proxy_space` is the colour space its proxies are coded in; `matrix` is the YUV matrix ("bt709", "bt601", "bt2020" or "rgb"), `siting` where its
    halved chroma lies (a key of raster.yuv.SITINGS); `notes` say what was conformed.
    """

    kind: Kind
    files: list[str]
    size: tuple[int, int] = (0, 0)
    stored: tuple[int, int] = (0, 0)
    rate: str = "24/1"
    frames: int = 1
    alpha: bool = False
    sound: bool = False
    sound_seconds: float = 0.0
    space: str = "sRGB - Texture"
    codec: str = ""
    pixel_format: str = ""
    matrix: str = "bt709"
    siting: str = "left"
    full_range: bool = False
    rotation: int = 0
    mirrored: bool = False
    interlaced: bool = False
    counted: bool = False
    keys: list[tuple[int, int]] = field(default_factory=list)
    proxy_space: str = DISPLAY
    tags: dict[str, str] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    pts: list[int] = field(default_factory=list)
    time_base: str = "1/1"

    @property
    def fps(self) -> Fraction:
        return Fraction(self.rate)

    def first_of(self, index: int) -> int:
        """The first frame that shows the same coded picture as frame `index`: only that one has a proxy of its own."""
        return bisect_left(self.pts, self.pts[index]) if self.kind == "clip" and self.pts else index

    def summary(self) -> dict[str, Any]:
        """The record without the long lists, for people and for the API."""
        data = asdict(self)
        del data["pts"], data["files"], data["keys"]
        return data


class MediaStore:
    """The folder of media by content hash: root/ab/abcdef.../{original/, proxies, poster, strip, sound, media.json}."""

    def __init__(self, root: Path) -> None:
        self.root = root

    @property
    def sweep_lock(self) -> Path:
        """Held by who removes stored things, and shared by who is about to refer to one."""
        return self.root.with_name(f".{self.root.name}.lock")

    def folder(self, media: str) -> Path:
        if len(media) != 32 or not set(media) <= set("0123456789abcdef"):
            raise NotFound("That is not the name of stored media.")
        return self.root / media[:2] / media

    def still_there(self, media: str) -> bool:
        """Whether it is stored; if so it counts as new from now on, so that no sweep takes it before it is referred to."""
        with locked(self.sweep_lock, shared=True):
            path = self.folder(media) / "media.json"
            if not path.exists():
                return False
            path.touch()
            return True

    def take(self, work: Path, media: str) -> None:
        """Make a finished folder the stored media. It is there whole or not at all; whoever is second keeps the first's."""
        with locked(self.sweep_lock):
            final = self.folder(media)
            if (final / "media.json").exists():
                return
            final.parent.mkdir(parents=True, exist_ok=True)
            shutil.rmtree(final, ignore_errors=True)
            made = final.with_name(f".{media}.{os.getpid()}.part")
            made.mkdir()
            for path in work.iterdir():
                if path.name != LOCK:
                    path.rename(made / path.name)
            made.rename(final)

    def record(self, media: str) -> MediaRecord:
        path = self.folder(media) / "media.json"
        if not path.exists():
            raise NotFound("A media file of this shot is missing from the media folder.", media=media)
        return read_record(path)


def read_record(path: Path) -> MediaRecord:
    data = json.loads(path.read_text())
    data["size"], data["stored"] = tuple(data["size"]), tuple(data["stored"])
    data["keys"] = [tuple(k) for k in data.get("keys", [])]
    return MediaRecord(**data)


def write_record(record: MediaRecord, path: Path) -> None:
    path.write_text(json.dumps(asdict(record)))


def content_hash(paths: list[Path]) -> str:
    """The 128-bit xxh3 of the files' contents in order, as 32 hexadecimal digits."""
    digest = xxhash.xxh3_128()
    for path in paths:
        with path.open("rb") as stream:
            while block := stream.read(1 << 20):
                digest.update(block)
        digest.update(b"\0next\0")
    return digest.hexdigest()
