"""Many points followed through a clip, for solving the camera: flow checked both ways, filled up where they thin out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.track.frames import Frames

TARGET = 700
CELL_PX = 48
FORWARD_BACKWARD_PX = 0.5
MIN_FRAMES = 4
CUT_SHARE = 0.25  # fewer points than this surviving a step: the footage was cut
_LK: dict[str, Any] = {"winSize": (19, 19), "maxLevel": 4, "criteria": (3, 30, 0.01)}


def follow_features(
    frames: Frames, span: tuple[int, int], ignore: Callable[[int], NDArray[np.bool_] | None] = lambda frame: None,
    report: Callable[[int], None] = lambda frame: None,
) -> tuple[NDArray[np.float64], list[int]]:  # fmt: skip
    """((tracks, frames, 2) places in full-size pixels, centres at + 0.5, NaN where a point is not seen; frames at which
    the footage is cut). `ignore(frame)` (h, w) is True where the picture does not count."""
    first, last = span
    count = last - first + 1
    w, h = frames.size
    rows: list[NDArray[np.float64]] = []
    live: list[int] = []
    points = np.zeros((0, 2), np.float32)
    before = None
    cuts = []
    for i, frame in enumerate(range(first, last + 1)):
        picture = frames.frame(frame)
        masked = ignore(frame)
        if before is not None and len(points):
            points, kept = _step(before, picture, points)
            inside = (points > 2).all(1) & (points[:, 0] < w - 3) & (points[:, 1] < h - 3) & kept
            if masked is not None:
                at = np.clip(points.astype(int), 0, [w - 1, h - 1])
                inside &= ~masked[at[:, 1], at[:, 0]]
            if inside.mean() < CUT_SHARE and len(points) > 60:
                cuts.append(frame)
            live = [t for t, k in zip(live, inside, strict=True) if k]
            points = points[inside]
            for t, p in zip(live, points, strict=True):
                rows[t][i] = p + 0.5
        if len(points) < 0.85 * TARGET:
            fresh = _new_points(picture, points, masked)
            for p in fresh:
                row = np.full((count, 2), np.nan)
                row[i] = p + 0.5
                live.append(len(rows))
                rows.append(row)
            points = np.concatenate([points, fresh]).astype(np.float32)
        before = picture
        report(frame)
    tracks = np.array(rows).reshape(-1, count, 2)
    return tracks[(~np.isnan(tracks[..., 0])).sum(1) >= MIN_FRAMES], cuts


def _step(before: NDArray[Any], after: NDArray[Any], points: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    p = points.reshape(-1, 1, 2)
    moved, ok, _ = cv2.calcOpticalFlowPyrLK(before, after, p, None, **_LK)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(after, before, moved, None, **_LK)
    error = np.linalg.norm(back - p, axis=2)[:, 0]
    return moved[:, 0], (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (error < FORWARD_BACKWARD_PX)


def _new_points(picture: NDArray[Any], taken: NDArray[Any], masked: NDArray[np.bool_] | None) -> NDArray[np.float32]:
    """Corners (Shi & Tomasi 1994) spread over the picture: a few in every cell, away from those that are followed."""
    free = np.full(picture.shape, 255, np.uint8)
    if masked is not None:
        free[masked] = 0
    for x, y in taken.astype(int):
        cv2.circle(free, (int(x), int(y)), 9, 0, -1)
    found = cv2.goodFeaturesToTrack(picture, TARGET * 4, 0.003, 9, mask=free)
    if found is None:
        return np.zeros((0, 2), np.float32)
    found = found[:, 0]
    h, w = picture.shape
    every = max(1, round(TARGET / max(1, (w / CELL_PX) * (h / CELL_PX))))
    counts: dict[tuple[int, int], int] = {}
    for x, y in taken:
        cell = (int(x // CELL_PX), int(y // CELL_PX))
        counts[cell] = counts.get(cell, 0) + 1
    chosen = []
    for x, y in found:
        cell = (int(x // CELL_PX), int(y // CELL_PX))
        if counts.get(cell, 0) < every + 2:
            counts[cell] = counts.get(cell, 0) + 1
            chosen.append((x, y))
    return np.array(chosen[: TARGET - len(taken)], np.float32).reshape(-1, 2)
