"""Moving a picture: affine and perspective, and through a lens, sampled once, inside the smallest window that can change."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.lens import Bending, straight_grid
from tropein.core.raster.picture import Picture, Pixels, Window, nothing

Matrix = NDArray[np.float64]
Quality = Literal["draft", "final"]
Edge = Literal["nothing", "mirror", "repeat"]
_BORDERS = {"nothing": cv2.BORDER_CONSTANT, "mirror": cv2.BORDER_REFLECT, "repeat": cv2.BORDER_REPLICATE}


IDENTITY: Matrix = np.eye(3)
IDENTITY.setflags(write=False)  # it is handed out as it is: whoever finds it need not multiply


def product(*matrices: Matrix) -> Matrix:
    """Matrices one after another, those left out that do nothing."""
    total = IDENTITY
    for matrix in matrices:
        if matrix is not IDENTITY:
            total = matrix if total is IDENTITY else total @ matrix
    return total


@dataclass(frozen=True, eq=False)
class Move:
    """How a picture gets to where it is seen: by a 3x3 matrix, and then through a lens, if there is one."""

    matrix: Matrix
    bending: Bending | None = None

    def scaled(self, scale: float, working: float) -> Move:
        """The same from a picture at `working` of its size to a frame at `scale` of its."""
        (a, b, c), (d, e, f), (g, h, i) = self.matrix.tolist()  # so few numbers are quicker one by one
        if self.bending is not None:
            within = np.array(
                [[a / working, b / working, c], [d / working, e / working, f], [g / working, h / working, i]]
            )
            return Move(within, self.bending.then(scaling(scale, scale)))
        s = scale / working
        return Move(np.array([[a * s, b * s, c * scale], [d * s, e * s, f * scale], [g / working, h / working, i]]))

    def key(self) -> tuple[Any, ...]:
        """What tells it from others."""
        return [round(v, 9) for row in self.matrix.tolist() for v in row], self.bending

    def of(self, points: NDArray[Any]) -> NDArray[np.float64]:
        """Where points (n, 2) of the picture are seen."""
        moved = apply(self.matrix, points)
        return moved if self.bending is None else self.bending.seen(moved)

    def flat(self, size: tuple[float, float]) -> Matrix:
        """One matrix instead, right in the corners of a picture of `size`."""
        if self.bending is None:
            return self.matrix
        corners = np.array([[0, 0], [size[0], 0], size, [0, size[1]]], float)
        return quad_to_quad(corners, self.of(corners))


def translation(x: float, y: float) -> Matrix:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def scaling(x: float, y: float) -> Matrix:
    return np.array([[x, 0, 0], [0, y, 0], [0, 0, 1.0]])


def rotation(angle_deg: float) -> Matrix:
    """Clockwise on screen (y down)."""
    c, s = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


def quad_to_quad(source: NDArray[Any], target: NDArray[Any]) -> Matrix:
    """The homography that takes four points (4, 2) to four others. Hartley & Zisserman 2004, section 4.1."""
    return cv2.getPerspectiveTransform(np.float32(source), np.float32(target)).astype(np.float64)


def apply(matrix: Matrix, points: NDArray[Any]) -> NDArray[Any]:
    """(n, 2) points through a 3x3 matrix."""
    p = np.asarray(points, float) @ matrix[:, :2].T + matrix[:, 2]
    return p[:, :2] / p[:, 2:]


def speed_px(a: Matrix, b: Matrix, points: Sequence[tuple[float, float]]) -> float:
    """The farthest any of some points lies under one matrix from where it lies under another; those on the horizon do not count."""
    far = 0.0
    (p, q, r), (s, t, u), (v, w, z) = a.tolist()  # so few numbers are quicker one by one
    (i, j, k), (l, m, n), (d, e, f) = b.tolist()
    for x, y in points:
        here, there = v * x + w * y + z, d * x + e * y + f
        if here and there:
            across = (p * x + q * y + r) / here - (i * x + j * y + k) / there
            down = (s * x + t * y + u) / here - (l * x + m * y + n) / there
            gap = math.hypot(across, down)
            if far < gap < math.inf:
                far = gap
    return far


def _landing(move: Move, window: Window, frame: Window) -> Window:
    """Where the warped window can be seen inside `frame`."""
    if move.bending is None:
        corners = _seen_corners(move.matrix, window)
        if corners is None:  # part of it lies behind the horizon
            return frame
        xs, ys = zip(*corners, strict=True)
        ends = (min(xs), min(ys), max(xs), max(ys))
    else:
        along = np.linspace(0, 1, 33)
        x, y = window.x0 + along * window.width, window.y0 + along * window.height
        edge = np.concatenate([np.stack(np.broadcast_arrays(a, b), 1) for a, b in ((x, y[0]), (x, y[-1]), (x[0], y), (x[-1], y))])  # fmt: skip
        if (edge @ move.matrix[2, :2] + move.matrix[2, 2] <= 1e-9).any():
            return frame
        p = move.of(edge)
        ends = (*p.min(0).tolist(), *p.max(0).tolist())
    x0, y0, x1, y1 = (min(max(v, -1e8), 1e8) for v in ends)
    return Window(math.floor(x0) - 1, math.floor(y0) - 1, math.ceil(x1) + 1, math.ceil(y1) + 1).meet(frame)


def _seen_corners(matrix: Matrix, window: Window) -> list[tuple[float, float]] | None:
    """Where the corners of a window are seen; None where one of them lies behind the horizon. Few numbers are quicker one by one."""
    (a, b, c), (d, e, f), (g, h, i) = matrix.tolist()
    seen = []
    for x, y in ((window.x0, window.y0), (window.x1, window.y0), (window.x1, window.y1), (window.x0, window.y1)):
        z = g * x + h * y + i
        if z <= 1e-9:
            return None
        seen.append(((a * x + b * y + c) / z, (d * x + e * y + f) / z))
    return seen


def reduction(matrix: Matrix, window: Window) -> int:
    """By which power of two the source can be reduced before sampling without losing detail."""
    (a, b, c), (d, e, f), (g, h, i) = matrix.tolist()
    x, y = (window.x0 + window.x1) / 2, (window.y0 + window.y1) / 2
    p = []
    for u, v in ((x, y), (x + 1, y), (x, y + 1)):
        if (z := g * u + h * v + i) == 0:
            return 1
        p.append(((a * u + b * v + c) / z, (d * u + e * v + f) / z))
    stretch = max(math.dist(p[1], p[0]), math.dist(p[2], p[0]))
    if not math.isfinite(stretch) or stretch <= 0:
        return 1
    return int(2 ** min(max(math.floor(math.log2(1 / stretch) + 1e-6), 0), 6))


def reduced(pixels: Pixels, n: int, edge: Edge) -> Pixels:
    """(h, w, 4) pixels averaged n by n, the last ones with what lies beyond the edge."""
    h, w = pixels.shape[:2]
    ow, oh = -(-w // n), -(-h // n)
    pad = cv2.copyMakeBorder(pixels, 0, oh * n - h, 0, ow * n - w, _BORDERS[edge])
    out: Pixels = cv2.resize(pad, (ow, oh), interpolation=cv2.INTER_AREA)
    return out


def whole_shift(matrix: Matrix) -> tuple[int, int] | None:
    """Across and down, of a matrix that only moves by whole pixels."""
    (a, b, c), (d, e, f), (g, h, i) = matrix.tolist()
    if max(abs(a - 1), abs(b), abs(d), abs(e - 1)) > 1e-9 or max(abs(g), abs(h), abs(i - 1)) > 1e-12:
        return None
    x, y = round(c), round(f)
    return (x, y) if max(abs(c - x), abs(f - y)) < 1e-6 else None


def landing(window: Window, move: Move, frame: Window, edge: Edge) -> Window:
    """The part of the frame in which a picture is seen that fills a window; empty where it is seen nowhere."""
    matrix = move.matrix
    (a, b, _), (c, d, _), (g, h, i) = matrix.tolist()
    if window.empty or (abs(a * d - b * c) < 1e-12 and max(abs(g), abs(h), abs(i - 1)) < 1e-5):
        return Window(0, 0, 0, 0)  # scaled to nothing
    return _landing(move, window, frame) if edge == "nothing" else frame


def warp(
    picture: Picture, moved: Matrix | Move, frame: Window, quality: Quality = "final", edge: Edge = "nothing"
) -> Picture:
    """`picture` moved by a 3x3 matrix, or a matrix and a lens (corner-based pixel coordinates at this scale), cut to `frame`.

    Bicubic (draft: bilinear) after an area reduction when it shrinks. Whole-pixel moves are exact copies. Overshoot of
    the cubic is clamped: alpha to 0..1, colour to 0 and above. Beyond its edges there is nothing, or the picture mirrored, or
    its last pixels repeated: then all of `frame` is filled.
    """
    if picture.window.empty:
        return nothing()
    move = moved if isinstance(moved, Move) else Move(moved)
    if move.bending is None and (shift := whole_shift(move.matrix)) is not None:
        shifted = picture.moved(*shift)
        if edge == "nothing" or shifted.window.meet(frame) == frame:
            return shifted.crop(frame)
    pixels, target = moved_pixels(picture.pixels, picture.window, move, frame, quality, edge)
    return nothing() if target.empty else Picture(_in_range(pixels), target)


def moved_pixels(
    pixels: NDArray[np.float32], w: Window, move: Move, frame: Window, quality: Quality, edge: Edge
) -> tuple[NDArray[np.float32], Window]:
    """Pixels (h, w) or (h, w, n) of a window moved and cut to `frame`, and which part of it they fill; a cubic may overshoot."""
    matrix, bending = move.matrix, move.bending
    target = landing(w, move, frame, edge)
    if target.empty:
        return pixels[:0, :0], target
    matrix = matrix @ translation(w.x0, w.y0)
    n = reduction(move.matrix if bending is None else bending.matrix @ move.matrix, w)
    if n > 1:
        pixels = reduced(pixels, n, edge)
        matrix = matrix @ scaling(n, n)
    how = cv2.INTER_CUBIC if quality == "final" else cv2.INTER_LINEAR
    if bending is not None:
        return _through(pixels, matrix, bending, target, how, edge), target
    # cv2 puts pixel centres at whole numbers, we at + 0.5
    matrix = translation(-target.x0 - 0.5, -target.y0 - 0.5) @ matrix @ translation(0.5, 0.5)
    size = (target.width, target.height)
    if np.allclose(matrix[2], [0, 0, 1], atol=1e-12):
        out = cv2.warpAffine(pixels, matrix[:2], size, flags=how, borderMode=_BORDERS[edge])
    else:
        out = cv2.warpPerspective(pixels, matrix, size, flags=how, borderMode=_BORDERS[edge])
    return out, target


def _through(
    pixels: NDArray[np.float32], matrix: Matrix, bending: Bending, target: Window, how: int, edge: Edge
) -> NDArray[np.float32]:
    """A warp through a lens: every pixel of the target looks up where it comes from."""
    grid, back = straight_grid(bending, target), np.linalg.inv(matrix)
    x, y, z = (grid[..., 0] * row[0] + grid[..., 1] * row[1] + row[2] for row in back)
    with np.errstate(divide="ignore", invalid="ignore"):
        u, v = (np.nan_to_num(np.clip(c / z - 0.5, -1e4, 32000), nan=-1e4).astype(np.float32) for c in (x, y))
    return cv2.remap(pixels, u, v, how, borderMode=_BORDERS[edge])


def _in_range(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    np.maximum(pixels, 0, out=pixels)
    np.minimum(pixels[..., 3], 1, out=pixels[..., 3])
    return pixels


def warp_blurred(
    picture: Picture, moves: Sequence[Matrix | Move], frame: Window, quality: Quality = "final", edge: Edge = "nothing"
) -> Picture:
    """The mean of the picture moved in each of several ways: what it looks like while the shutter is open."""
    if len(moves) == 1:
        return warp(picture, moves[0], frame, quality, edge)
    parts = [warp(picture, m, frame, "draft", edge) for m in moves]  # blurred anyway: bilinear is enough
    window = parts[0].window
    for part in parts[1:]:
        window = window.join(part.window)
    total = np.zeros((window.height, window.width, 4), np.float32)
    for part in parts:
        if not part.window.empty:
            x, y = part.window.x0 - window.x0, part.window.y0 - window.y0
            area = total[y : y + part.window.height, x : x + part.window.width]
            cv2.add(area, np.ascontiguousarray(part.pixels), dst=area)
    total *= np.float32(1 / len(parts))
    return Picture(total, window)


def resize(picture: Picture, scale: float) -> Picture:
    """The picture at another scale (area when it shrinks, cubic when it grows); the window is scaled outwards."""
    w = picture.window
    target = Window(
        math.floor(w.x0 * scale), math.floor(w.y0 * scale), math.ceil(w.x1 * scale), math.ceil(w.y1 * scale)
    )
    return warp(picture, scaling(scale, scale), target)
