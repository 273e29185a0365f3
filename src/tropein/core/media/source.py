"""Footage as the renderer sees it: give me frame i, at about this scale."""

from __future__ import annotations

import threading
from collections import OrderedDict
from pathlib import Path

import numpy as np

from tropein.core.media import still
from tropein.core.media.ahead import Ahead
from tropein.core.media.clip import ClipReader
from tropein.core.media.coded import Coded
from tropein.core.media.proxy import ProxyReader
from tropein.core.media.record import MediaRecord, MediaStore
from tropein.core.raster.colour import WORKING, from_float
from tropein.core.raster.picture import Picture, Pixels
from tropein.core.raster.yuv import SITINGS, Cells

OPEN_READERS = 12
ONE_THREAD_PIXELS = 1920 * 1088
# pixels a chroma sample stands for, across and down
HALVED = {"420": (2, 2), "nv12": (2, 2), "p010": (2, 2), "422": (2, 1), "440": (1, 2)}


def _coded_still(path: Path, space: str | None = None) -> Coded:
    """A picture file, in `space` where it does not say itself which it is in."""
    values, own_space, premultiplied = still.read(path)
    if values.dtype == np.float32:
        own = own_space if own_space != "sRGB - Texture" else (space or own_space)
        return Coded(from_float(values, own, premultiplied), WORKING)
    return Coded(values, space or own_space)


def read_still(path: Path, space: str | None = None) -> Pixels:
    """A picture file as linear premultiplied (h, w, 4)."""
    return _coded_still(path, space).picture().pixels


class Sources:
    """Opens footage and keeps readers open. `final` reads the originals, otherwise proxies where they are enough."""

    def __init__(self, store: MediaStore, final: bool, threads: int = 2) -> None:
        self.store, self.final, self.threads = store, final, threads
        self._readers: OrderedDict[tuple[str, int], Ahead] = OrderedDict()
        self._records: dict[str, MediaRecord] = {}
        self._lock = threading.Lock()

    def record(self, media: str) -> MediaRecord:
        if media not in self._records:
            self._records[media] = self.store.record(media)
        return self._records[media]

    def chroma_cells(self, media: str) -> Cells | None:
        """How the file's halved chroma lies in its upright picture; None where it is not halved, or pixels were resized."""
        record = self.record(media)
        halved = next((mark for mark in HALVED if mark in record.pixel_format), None)
        if halved is None or record.size != (record.stored[::-1] if record.rotation % 180 else record.stored):
            return None
        across, down = HALVED[halved]
        at_across, at_down = SITINGS[record.siting]
        at_across = 1 - at_across if record.mirrored else at_across
        return Cells(across, down, at_across, at_down).turned(record.rotation // 90)

    def level(self, media: str, scale: float) -> int:
        """The proxy to use for a scale: 2 (half size), 1 (full size, intra coded) or 0 (the original)."""
        if self.final or self.record(media).kind == "still":
            return 0
        folder = self.store.folder(media)
        if scale <= 0.5 and (folder / "proxy-2.zip").exists():
            return 2
        return 1 if (folder / "proxy-1.zip").exists() else 0

    def read(self, media: str, index: int, level: int) -> Coded:
        """Frame `index` from the given level."""
        record = self.record(media)
        folder = self.store.folder(media)
        with self._lock:
            if record.kind in ("still", "sequence") and level == 0:
                name = record.files[min(max(index, 0), record.frames - 1)]
                return _coded_still(folder / "original" / name, record.space).of(record.size)
            return self._reader(media, level, folder, record).read(index)

    def picture(self, media: str, index: int, level: int) -> tuple[Picture, float]:
        """(picture, its scale) of the same."""
        coded = self.read(media, index, level)
        return coded.picture(), coded.scale

    def _reader(self, media: str, level: int, folder: Path, record: MediaRecord) -> Ahead:
        key = (media, level)
        if key in self._readers:
            self._readers.move_to_end(key)
            return self._readers[key]
        reader: ClipReader | ProxyReader
        if level:
            reader = ProxyReader(folder / f"proxy-{level}.zip", record)
        else:
            w, h = record.size
            threads = 1 if w * h <= ONE_THREAD_PIXELS else self.threads  # more of them cost more than they gain
            reader = ClipReader(folder / "original" / record.files[0], record, threads)
        self._readers[key] = Ahead(reader, record.frames)
        while len(self._readers) > OPEN_READERS:
            self._readers.popitem(last=False)[1].close()
        return self._readers[key]

    def close(self) -> None:
        with self._lock:
            for reader in self._readers.values():
                reader.close()
            self._readers.clear()
