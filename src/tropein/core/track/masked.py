"""Pictures in which what does not count is wiped out: nothing there can be followed, or mislead."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.media.grey import GreyPicture
from tropein.core.track.frames import ColourPictures, Frames

P = TypeVar("P", Frames, ColourPictures)
Ignore = Callable[[int], NDArray[np.bool_] | None]
SPREAD_PX, FEATHER_PX = 24.0, 6.0


class _Masked(Generic[P]):
    """`ignore(frame)` (h, w) is True where the picture does not count."""

    def __init__(self, frames: P, ignore: Ignore) -> None:
        self._frames: P = frames
        self._ignore = ignore

    @property
    def size(self) -> tuple[int, int]:
        return self._frames.size

    def __len__(self) -> int:
        return len(self._frames)


class MaskedFrames(_Masked[Frames]):
    """Frames whose ignored areas are filled smoothly from what is around them."""

    def frame(self, index: int) -> GreyPicture:
        picture = self._frames.frame(index)
        mask = self._ignore(index)
        return picture if mask is None or not mask.any() else wiped(picture, mask)


class MaskedColours(_Masked[ColourPictures]):
    """The same for colour pictures."""

    def rgb(self, index: int) -> NDArray[np.uint8]:
        picture = self._frames.rgb(index)
        mask = self._ignore(index)
        if mask is None or not mask.any():
            return picture
        return np.dstack([wiped(np.ascontiguousarray(picture[..., c]), mask) for c in range(3)])


def wiped(picture: GreyPicture, mask: NDArray[np.bool_]) -> GreyPicture:
    """The picture with the masked area filled by a wide blur of the rest, joined by a soft edge."""
    h, w = picture.shape
    kept = np.where(mask, 0.0, 1.0).astype(np.float32)
    small = (max(1, w // 8), max(1, h // 8))
    light = cv2.resize(picture.astype(np.float32) * kept, small, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(kept, small, interpolation=cv2.INTER_AREA)
    total, share = np.zeros_like(light), np.zeros_like(weight)
    for sigma, k in ((SPREAD_PX / 8, 1.0), (SPREAD_PX, 1e-3)):  # far from any edge the wide one alone reaches
        total += k * cv2.GaussianBlur(light, (0, 0), sigma)
        share += k * cv2.GaussianBlur(weight, (0, 0), sigma)
    filled = cv2.resize(total / (share + 1e-6), (w, h), interpolation=cv2.INTER_LINEAR)
    soft = cv2.GaussianBlur(kept, (0, 0), FEATHER_PX)
    soft = np.clip(
        1.15 * (2 * soft - 1), 0, 1
    )  # above nothing only outside of the mask, so that nothing masked shines through
    mixed = filled + (picture - filled) * soft
    return np.rint(np.clip(mixed, 0, 255)).astype(picture.dtype)
