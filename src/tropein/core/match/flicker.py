"""Flicker of an insert's edge."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.match.measure import MEASURES, MeasureBase, Seen, alone
from tropein.core.raster.moving import grid
from tropein.core.raster.moving import seen as looked_at

FEWEST = 80
FARTHEST_PX = 80.0
PARTS, LEAST_LENGTH = 72, 4.0
SOFT_PX = 6.0


@MEASURES.add
class EdgeFlicker(MeasureBase):
    """How far its edge jumps to and fro from frame to frame, beside where its outline goes as a whole."""

    title: ClassVar[str] = "Edge flicker"
    act: ClassVar[str] = ""
    unit: ClassVar[str] = "px"
    order: ClassVar[int] = 80
    looks: ClassVar[int] = 5
    visible_from: ClassVar[float] = 0.75
    kind: Literal["flicker"] = "flicker"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        if not 0 < frame < seen.shot.frames - 1:
            raise BadInput("At the first and last frame nothing lies on both sides to tell flicker by.")
        before, here, after = (alone(seen, f)[..., 3] for f in (frame - 1, frame, frame + 1))
        edge = (here > 0.02) & (here < 0.98)
        solid = (here > 0.5).astype(np.uint8)
        near = cv2.dilate(solid, np.ones((7, 7), np.uint8)) - cv2.erode(solid, np.ones((7, 7), np.uint8)) > 0
        near[:3], near[-3:], near[:, :3], near[:, -3:] = False, False, False, False
        if (edge & near).sum() < FEWEST or min(before.max(), after.max()) < 0.5:
            raise BadInput(f"{seen.layer.name} has too little of an edge around frame {frame} to tell flicker by.")
        # brought to where the outline is now by the way it goes at large: what it jumps beside that is left
        ways = [_way(here, side) for side in (before, after)]
        go = (ways[1] - ways[0]) / 2
        at = grid(*here.shape)
        rest = _rigid(ways[0] + go, near, at)  # as it goes faster or slower: as much to the one side as to the other
        left = looked_at(before, at - go + rest) + looked_at(after, at + go + rest) - 2 * here
        # coverage that came and went, by the length of the outline, is how far the edge went; of a jump to and fro a second difference is sqrt(6) times.
        # Part by part: hair that blows is no flicker of the edge as a whole
        far = float(np.median(_parts(left * near, solid)) * MEAN_TO_SD / np.sqrt(6))
        return far, f"Its edge jumps by {far:.2f} px from frame to frame." if far >= 0.1 else "Its edge is quiet."


MEAN_TO_SD = 1.2533


def _parts(came: NDArray[np.float32], solid: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Of each part of the outline, by its direction from the middle, how far it went: coverage that came, less what went, by its length. An edge
    that is blurred more than the frame before goes nowhere."""
    line = cv2.morphologyEx(solid, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) / 2.0  # two pixels wide
    rows, columns = np.nonzero(solid)
    y, x = np.mgrid[0 : solid.shape[0], 0 : solid.shape[1]]
    part = ((np.arctan2(y - rows.mean(), x - columns.mean()) / (2 * np.pi) + 0.5) * PARTS).astype(int) % PARTS
    of = np.flatnonzero((came != 0) | (line > 0))
    total, length = (np.bincount(part.ravel()[of], v.ravel()[of], PARTS) for v in (came, line))
    long = length > LEAST_LENGTH
    return np.abs(total[long]) / length[long] if long.any() else np.zeros(1)


def _rigid(way: NDArray[np.float32], where: NDArray[np.bool_], at: NDArray[np.float32]) -> NDArray[np.float32]:
    """The part of a motion that is a shift and a turn of all that is `where`: growing and shrinking are not."""
    p, v = at[where].astype(float), way[where].astype(float)
    middle, shift = p.mean(0), np.median(v, 0)
    arm = p - middle
    turn = float(((v - shift) * np.stack([-arm[:, 1], arm[:, 0]], 1)).sum() / max((arm**2).sum(), 1e-9))
    away = at - middle
    return (shift + turn * np.stack([-away[..., 1], away[..., 0]], -1)).astype(np.float32)


def _way(here: NDArray[np.float32], side: NDArray[np.float32]) -> NDArray[np.float32]:
    """Where the outline goes at large from a frame to one beside it."""
    a, b = (np.clip(cv2.GaussianBlur(v, (0, 0), SOFT_PX) * 255, 0, 255).astype(np.uint8) for v in (here, side))
    way = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(a, b, None)
    # only where there is an outline does a flow of coverage mean anything
    slope = np.hypot(cv2.Sobel(a, cv2.CV_32F, 1, 0), cv2.Sobel(a, cv2.CV_32F, 0, 1)) * (
        np.linalg.norm(way, axis=-1) < FARTHEST_PX
    )
    share = _wide(slope)[..., None]
    return _refined(here, side, np.asarray(_wide(way * slope[..., None]) / np.maximum(share, 1e-3), np.float32))


def _wide(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Blurred so far that a quarter of its size is enough to do it on."""
    h, w = plane.shape[:2]
    small = cv2.resize(plane, (max(1, w // 4), max(1, h // 4)), interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), SOFT_PX / 2), (w, h), interpolation=cv2.INTER_LINEAR)


def _refined(here: NDArray[np.float32], side: NDArray[np.float32], way: NDArray[np.float32]) -> NDArray[np.float32]:
    """A way to a fraction of a pixel: a shift of all that is near, by least squares (Lucas and Kanade 1981)."""
    here, side = (cv2.GaussianBlur(v, (0, 0), 1.5) for v in (here, side))
    gx, gy = (cv2.Sobel(here, cv2.CV_32F, x, 1 - x, scale=1 / 8) for x in (1, 0))
    xx, xy, yy = (_wide(v) for v in (gx * gx, gx * gy, gy * gy))
    least = 1e-3 * float((xx + yy).max()) + 1e-12
    det = (xx + least) * (yy + least) - xy * xy
    at = grid(*here.shape)
    for _ in range(3):
        off = looked_at(side, at + way) - here
        bx, by = _wide(gx * off), _wide(gy * off)
        step = np.stack([xy * by - (yy + least) * bx, xy * bx - (xx + least) * by], -1) / det[..., None]
        way = way + np.clip(step, -2, 2).astype(np.float32)
    return way
