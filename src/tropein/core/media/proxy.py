"""Intra-coded proxies: a stored (not compressed) zip of JPEG pictures, colour and alpha apart.

Any zip tool opens them; any frame costs one read and one JPEG decode, wherever it lies.
"""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import simplejpeg
from numpy.typing import NDArray

from tropein.core.errors import MediaError
from tropein.core.media.coded import Coded
from tropein.core.media.record import MediaRecord
from tropein.core.raster.colour import DISPLAY, from_codes, to_codes, to_display
from tropein.core.raster.picture import Pixels

QUALITY = 92
FULL_SIZE_PIXELS = 1920 * 1080  # up to here a full-size proxy is made as well


def reduced(pixels: Pixels, divisor: int) -> Pixels:
    h, w = pixels.shape[:2]
    if divisor == 1:
        return pixels
    return cv2.resize(pixels, (-(-w // divisor), -(-h // divisor)), interpolation=cv2.INTER_AREA)


class ProxyWriter:
    """Writes frames in order into a zip, coded in a colour space."""

    def __init__(self, path: Path, alpha: bool, space: str = DISPLAY) -> None:
        self.alpha, self.space, self._count = alpha, space, 0
        self._zip = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def add(self, pixels: Pixels) -> None:
        """Append a linear premultiplied (h, w, 4) picture."""
        if self.alpha:
            a = pixels[..., 3]
            straight = pixels.copy()
            straight[..., :3] /= np.maximum(a, 1e-4)[..., None]
            alpha = np.ascontiguousarray(np.rint(np.clip(a, 0, 1) * 255).astype(np.uint8)[..., None])
            self._write("a", simplejpeg.encode_jpeg(alpha, QUALITY, "GRAY"))
            pixels = straight
        codes = to_display(pixels) if self.space == DISPLAY else to_codes(pixels, self.space)
        self._write("c", simplejpeg.encode_jpeg(codes, QUALITY, "RGB", "444"))
        self._count += 1

    def skip(self) -> None:
        """A frame that shows the same picture as the one before."""
        self._count += 1

    def _write(self, kind: str, data: bytes) -> None:
        self._zip.writestr(f"{self._count:06d}.{kind}.jpg", data)

    def close(self) -> None:
        self._zip.close()


class ProxyReader:
    """Frames of a proxy as linear pixels."""

    def __init__(self, path: Path, record: MediaRecord) -> None:
        self.record = record
        try:
            self._zip = zipfile.ZipFile(path)
        except (OSError, zipfile.BadZipFile) as error:
            raise MediaError("The proxy of this footage is damaged; import the footage again.") from error

    def jpeg(self, index: int, kind: str = "c") -> bytes:
        index = self.record.first_of(min(max(index, 0), self.record.frames - 1))
        return self._zip.read(f"{index:06d}.{kind}.jpg")

    def frame(self, index: int) -> Pixels:
        return from_codes(self._codes(index), self.record.proxy_space)

    def read(self, index: int) -> Coded:
        codes = self._codes(index)
        return Coded(codes, self.record.proxy_space, codes.shape[1] / self.record.size[0])

    def _codes(self, index: int) -> NDArray[np.uint8]:
        codes: NDArray[np.uint8] = simplejpeg.decode_jpeg(self.jpeg(index), "RGB")
        if self.record.alpha:
            alpha = simplejpeg.decode_jpeg(self.jpeg(index, "a"), "GRAY")
            codes = np.concatenate([codes, alpha], 2)
        return codes

    def grey(self, index: int) -> np.ndarray[Any, Any]:
        """Frame `index` as (h, w) uint8 luma, straight from the JPEG."""
        return simplejpeg.decode_jpeg(self.jpeg(index), "GRAY")[..., 0]

    def close(self) -> None:
        self._zip.close()
