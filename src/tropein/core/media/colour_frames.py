"""Colour pictures for what needs to recognise things: full size, upright, square pixels, eight bits."""

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

KEPT_FRAMES = 12


class ColourFrames:
    """`rgb(i)` is the (h, w, 3) uint8 display-encoded picture of a clip or sequence; `frame(i)` its luma (h, w)."""

    def __init__(self, store: MediaStore, media: str) -> None:
        self.record = store.record(media)
        self._folder = store.folder(media) / "original"
        clip = self.record.kind == "clip"
        self._reader = ClipReader(self._folder / self.record.files[0], self.record) if clip else None
        self._kept: OrderedDict[int, NDArray[np.uint8]] = OrderedDict()

    @property
    def size(self) -> tuple[int, int]:
        return self.record.size

    def __len__(self) -> int:
        return self.record.frames

    def rgb(self, index: int) -> NDArray[np.uint8]:
        if index not in self._kept:
            self._kept[index] = self._read(index)
            while len(self._kept) > KEPT_FRAMES:
                self._kept.popitem(last=False)
        return self._kept[index]

    def frame(self, index: int) -> NDArray[np.uint8]:
        return cv2.cvtColor(self.rgb(index), cv2.COLOR_RGB2GRAY)

    def _read(self, index: int) -> NDArray[np.uint8]:
        if self._reader is None:
            return to_display(read_still(self._folder / self.record.files[index], self.record.space))
        rgb = to_rgb(self._reader.coded(index), self.record)[..., :3]
        rgb = (rgb >> 8).astype(np.uint8) if rgb.dtype == np.uint16 else rgb
        rgb = turned(rgb, self.record.mirrored, self.record.rotation)
        if (rgb.shape[1], rgb.shape[0]) != self.record.size:
            rgb = cv2.resize(np.ascontiguousarray(rgb), self.record.size, interpolation=cv2.INTER_AREA)
        return np.ascontiguousarray(rgb)

    def close(self) -> None:
        if self._reader:
            self._reader.close()
