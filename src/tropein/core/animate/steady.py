"""Taking motion out of footage: the inverse of a track, all of it or only what is faster than a smooth move."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

import numpy as np

from tropein.core.animate.ride import Path, followed
from tropein.core.raster.warp import Matrix, apply, rotation, scaling, translation

MOST_ZOOM = 4.0


def held(path: Path, frame: float, reference: float, parts: tuple[str, ...], smooth: float, strength: float) -> Matrix:
    """The 3x3 matrix that holds what is tracked: footage pixels to footage pixels. `smooth` 0 holds it where it is in the
    reference frame; above, the standard deviation in frames of the smooth move that is left. `strength` 0..1."""
    there = path.at(reference)
    whole = path.moved(frame, reference)
    if there is None or whole is None:
        return np.eye(3)
    about = there.mean(0)
    moved = followed(whole, parts, about)
    wanted = np.eye(3)
    if smooth > 0:
        slow, start = path.at(frame, smooth), path.at(reference, smooth)
        if slow is not None and start is not None:
            gentle = Path(np.arange(2.0), np.stack([start, slow]), np.ones(2, bool), path.model).moved(1, 0)
            wanted = np.eye(3) if gentle is None else followed(gentle, parts, about)
    return share(
        wanted @ np.linalg.inv(moved), strength, about if "position" not in parts else (moved @ [*about, 1])[:2]
    )


def share(matrix: Matrix, strength: float, about: np.ndarray[Any, Any]) -> Matrix:
    """A share of a similarity: of its turn, of its growth, and of where it takes a point."""
    if strength >= 1:
        return matrix
    goes = apply(matrix, np.asarray(about)[None])[0]
    angle = math.degrees(math.atan2(matrix[1, 0], matrix[0, 0])) * strength
    size = math.hypot(matrix[0, 0], matrix[1, 0]) ** strength
    to = about + (goes - about) * strength
    return translation(*to) @ rotation(angle) @ scaling(size, size) @ translation(-about[0], -about[1])


@lru_cache(64)
def filling_zoom(
    path: Path, size: tuple[int, int], span: tuple[int, int], reference: float, parts: tuple[str, ...], smooth: float,
    strength: float,
) -> float:  # fmt: skip
    """How much the held picture must grow about its middle so that no edge of it shows in any frame of the span."""
    w, h = size
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], float)
    zoom = 1.0
    for frame in range(span[0], span[1] + 1):
        back = np.linalg.inv(held(path, frame, reference, parts, smooth, strength))
        centre = np.array([w / 2, h / 2])
        low, high = 1.0, MOST_ZOOM
        if _inside(back, centre + (corners - centre) / zoom, w, h):
            continue
        for _ in range(18):
            middle = (low + high) / 2
            low, high = (low, middle) if _inside(back, centre + (corners - centre) / middle, w, h) else (middle, high)
        zoom = max(zoom, high)
    return zoom


def _inside(back: Matrix, window: np.ndarray[Any, Any], w: int, h: int) -> bool:
    p = apply(back, window)
    return bool((p >= -0.01).all() and (p[:, 0] <= w + 0.01).all() and (p[:, 1] <= h + 0.01).all())
