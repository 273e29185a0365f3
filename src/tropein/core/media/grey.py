"""Luma pictures for tracking: full size, any order, a bounded number kept."""

from __future__ import annotations

from collections import OrderedDict

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.media.clip import ClipReader, to_rgb
from tropein.core.media.record import MediaStore
from tropein.core.media.source import read_still
from tropein.core.media.turning import turned
from tropein.core.raster.colour import to_display

KEEP_BYTES = 384 << 20
BACK = 24  # frames decoded at once when going backwards

GreyPicture = NDArray[np.uint8]


class GreyFrames:
    """`frame(i)` is the (h, w) uint8 luma of a clip or sequence, upright, square pixels."""

    def __init__(self, store: MediaStore, media: str) -> None:
        self.record = store.record(media)
        self._folder = store.folder(media) / "original"
        self._reader = None
        if self.record.kind == "clip":
            self._reader = ClipReader(self._folder / self.record.files[0], self.record)
        self._kept: OrderedDict[int, GreyPicture] = OrderedDict()

    @property
    def size(self) -> tuple[int, int]:
        return self.record.size

    def __len__(self) -> int:
        return self.record.frames

    def frame(self, index: int) -> GreyPicture:
        if index not in self._kept:
            before = index + 1 in self._kept and index - 1 not in self._kept
            for i in range(max(0, index - BACK) if before else index, index + 1):
                if i not in self._kept:
                    self._kept[i] = self._read(i)
        self._kept.move_to_end(index)
        while sum(p.nbytes for p in self._kept.values()) > KEEP_BYTES:
            self._kept.popitem(last=False)
        return self._kept[index]

    def _read(self, index: int) -> GreyPicture:
        if self._reader is None:
            pixels = read_still(self._folder / self.record.files[index], self.record.space)
            return cv2.cvtColor(to_display(pixels), cv2.COLOR_RGB2GRAY)
        coded = self._reader.coded(index)
        if coded.format.name.startswith(("yuv4", "yuvj4", "gray")) and coded.format.components[0].bits == 8:
            plane = coded.planes[0]
            grey = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)[
                : plane.height, : plane.width
            ]
        else:
            rgb = to_rgb(coded, self.record)[..., :3]
            rgb = (rgb >> 8).astype(np.uint8) if rgb.dtype == np.uint16 else rgb
            grey = cv2.cvtColor(np.ascontiguousarray(rgb), cv2.COLOR_RGB2GRAY)
        grey = np.ascontiguousarray(turned(grey, self.record.mirrored, self.record.rotation))
        if (grey.shape[1], grey.shape[0]) != self.record.size:
            grey = cv2.resize(grey, self.record.size, interpolation=cv2.INTER_AREA)
        return np.ascontiguousarray(grey)

    def close(self) -> None:
        if self._reader:
            self._reader.close()
