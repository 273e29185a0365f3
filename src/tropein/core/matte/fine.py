"""Hairs and blur along a cut-out's outline: coverage told by colour within reach of it.

Matting by closed form (Levin, Lischinski & Weiss, A Closed-Form Solution to Natural Image Matting, 2008) in a band along the
outline, drawn a little towards the outline's own soft edge: where subject and ground look alike that is all there is to go by.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte import closed_form

Plane = NDArray[np.float32]
MOST_WIDTH = 960  # the band is solved on a picture at most so wide, and brought to a larger one along its edges
SMOOTH = 1e-6  # of Levin's epsilon: variance of colours (0..1) within a window that is taken for noise
# weights of the outline's own edge in the band: anywhere, and where all around is flat, as nothing thin is there
DRAWN, HELD = 3e-4, 0.2
FLAT_PX, LEAST_NOISE = 7, 0.004  # side of what is looked at; of a picture without grain (0..1)
INNER_SHARE, LEAST_INNER_PX = 0.2, 3.0  # of the reach: how far the band reaches into the subject
LEAST_REACH_PX = 1.0
UP_EPSILON = 1e-4
LEAST_WHERE = 0.01
HAZE = 0.03  # coverage so near to none or all is none or all


def fine(picture: NDArray[np.uint8], edge: Plane, reach_px: float, where: Plane | None = None) -> Plane:
    """(h, w) coverage 0..1 of (h, w, 3) display codes, from a coverage with a plain edge; `reach_px` is how far a hair may stand out of
    it. The edge stays plain where `where` (h, w) is 0; between 0 and 1 it is partly so."""
    if where is None:
        return _fine(picture, edge, reach_px, None)
    if where.max() < LEAST_WHERE:
        return edge
    made = _fine(picture, edge, reach_px, where >= LEAST_WHERE)
    return np.asarray(edge + (made - edge) * np.clip(where, 0, 1), np.float32)


def _fine(picture: NDArray[np.uint8], edge: Plane, reach_px: float, where: NDArray[np.bool_] | None) -> Plane:
    h, w = edge.shape
    shrink = min(1.0, MOST_WIDTH / w)
    reach = reach_px * shrink
    if reach < LEAST_REACH_PX:
        return edge
    if shrink == 1:
        return _solved(picture, edge, reach, where)
    small = (MOST_WIDTH, max(1, round(h * shrink)))
    solved = _solved(
        cv2.resize(picture, small, interpolation=cv2.INTER_AREA),
        cv2.resize(edge, small, interpolation=cv2.INTER_AREA),
        reach,
        None if where is None else cv2.resize(where.astype(np.uint8), small, interpolation=cv2.INTER_NEAREST) > 0,
    )
    large = cv2.resize(solved, (w, h), interpolation=cv2.INTER_LINEAR)
    along = cv2.ximgproc.guidedFilter(picture, large, max(2, round(2 / shrink)), UP_EPSILON * 255**2)
    open_ = (large > 0.004) & (large < 0.996)
    return np.where(open_, np.clip(along, 0, 1), large).astype(np.float32)


def band(solid: NDArray[np.bool_], reach: float) -> NDArray[np.bool_]:
    """(h, w) what is open about the outline of a mask."""
    inside, outside = (cv2.distanceTransform(np.uint8(m), cv2.DIST_L2, 5) for m in (solid, ~solid))
    return np.asarray((outside <= reach) & (inside <= max(LEAST_INNER_PX, INNER_SHARE * reach)))


def _solved(picture: NDArray[np.uint8], edge: Plane, reach: float, where: NDArray[np.bool_] | None) -> Plane:
    solid = edge > 0.5
    if not solid.any() or solid.all():
        return edge
    open_ = band(solid, reach)
    if where is not None:
        open_ &= where
        if not open_.any():
            return edge
    ys, xs = np.nonzero(open_)
    part = (slice(max(ys.min() - 2, 0), ys.max() + 3), slice(max(xs.min() - 2, 0), xs.max() + 3))
    out = np.where(open_, edge, solid).astype(np.float32)
    out[part] = _matted(picture[part], solid[part], open_[part], edge[part])
    return out


def _matted(picture: NDArray[np.uint8], solid: NDArray[np.bool_], open_: NDArray[np.bool_], edge: Plane) -> Plane:
    """Solves (L + drawn) a = drawn edge for what is open, the rest being known."""
    drawn = np.float32(DRAWN) + np.float32(HELD) * _flat(picture)
    found = closed_form.solved(picture, solid, open_, drawn, edge, SMOOTH)
    out = solid.astype(np.float32)
    out[open_] = np.clip((found - HAZE) / (1 - 2 * HAZE), 0, 1)
    return out


def _flat(picture: NDArray[np.uint8]) -> Plane:
    """(h, w) 1 where nothing but grain is to be seen around, 0 where something is."""
    values = picture.astype(np.float32) * np.float32(1 / 255)
    mean, squares = (cv2.blur(v, (FLAT_PX, FLAT_PX)) for v in (values, cv2.multiply(values, values)))
    r, g, b = cv2.split(cv2.subtract(squares, cv2.multiply(mean, mean)))
    spread = cv2.sqrt(cv2.max(cv2.max(cv2.max(r, g), b), 0))
    rough = cv2.transform(cv2.absdiff(values, cv2.GaussianBlur(values, (0, 0), 1.0)), np.full((1, 3), 1 / 3))
    noise = max(1.6 * float(np.median(rough)), LEAST_NOISE)
    over = np.maximum(spread * np.float32(1 / noise) - 1, 0)
    return np.exp(-over * over)
