"""What lies between two frames of footage, by the motion from the one to the other."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, to_display
from tropein.core.raster.picture import Picture

LEAST_SIDE = 24  # smaller pictures have no motion that could be told


def by_motion(before: Picture, after: Picture, share: float) -> Picture:
    """The picture at `share` (0..1) of the way: both frames warped towards it along their flows and mixed; where the flows do not agree
    (something was uncovered) the frame that sees the place counts more. Both pictures share a window.

    Flow: DIS (Kroeger, Timofte, Dai, Van Gool, ECCV 2016, as in OpenCV). The flow at the time between is that of each end, splatted half way
    by a fixed point of three steps.
    """
    if before.window != after.window or min(before.window.width, before.window.height) < LEAST_SIDE:
        return before if share < 0.5 else after
    a, b = _grey(before), _grey(after)
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = dis.calc(a, b, None), dis.calc(b, a, None)
    h, w = a.shape
    grid = np.stack(np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32)), -1)
    from_before, from_after = _brought(there, grid, share), _brought(back, grid, 1 - share)
    first, second = _seen(before.pixels, from_before), _seen(after.pixels, from_after)
    sure = [
        _agreement(there, back, from_before) * (1 - share) + 1e-4,
        _agreement(back, there, from_after) * share + 1e-4,
    ]
    weight = (sure[1] / (sure[0] + sure[1]))[..., None].astype(np.float32)
    return Picture(np.ascontiguousarray(first + (second - first) * weight), before.window)


def _grey(picture: Picture) -> NDArray[np.uint8]:
    """The picture in display codes, on grey where it is clear."""
    pixels = picture.pixels.copy()
    pixels[..., :3] += 0.18 * (1 - pixels[..., 3:4])
    codes = to_display(np.ascontiguousarray(pixels, np.float32))
    return np.rint(codes[..., :3] @ LUMA).astype(np.uint8)


def _brought(flow: NDArray[np.float32], grid: NDArray[np.float32], share: float) -> NDArray[np.float32]:
    """For every pixel of the picture between, where it comes from in the frame whose flow it is."""
    at = grid - share * flow
    for _ in range(3):
        at = grid - share * _seen(flow, at)
    return np.ascontiguousarray(at, np.float32)


def _seen(values: NDArray[np.float32], at: NDArray[np.float32]) -> NDArray[np.float32]:
    out: NDArray[np.float32] = cv2.remap(values, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return out


def _agreement(flow: NDArray[np.float32], other: NDArray[np.float32], at: NDArray[np.float32]) -> NDArray[np.float32]:
    """1 where going there and back ends where it began, towards 0 where it does not."""
    own = _seen(flow, at)
    off = np.linalg.norm(own + _seen(other, at + own), axis=-1)
    agreed: NDArray[np.float32] = np.exp(-((off / 1.5) ** 2)).astype(np.float32)
    return agreed
