"""What lies between two frames of footage, by the motion from the one to the other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.moving import LEAST_SIDE, flow, grey, grid, seen
from tropein.core.raster.picture import Picture


def by_motion(before: Picture, after: Picture, share: float) -> Picture:
    """The picture at `share` (0..1) of the way: both frames warped towards it along their flows and mixed; where the flows do not agree
    (something was uncovered) the frame that sees the place counts more. Both pictures share a window.

    Flow: DIS (Kroeger, Timofte, Dai, Van Gool, ECCV 2016, as in OpenCV). The flow at the time between is that of each end, splatted half way
    by a fixed point of three steps.
    """
    if before.window != after.window or min(before.window.width, before.window.height) < LEAST_SIDE:
        return before if share < 0.5 else after
    a, b = grey(before.pixels), grey(after.pixels)
    there, back = flow(a, b), flow(b, a)
    at = grid(*a.shape)
    from_before, from_after = _brought(there, at, share), _brought(back, at, 1 - share)
    first, second = seen(before.pixels, from_before), seen(after.pixels, from_after)
    sure = [
        _agreement(there, back, from_before) * (1 - share) + 1e-4,
        _agreement(back, there, from_after) * share + 1e-4,
    ]
    weight = (sure[1] / (sure[0] + sure[1]))[..., None].astype(np.float32)
    return Picture(np.ascontiguousarray(first + (second - first) * weight), before.window)


def _brought(flow: NDArray[np.float32], grid: NDArray[np.float32], share: float) -> NDArray[np.float32]:
    """For every pixel of the picture between, where it comes from in the frame whose flow it is."""
    at = grid - share * flow
    for _ in range(3):
        at = grid - share * seen(flow, at)
    return np.ascontiguousarray(at, np.float32)


def _agreement(flow: NDArray[np.float32], other: NDArray[np.float32], at: NDArray[np.float32]) -> NDArray[np.float32]:
    """1 where going there and back ends where it began, towards 0 where it does not."""
    own = seen(flow, at)
    off = np.linalg.norm(own + seen(other, at + own), axis=-1)
    agreed: NDArray[np.float32] = np.exp(-((off / 1.5) ** 2)).astype(np.float32)
    return agreed
