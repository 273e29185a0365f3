"""Where the halved chroma of a file lies: what it says, and what is seen.

Many files say nothing, which means "left", and yet were made from RGB by software that puts chroma in the middle; half a pixel is
much at the edge of a key. Where brightness changes colour mostly does too, so the offset at which the two edges agree best shows it.
"""

from __future__ import annotations

import re
import threading

import av.logging
import cv2
import numpy as np
from av.container import InputContainer
from numpy.typing import NDArray

from tropein.core.raster.yuv import SITINGS, Planes

UNSAID = "left"  # what MPEG-2, H.264 and HEVC mean when they say nothing
STEP_PX = 0.25  # between the offsets that are tried, in pixels of luma
TILES, LEAST_TILES = 4, 4  # a side; so many must tell something
LEAST_AGREEMENT = 0.1  # correlation of the edges, on average of U and V, below which a tile tells nothing
CLOSE_PX, LEAST_SURE_PX = 0.2, 0.12  # from the middle, by the median of the tiles; its standard error
_one_at_a_time = threading.Lock()


def siting_of(container: InputContainer, stream: int) -> str:
    """A key of raster.yuv.SITINGS for one stream of an open container.

    The library tells it only in its description of the streams, and there only when asked to be wordy.
    """
    with _one_at_a_time:
        before = av.logging.get_level()
        av.logging.set_level(av.logging.VERBOSE)
        av.logging.set_libav_level(av.logging.VERBOSE)
        try:
            lines = container.dumps_format().splitlines()  # type: ignore[attr-defined]
        finally:
            av.logging.set_libav_level(av.logging.INFO)
            av.logging.set_level(before)
    for line in lines:
        if re.match(rf"\s*Stream #0:{stream}\b", line) and "Video:" in line:
            said = {word.strip() for part in re.findall(r"\(([^()]*)\)", line) for word in part.split(",")}
            return next((word for word in SITINGS if word in said), UNSAID)
    return UNSAID


def seen_in_the_middle(planes: Planes) -> bool:
    """Whether the chroma of a picture clearly lies in the middle between the luma samples, across."""
    w, cw = planes.y.shape[1], planes.u.shape[1]
    if -(-w // cw) != 2 or min(planes.u.shape) < 8 * TILES:
        return False
    unit = np.float32(1 / (1 << (planes.bits - 8)))
    luma = _edges(
        cv2.resize(planes.y.astype(np.float32) * unit, (w, planes.u.shape[0]), interpolation=cv2.INTER_AREA), 1.0
    )
    tried = [
        [_edges(_widened(c.astype(np.float32) * unit, w, offset), 0.6) for c in (planes.u, planes.v)]
        for offset in (-STEP_PX, 0.0, STEP_PX)
    ]
    offsets = []
    for rows in np.array_split(np.arange(luma.shape[0]), TILES):
        for cols in np.array_split(np.arange(w), TILES):
            tile = (slice(rows[0], rows[-1] + 1), slice(cols[0], cols[-1] + 1))
            low, middle, high = (np.mean([_correlation(luma[tile], c[tile]) for c in both]) for both in tried)
            bend = low - 2 * middle + high
            if middle > LEAST_AGREEMENT and bend < -1e-3 * middle:
                offsets.append(0.5 * STEP_PX * (low - high) / bend)
    if len(offsets) < LEAST_TILES:
        return False
    offset = float(np.median(offsets))
    error = 1.25 * 1.48 * float(np.median(np.abs(np.array(offsets) - offset))) / len(offsets) ** 0.5
    return abs(offset) < CLOSE_PX and error < LEAST_SURE_PX


def _widened(chroma: NDArray[np.float32], width: int, offset: float) -> NDArray[np.float32]:
    """Chroma (h, w / 2) at luma's width, were its samples `offset` pixels left of the middle."""
    x = ((np.arange(width) - 0.5 + offset) / 2).astype(np.float32)
    rows, cols = np.meshgrid(np.arange(chroma.shape[0], dtype=np.float32), x, indexing="ij")
    return cv2.remap(chroma, cols, rows, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def _edges(values: NDArray[np.float32], sigma: float) -> NDArray[np.float32]:
    return np.abs(np.gradient(cv2.GaussianBlur(values, (0, 0), sigma), axis=1))


def _correlation(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    a, b = a - a.mean(), b - b.mean()
    return float((a * b).mean() / max(float(a.std() * b.std()), 1e-9))
