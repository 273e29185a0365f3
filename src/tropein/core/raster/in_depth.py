"""Out of focus by distance: a picture in layers from far to near, each through the aperture by how far it lies from what is sharp, laid over each other
again. What is far goes on behind what is near, so that nothing sharp bleeds into what is soft (layered depth of field, after Kraus and Strengert 2007)."""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels

Plane = NDArray[np.float32]
Through = Callable[[NDArray[np.float32], float], NDArray[np.float32]]  # (h, w, c) and a radius in pixels
TINY, SURE = np.float32(1e-4), np.float32(0.02)
STEP_PX, MOST_LAYERS = 4.0, 7
BESIDE_PX = 2.0  # how far from an edge what lies behind it is looked for


def behind_subject(pixels: Pixels, rest: Plane, radius: float, through: Through) -> Pixels:
    """The picture with what is `rest` (0..1) out of focus and its subject sharp, its edge as it was mixed: what the edge holds of what
    lies behind is taken out of it by what lies beside it, and the soft picture put there instead."""
    weight = np.clip(2 * rest - 1, 0, 1)[..., None]  # an edge belongs to neither
    far = _covered(pixels, weight)
    soft = _filled(through(far, radius))
    beside = _filled(_blurred(far, BESIDE_PX), soft)
    subject = pixels - rest[..., None] * beside
    np.maximum(subject, 0, out=subject)
    return np.ascontiguousarray(subject + rest[..., None] * soft, np.float32)


def by_distance(pixels: Pixels, distance: Plane, focus: float, radius: float, through: Through) -> Pixels:
    """The picture out of focus by how far `distance` (0 nearest, 1 farthest) is from `focus`: by `radius` where it is farthest from it."""
    reach = max(focus, 1 - focus)
    count = int(np.clip(math.ceil(radius / (STEP_PX * reach)) + 1, 2, MOST_LAYERS))
    out: NDArray[np.float32] | None = None
    for at in np.linspace(1, 0, count):
        share = np.maximum(1 - np.abs(distance - np.float32(at)) * (count - 1), 0)[..., None]
        if not share.any():
            continue
        layer = through(_covered(pixels, share), radius * abs(at - focus) / reach)
        if out is not None:  # what is behind goes on behind this one
            cover = out[..., -1:]
            out *= (1 - np.minimum(layer[..., -1:], 1)) * np.minimum(cover / TINY, 1) / np.maximum(cover, TINY)
            layer = layer + out
        out = layer
    assert out is not None
    return np.ascontiguousarray(_filled(out), np.float32)


def _covered(pixels: Pixels, share: NDArray[np.float32]) -> NDArray[np.float32]:
    """That share (h, w, 1) of pixels, and last how much of them that is: where they are opaque alpha says so."""
    part = pixels * share
    return part if pixels[..., 3].min() >= 1 else np.dstack([part, share])


def _filled(layer: NDArray[np.float32], elsewhere: Pixels | None = None) -> Pixels:
    """The pixels of `_covered` as if they were everywhere; `elsewhere` where there are none."""
    cover = layer[..., -1:]
    out = layer[..., :4] / np.maximum(cover, TINY)
    if elsewhere is None:
        return np.asarray(out * np.minimum(cover / TINY, 1), np.float32)
    known = np.minimum(cover / SURE, 1)
    return np.asarray(elsewhere + (out - elsewhere) * known, np.float32)


def _blurred(layer: NDArray[np.float32], sigma: float) -> NDArray[np.float32]:
    out = [cv2.GaussianBlur(part, (0, 0), sigma) for part in (layer[..., :4], layer[..., 4:]) if part.shape[2]]
    return np.dstack(out)
