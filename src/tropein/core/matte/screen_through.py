"""The empty screen of a shot whose camera stands still, put together from frames in which the subject stands elsewhere."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte.screen import CELL_PX, excess, find

Rgb = NDArray[np.float32]
# coverage, roughly, under which a place may be screen; and the share of the screen's hue it must have
OPEN_BELOW, TINTED_ABOVE = 0.8, 0.75
APART_CELLS = 0.5  # so far from the subject a place must lie to be taken
MOST_LIKE = 12.0  # power of that share by which a frame counts: where mist drifts past, those without it
LEAST_SEEN = 0.02  # of one frame's count


def empty_of(frames: Sequence[Rgb], picked: tuple[float, float, float] | None, cell: int = CELL_PX) -> Rgb | None:
    """(h, w, 3) linear light of the screen wherever any of the frames, all (h, w, 3), shows it; elsewhere as it is fitted to them. None
    where none shows a screen."""
    total, fits = np.zeros_like(frames[0]), np.zeros_like(frames[0])
    seen = np.zeros(frames[0].shape[:2], np.float32)
    reach = 2 * round(APART_CELLS * cell) + 1
    count = 0
    for rgb in frames:
        fitted = find(rgb, picked, 1.0, cell)
        if fitted is None:
            continue
        count += 1
        fits += fitted.light
        smooth = cv2.GaussianBlur(rgb, (0, 0), max(1.0, cell / 4))
        standing, wanted = excess(smooth, fitted.key), np.maximum(excess(fitted.light, fitted.key), 1e-4)
        hue = standing / (smooth.sum(-1) + 1e-6) / (wanted / (fitted.light.sum(-1) + 1e-6))
        open_ = ((1 - standing / wanted < OPEN_BELOW) & (hue > TINTED_ABOVE)).astype(np.uint8)
        open_ = cv2.erode(open_, np.ones((reach, reach), np.uint8), borderType=cv2.BORDER_REPLICATE).astype(np.float32)
        open_ *= np.clip(hue, 0, 1) ** MOST_LIKE
        total += rgb * open_[..., None]
        seen += open_
    if not count:
        return None
    known = seen[..., None] > LEAST_SEEN
    return np.where(known, total / np.maximum(seen, LEAST_SEEN)[..., None], fits / count).astype(np.float32)
