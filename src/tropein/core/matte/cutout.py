"""A subject cut out without a screen: a few strokes on a frame, carried through the shot by the subject's own motion.

In a frame with strokes, what they say is spread by watershed (Meyer 1992) and settled by graph cut over colours (GrabCut, Rother
et al. 2004). From frame to frame the outline is carried by the motion of the subject alone, or the ground's motion would bleed over
the edge. Then the cut is settled again in a narrow band along it, in which what plainly moves with the subject, or with the
ground, is decided beforehand. The same input gives the same matte.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte.two_motions import Mask, Picture, Told

KEEP, REMOVE = 1, 2
BAND_PX, REFINED_PX = 6, 3
TOLD_BY_CUT = 0.7  # the rest is told by what was carried, which steadies the edge
MOVES = 2.0  # odds from which on motion alone decides
REACH_PX = 60  # strokes on a carried frame change it so far around them
LEAST_SHARE = 0.04  # of the largest part: smaller ones that no stroke keeps are crumbs
EDGE_RADIUS, EDGE_EPSILON = 6, 4e-4
SEED = 11


@dataclass(frozen=True)
class Stroke:
    """A line (n, 2) drawn over the picture, as wide as `width`, in its pixels; what it covers is the subject, or is not."""

    keep: bool
    points: tuple[tuple[float, float], ...]
    width: float


def marked(strokes: list[Stroke], size: tuple[int, int], scale: float) -> NDArray[np.uint8]:
    """(h, w) 0, KEEP or REMOVE of a picture of `size` (w, h), `scale` times the strokes' own; later strokes lie on top."""
    out = np.zeros(size[::-1], np.uint8)
    for stroke in strokes:
        points = np.rint(np.array(stroke.points) * scale * 16 - 8).astype(np.int32).reshape(-1, 1, 2)
        label = KEEP if stroke.keep else REMOVE
        thick = max(1, round(stroke.width * scale))
        if len(points) == 1:
            x, y = points[0, 0]
            cv2.circle(out, (int(x), int(y)), max(1, thick * 8), label, -1, shift=4)
        else:
            cv2.polylines(out, [points], False, label, thick, shift=4)
    return out


def settled(picture: Picture, marks: NDArray[np.uint8], start: Mask | None = None) -> Mask:
    """The subject in one frame by its strokes; with `start`, what was carried there, only around them anew."""
    if not (marks == KEEP).any() and start is None:
        return np.zeros(marks.shape, bool)
    if start is None:
        guess, unsure = _spread(picture, marks), np.ones(marks.shape, bool)
    else:
        near = cv2.distanceTransform(np.uint8(marks == 0), cv2.DIST_L2, 3) < REACH_PX
        guess = start.copy()
        guess[marks == KEEP], guess[marks == REMOVE] = True, False
        unsure = near | _band(start)
    labels = np.where(guess, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    labels[~unsure & guess], labels[~unsure & ~guess] = cv2.GC_FGD, cv2.GC_BGD
    labels[marks == KEEP], labels[marks == REMOVE] = cv2.GC_FGD, cv2.GC_BGD
    return _cleaned(_cut(picture, labels, 4), marks)


def refined(picture: Picture, mask: Mask, marks: NDArray[np.uint8]) -> Mask:
    """A mask settled on a smaller picture, brought to a larger one (h, w, 3) and settled along its outline; `marks` are of that."""
    h, w = picture.shape[:2]
    if not mask.any() or mask.shape == (h, w):
        return mask
    larger = cv2.resize(mask.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    labels = _labels(cv2.GaussianBlur(larger, (0, 0), 1.0) > 0.5, REFINED_PX)
    labels[marks == KEEP], labels[marks == REMOVE] = cv2.GC_FGD, cv2.GC_BGD
    return _cleaned(_cut(picture, labels, 1), marks)


def carried(told: Told, now: Picture, marks: NDArray[np.uint8] | None = None) -> Mask:
    """The subject in a frame (h, w, 3), from what its motion and the ground's tell; `marks` are strokes drawn there."""
    sure = told.warped > 0.5
    if not sure.any():
        return settled(now, marks) if marks is not None else sure
    labels = _labels(sure, BAND_PX)
    open_ = (labels == cv2.GC_PR_FGD) | (labels == cv2.GC_PR_BGD)
    goes, stays = open_ & (told.odds > MOVES), open_ & (told.odds < -MOVES)
    labels[goes & sure], labels[stays & ~sure] = cv2.GC_FGD, cv2.GC_BGD
    labels[goes & ~sure], labels[stays & sure] = cv2.GC_PR_FGD, cv2.GC_PR_BGD
    mixed = TOLD_BY_CUT * _cut(now, labels, 1) + (1 - TOLD_BY_CUT) * told.warped
    clean = _cleaned(cv2.GaussianBlur(mixed, (0, 0), 1.0), None)
    return clean if marks is None else settled(now, marks, clean)


def _labels(guess: Mask, band: float) -> NDArray[np.uint8]:
    """GrabCut's labels of a guess that is open only along its outline."""
    labels = np.where(guess, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    inside, outside = (cv2.distanceTransform(np.uint8(m), cv2.DIST_L2, 3) for m in (guess, ~guess))
    labels[inside > band], labels[outside > band] = cv2.GC_FGD, cv2.GC_BGD
    return labels


def between(before: Mask, after: Mask, share: float) -> Mask:
    """Two masks of one frame, carried there from either side, mixed by their signed distances; `share` is that of `after`."""
    if not before.any() or not after.any():
        return after if share > 0.5 else before
    return (1 - share) * _signed(before) + share * _signed(after) > 0


def edged(mask: Mask, picture: Picture) -> NDArray[np.uint8]:
    """Coverage (h, w) 0..255 with the edge the larger `picture` (h, w, 3) has. He, Sun & Tang, Guided Image Filtering, 2010."""
    h, w = picture.shape[:2]
    soft = cv2.resize(mask.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    soft = cv2.GaussianBlur(soft, (0, 0), 0.7 * w / mask.shape[1])
    fine = cv2.ximgproc.guidedFilter(picture, soft, EDGE_RADIUS, EDGE_EPSILON * 255**2)
    fine = np.clip((fine - 0.1) / 0.8, 0, 1)
    inside = cv2.resize(np.uint8(cv2.erode(np.uint8(mask), np.ones((5, 5)))), (w, h), interpolation=cv2.INTER_NEAREST)
    outside = cv2.resize(np.uint8(cv2.erode(np.uint8(~mask), np.ones((5, 5)))), (w, h), interpolation=cv2.INTER_NEAREST)
    fine[inside > 0], fine[outside > 0] = 1.0, 0.0
    return np.rint(fine * 255).astype(np.uint8)


def _spread(picture: Picture, marks: NDArray[np.uint8]) -> Mask:
    """What the strokes say, grown over the picture until edges part them; with nothing removed the border counts as ground."""
    seeds = marks.astype(np.int32)
    if not (marks == REMOVE).any():
        border = np.ones(marks.shape, bool)
        border[2:-2, 2:-2] = False
        seeds[border & (marks == 0)] = REMOVE
    smooth = cv2.bilateralFilter(picture, 5, 30, 3)
    return np.asarray(cv2.watershed(smooth, seeds.copy()) == KEEP)


def _cut(picture: Picture, labels: NDArray[np.uint8], rounds: int) -> NDArray[np.float32]:
    """GrabCut from labels, within the part of the picture that is open or near to it."""
    open_ = (labels == cv2.GC_PR_FGD) | (labels == cv2.GC_PR_BGD)
    fore = (labels == cv2.GC_FGD) | (labels == cv2.GC_PR_FGD)
    if not open_.any() or not fore.any() or fore.all():
        return fore.astype(np.float32)
    ys, xs = np.nonzero(open_ | fore)
    h, w = labels.shape
    pad = 30
    y0, y1, x0, x1 = max(0, ys.min() - pad), min(h, ys.max() + pad), max(0, xs.min() - pad), min(w, xs.max() + pad)
    part = np.ascontiguousarray(labels[y0:y1, x0:x1])
    if (part == cv2.GC_BGD).sum() + (part == cv2.GC_PR_BGD).sum() < 20:
        return fore.astype(np.float32)
    cv2.setRNGSeed(SEED)
    cv2.grabCut(
        np.ascontiguousarray(picture[y0:y1, x0:x1]),
        part,
        None,
        np.zeros((1, 65)),
        np.zeros((1, 65)),
        rounds,
        cv2.GC_INIT_WITH_MASK,
    )
    out = np.zeros((h, w), np.float32)
    out[y0:y1, x0:x1] = (part == cv2.GC_FGD) | (part == cv2.GC_PR_FGD)
    return out


def _cleaned(mask: NDArray[Any], marks: NDArray[np.uint8] | None) -> Mask:
    """Without crumbs and pinholes; what a stroke names stays as it says."""
    mask = np.asarray(mask > 0.5)
    count, parts, facts, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=4)
    if count > 2:
        areas = facts[1:, cv2.CC_STAT_AREA]
        good = [i + 1 for i, a in enumerate(areas) if a >= LEAST_SHARE * areas.max()]
        if marks is not None:
            named = set(np.unique(parts[(marks == KEEP) & mask]).tolist()) - {0}
            good = sorted(named) if named else good
        mask = np.isin(parts, good)
    count, parts, facts, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8), connectivity=4)
    for i in range(1, count):
        hole = parts == i
        if facts[i, cv2.CC_STAT_AREA] < 0.002 * mask.size and not (marks is not None and (marks[hole] == REMOVE).any()):
            mask = mask | hole
    return np.asarray(mask)


def _band(mask: Mask) -> Mask:
    return np.abs(_signed(mask)) < BAND_PX


def _signed(mask: Mask) -> NDArray[np.float32]:
    inside, outside = (cv2.distanceTransform(np.uint8(m), cv2.DIST_L2, 5) for m in (mask, ~mask))
    return np.asarray(inside - outside, np.float32)
