"""Drawing the corners of a flat thing to the edges they were meant to lie on.

Along each side the strongest step across it is looked for at many places, a line is laid through those that agree
(M-estimation, Huber 1964), and where neighbouring lines meet is the corner.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.media.grey import GreyPicture

Array = NDArray[np.float64]
# how far from a side an edge may lie: pixels, or of the shortest side, whichever is less
REACH_PX, REACH_SHARE = 12.0, 0.08
PLACES = 64
ENDS = 0.12  # of a side next to each corner that is left out: other edges lie there
NEAR = 0.35  # of the reach: a standard deviation of where an edge is looked for
STEP_PX, CLIMB = 0.25, 6
LEAST_STEP = 4.0  # grey levels a pixel: what is weaker is no edge
LEAST_SHARE = 0.35  # of a side's places that must agree
AGREE_PX = 1.0


def snapped(picture: GreyPicture, corners: Array) -> tuple[Array, int]:
    """(corners (4, 2) drawn to edges, how many of the four sides found one). A side without an edge stays as it is.

    picture (h, w) uint8; corners in pixels, centres at + 0.5, in order around. BadInput when no side has an edge near.
    """
    smooth = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 1.0)
    reach = min(REACH_PX, REACH_SHARE * min(float(np.linalg.norm(corners[i] - corners[i - 1])) for i in range(4)))
    reach, out, found = max(reach, 2.0), corners, 0
    for closer in (1.0, 0.5):  # the second time from sides that are nearly right
        lines, found = [], 0
        for a, b in zip(out, np.roll(out, -1, 0), strict=True):
            line = _edge(smooth, a, b, closer * reach)
            found += line is not None
            lines.append(line if line is not None else _line(a, b))
        if not found:
            raise BadInput("No edge lies along any of its sides. Drag the corners nearer to the edges first.")
        out = np.array([_meet(lines[i - 1], lines[i]) for i in range(4)])
    if not np.isfinite(out).all() or np.linalg.norm(out - corners, axis=1).max() > 4 * reach:
        raise BadInput("The edges near its sides do not make four corners. Drag the corners nearer to the edges first.")
    return out, found


def _edge(picture: NDArray[np.float32], a: Array, b: Array, reach: float) -> Array | None:
    """The line (3,) n x = c along the side a-b, as (n_x, n_y, c)."""
    along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    across = np.array([-along[1], along[0]])
    shares = np.linspace(ENDS, 1 - ENDS, PLACES)
    offsets = np.arange(-reach, reach + 1e-9, STEP_PX)
    at = (a + shares[:, None] * (b - a))[:, None] + offsets[None, :, None] * across - 0.5
    seen = cv2.remap(
        picture,
        at[..., 0].astype(np.float32),
        at[..., 1].astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    step = np.gradient(seen, STEP_PX, axis=1)
    near = np.exp(-0.5 * (offsets / (NEAR * reach)) ** 2)
    # one side's edge goes from dark to bright or from bright to dark, not now so and now so
    vote = max((np.clip(sign * step, 0, None) for sign in (1, -1)), key=lambda v: float(np.median((v * near).max(1))))
    best = (np.sqrt(vote) * near).argmax(1)  # a weaker edge that is nearer is more likely meant
    strong = (vote * near).max(1) > LEAST_STEP
    if strong.mean() < LEAST_SHARE:
        return None
    rows = np.arange(PLACES)
    window = best[:, None] + np.arange(-CLIMB, CLIMB + 1)
    window = np.clip(window, 1, len(offsets) - 2)
    inner = window[rows, vote[rows[:, None], window].argmax(1)]  # the top of the edge that was chosen
    p, q, r = (vote[rows, inner + k] for k in (-1, 0, 1))
    bend = p - 2 * q + r
    away = offsets[inner] + STEP_PX * np.where(
        bend < -1e-6, np.clip(0.5 * (p - r) / np.where(bend < -1e-6, bend, 1), -1, 1), 0
    )
    tilt, shift, agree = _robust(shares[strong], away[strong])
    if agree < LEAST_SHARE * PLACES:
        return None
    first, last = (a + s * (b - a) + (tilt * s + shift) * across for s in (0.0, 1.0))
    return _line(first, last)


def _robust(x: Array, y: Array) -> tuple[float, float, int]:
    """Slope, offset, and how many agree, of the straight line most places lie on (Fischler & Bolles 1981, then least squares)."""
    i, j = np.triu_indices(len(x), len(x) // 5 + 1)
    slopes = (y[j] - y[i]) / (x[j] - x[i])
    shifts = y[i] - slopes * x[i]
    near = np.abs(y[None] - slopes[:, None] * x[None] - shifts[:, None]) < AGREE_PX
    if not len(near):
        return 0.0, float(np.median(y)), 0
    inside = near[int(near.sum(1).argmax())]
    for _ in range(3):
        tilt, shift = np.polyfit(x[inside], y[inside], 1)
        inside = np.abs(y - tilt * x - shift) < AGREE_PX
    return float(tilt), float(shift), int(inside.sum())


def _line(a: Array, b: Array) -> Array:
    n = np.array([a[1] - b[1], b[0] - a[0]])
    n = n / max(float(np.linalg.norm(n)), 1e-12)
    return np.array([*n, n @ a])


def _meet(one: Array, other: Array) -> Array:
    normals = np.array([one[:2], other[:2]])
    if abs(np.linalg.det(normals)) < 1e-3:
        return np.full(2, np.nan)
    return np.linalg.solve(normals, np.array([one[2], other[2]]))
