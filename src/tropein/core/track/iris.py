"""Where the irises are, by the picture: a mesh model knows eyes but shortens the way they look to the side.

The rim of an iris is where it is dark inside and bright outside, at its radius from its middle: gradients vote for the middle that
lies that far behind them (after Timm & Barth, Accurate eye centre localisation by means of gradients, VISAPP 2011, with the radius known).
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.track import face_mesh as fm

Mesh = NDArray[np.float64]
REACH = 0.6  # of the radius: how far from the mesh's iris the middle is looked for
RIM = 0.15  # of the radius: how far a gradient may lie from the rim
STEP = 0.08  # of the radius: between places that are tried
SIDE_PX = 24.0  # radius of an iris in the enlarged eye
LEAST_RADIUS_PX = 2.5


def refined(grey: NDArray[np.uint8], mesh: Mesh) -> Mesh:
    """The mesh (478, 3) with its irises moved to where the picture (h, w) shows them; as it was where that cannot be told."""
    out = mesh.copy()
    for centre, lids in ((fm.LEFT_IRIS, "left lids"), (fm.RIGHT_IRIS, "right lids")):
        out[centre : centre + 5, :2] += _shift(grey, mesh, centre, lids)
    return out


def _shift(grey: NDArray[np.uint8], mesh: Mesh, centre: int, lids: str) -> NDArray[np.float64]:
    """(2,) pixels from the mesh's iris to the picture's."""
    x, y, radius = fm.iris(mesh, centre)
    if radius < LEAST_RADIUS_PX:
        return np.zeros(2)
    scale = SIDE_PX / radius
    half = int(SIDE_PX * (1 + RIM + REACH)) + 3
    to_eye = np.array([[scale, 0, half - scale * (x - 0.5)], [0, scale, half - scale * (y - 0.5)]])
    eye = cv2.warpAffine(
        grey, to_eye, (2 * half + 1, 2 * half + 1), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    eye = cv2.GaussianBlur(eye.astype(np.float32), (0, 0), max(1.5, 0.5 * scale))
    outline = (fm.loop(mesh, lids) - 0.5) @ to_eye[:, :2].T + to_eye[:, 2]
    open_eye = np.zeros(eye.shape, np.uint8)
    cv2.fillPoly(open_eye, [np.int32(np.rint(outline))], 1)
    gx, gy = cv2.Sobel(eye, cv2.CV_32F, 1, 0), cv2.Sobel(eye, cv2.CV_32F, 0, 1)
    size = np.hypot(gx, gy)
    inside = open_eye > 0
    if inside.sum() < 0.5 * SIDE_PX**2:
        return np.zeros(2)
    line = float(np.percentile(size[inside], 60))
    rows, columns = np.nonzero(inside & (size > max(line, 2.0)))
    if len(rows) < 40:
        return np.zeros(2)
    weight = np.minimum(size[rows, columns], 3 * line)
    along = np.stack([gx[rows, columns], gy[rows, columns]], 1) / size[rows, columns][:, None]
    grid = np.arange(-REACH, REACH + 1e-9, STEP) * SIDE_PX
    votes = _votes(columns - half, rows - half, along, weight, grid, SIDE_PX, RIM)
    j, i = np.unravel_index(int(votes.argmax()), votes.shape)
    if not (0 < i < len(grid) - 1 and 0 < j < len(grid) - 1):
        return np.zeros(2)
    found = [
        grid[k] + STEP * SIDE_PX * _top(line3)
        for k, line3 in ((i, votes[j, i - 1 : i + 2]), (j, votes[j - 1 : j + 2, i]))
    ]
    return np.array(found) / scale


@nb.njit(cache=True, nogil=True)
def _votes(x, y, along, weight, grid, radius, rim):  # type: ignore[no-untyped-def]
    """(k, k) how much the gradients at x, y, with directions `along` (n, 2), speak for a middle at each place of the grid."""
    k = len(grid)
    votes = np.zeros((k, k))
    for j in range(k):
        for i in range(k):
            total = 0.0
            for n in range(len(x)):
                u, v = x[n] - grid[i], y[n] - grid[j]
                far = np.sqrt(u * u + v * v)
                behind = (u * along[n, 0] + v * along[n, 1]) / max(far, 1e-6)
                if behind > 0:
                    off = (far / radius - 1) / rim
                    total += weight[n] * behind * behind * np.exp(-0.5 * off * off)
            votes[j, i] = total
    return votes


def _top(three: NDArray[np.float64]) -> float:
    """Where between three values the parabola through them is highest, in steps from the middle one."""
    a, b, c = three
    return float(0.5 * (a - c) / min(a - 2 * b + c, -1e-9))
