"""Where footage is cut: two neighbouring frames of which neither can be explained by motion in the other."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

CUT = "the footage is cut"  # why something is lost
SIZE = (128, 72)
UNEXPLAINED = 0.55  # share of the picture's parts that motion leaves over, from which it is a cut
CELL = 12
FLAT = 6.0  # grey levels: what an even part may differ by
LEAST_CONTRAST = 4.0  # grey levels; flatter pictures are told apart by their brightness


class Cuts:
    """`picture(i)` is a frame's (h, w) uint8 luma. Asking about neighbours again costs nothing."""

    def __init__(self, picture: Callable[[int], NDArray[np.uint8]]) -> None:
        self._picture = picture
        self._small: dict[int, NDArray[np.uint8]] = {}
        self._known: dict[tuple[int, int], bool] = {}
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)

    @classmethod
    def of_colours(cls, rgb: Callable[[int], NDArray[np.uint8]]) -> Cuts:
        """The same from (h, w, 3) pictures."""
        return cls(lambda i: cv2.cvtColor(rgb(i), cv2.COLOR_RGB2GRAY))

    def between(self, a: int, b: int) -> bool:
        key = (min(a, b), max(a, b))
        if key not in self._known:
            first, other = self._thumbnail(key[0]), self._thumbnail(key[1])
            self._known[key] = min(self.unexplained(first, other), self.unexplained(other, first)) > UNEXPLAINED
        return self._known[key]

    def unexplained(self, a: NDArray[np.uint8], b: NDArray[np.uint8]) -> float:
        """The share of `a`'s parts that differ by more than their own contrast once `b` was carried to it by dense flow (DIS,
        Kroeger et al. 2016), its brightness as it is or brought to that of `a`."""
        flow = self._flow.calc(a, b, None)
        h, w = a.shape
        x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
        carried = cv2.remap(b, x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        one, other = a.astype(np.float32), carried.astype(np.float32)
        spread, theirs = float(one.std()), float(other.std())
        if max(spread, theirs) < LEAST_CONTRAST:
            return abs(float(one.mean() - other.mean())) / 40
        if min(spread, theirs) < 0.25 * max(spread, theirs):
            return 1.0  # a picture from nothing, or the other way round
        matched = (other - other.mean()) * (spread / max(theirs, 1.0)) + one.mean()
        own = np.maximum(_by_cell(np.abs(one - _spread_out(one))), FLAT)
        return min(float((_by_cell(np.abs(one - o)) > own).mean()) for o in (other, matched))

    def _thumbnail(self, index: int) -> NDArray[np.uint8]:
        if index not in self._small:
            small = cv2.resize(self._picture(index), SIZE, interpolation=cv2.INTER_AREA)
            self._small[index] = cv2.GaussianBlur(small, (0, 0), 1.0)
        return self._small[index]


def _by_cell(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    return cv2.resize(plane, (SIZE[0] // CELL, SIZE[1] // CELL), interpolation=cv2.INTER_AREA)


def _spread_out(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """The mean of each cell, all over it."""
    return cv2.resize(_by_cell(plane), SIZE, interpolation=cv2.INTER_NEAREST)
