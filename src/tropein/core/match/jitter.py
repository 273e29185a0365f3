"""Jitter of the ride."""

from __future__ import annotations

from itertools import pairwise
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.match.measure import (
    HALF,
    MEASURES,
    WHOLE,
    Fix,
    MeasureBase,
    Seen,
    alone,
    beneath,
    brightness,
    laid,
    ring,
)
from tropein.core.raster.picture import Pixels

FEATURES, FEWEST = 240, 14
AGREE_PX = 1.2
# shares of what is followed that must agree: of an insert, which may move in itself, and of what lies around
AGREE, ALL_AGREE = 0.5, 0.72
WIDEST = 720
STEADY = 1.5  # frames


@MEASURES.add
class RideJitter(MeasureBase):
    """How far it jumps to and fro against what lies around it: its way, less that of the plate beside it, from frame to frame."""

    title: ClassVar[str] = "Ride"
    act: ClassVar[str] = "Smooth its ride"
    unit: ClassVar[str] = "px"
    order: ClassVar[int] = 20
    looks: ClassVar[int] = 5
    visible_from: ClassVar[float] = 0.4
    kind: Literal["jitter"] = "jitter"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        if not 2 <= frame < seen.shot.frames - 2:
            raise BadInput("So near to the shot's ends there are too few frames to tell jitter by.")
        around = range(frame - 2, frame + 3)
        of = laid(seen, frame, WIDEST)
        # what is cut from it moves as it does: its own picture whole tells as much, and needs no key
        whole = Seen(seen.renderer, seen.shot, seen.layer.model_copy(update={"cuts": {}})) if seen.layer.cuts else seen
        pictures = [alone(whole, f, WIDEST) for f in around]
        if any(p[..., 3].max() < HALF for p in pictures):
            raise BadInput(f"{seen.layer.name} is not seen in all frames around {frame}.")
        near = ring(of)
        covers = np.minimum(np.min([p[..., 3] for p in pictures], 0), of.insert[..., 3])
        inside = cv2.erode(covers, np.ones((5, 5), np.uint8)) > WHOLE
        plates = [_grey(beneath(seen, f, WIDEST)) for f in around]
        rows, columns = np.nonzero(of.insert[..., 3] > HALF)
        middle = np.array([columns.mean(), rows.mean()])
        went = self._went([_grey(p[..., :3]) for p in pictures], inside, middle)
        # how far it goes beyond where the plate around would take it, by what is seen within it and by its place: what it shows may move by itself, and
        # footage of the very plate moves with it though its place stands still
        drifts: list[list[NDArray[np.float64]]] = [[], []]
        for k in range(4):
            plate = _affine(plates[k], plates[k + 1], near, ALL_AGREE)
            if plate is None:
                raise BadInput("What lies around moves in several ways, or shows too little to tell how it moves.")
            taken = plate[:, :2] @ middle + plate[:, 2] - middle
            placed = self._placed(seen, frame - 2 + k, of.scale)
            for drift, way in zip(drifts, (placed, placed if went is None else went[k]), strict=True):
                drift.append((way - taken) / of.scale)
        off = min(float(np.sqrt((np.diff(np.array(d), axis=0) ** 2).sum(1).mean() / 6)) for d in drifts)
        return off, f"It jumps by {off:.2f} px from frame to frame against what lies around it."

    def _went(
        self, pictures: list[NDArray[np.uint8]], inside: NDArray[np.bool_], middle: NDArray[np.float64]
    ) -> list[NDArray[np.float64]] | None:
        """How far what is `inside` in the middle one of five pictures goes from each to the next: by where it lies in each of them, or where that is
        too far, step by step. None where it does not move as one."""
        if not inside.any():
            return None
        ways = [_affine(pictures[2], p, inside) for p in (*pictures[:2], *pictures[3:])]
        at = [way[:, :2] @ middle + way[:, 2] for way in ways if way is not None]
        if len(at) == len(ways):
            return list(np.diff([*at[:2], middle, *at[2:]], axis=0))
        ways = [_affine(a, b, inside) for a, b in pairwise(pictures)]
        steps = [way[:, :2] @ middle + way[:, 2] - middle for way in ways if way is not None]
        return steps if len(steps) == len(ways) else None

    def _placed(self, seen: Seen, frame: int, scale: float) -> NDArray[np.float64]:
        """How far its place takes its middle from a frame to the next, in pixels of a picture at a scale."""
        places = seen.renderer.planner(seen.shot).places
        w, h = seen.layer.content.size(seen.shot)
        ends = []
        for f in (frame, frame + 1):
            matrix = places.matrix(seen.layer, f)
            if matrix is None:
                raise BadInput(f"{seen.layer.name} lies nowhere at frame {f}.")
            p = matrix @ [w / 2, h / 2, 1.0]
            ends.append(p[:2] / p[2])
        return np.asarray((ends[1] - ends[0]) * scale)

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        ride = seen.layer.place.ride
        if ride is None:
            return None
        path = f"/layers/{seen.layer.id}/place/ride/steady"
        value = round(min(ride.steady + STEADY, 12.0), 2)
        return Fix(
            label=f"smooth the ride of {seen.layer.name}",
            patch=[{"op": "replace", "path": path, "value": value}],
            to=f"over {value:.1f} frames",
        )


def _grey(light: Pixels) -> NDArray[np.uint8]:
    return np.clip(brightness(light) * 255, 0, 255).astype(np.uint8)


def _affine(
    a: NDArray[np.uint8], b: NDArray[np.uint8], where: NDArray[np.bool_], agree: float = AGREE
) -> NDArray[np.float64] | None:
    """(2, 3) how what is `where` moves from one picture to the next; None where it does not move as one."""
    points = cv2.goodFeaturesToTrack(a, FEATURES, 0.004, 6, mask=where.astype(np.uint8) * 255)
    if points is None or len(points) < FEWEST:
        return None
    lk: dict[str, Any] = {"winSize": (17, 17), "maxLevel": 3, "criteria": (3, 30, 0.005)}
    there, ok, _ = cv2.calcOpticalFlowPyrLK(a, b, points, None, **lk)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(b, a, there, None, **lk)
    keep = (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (np.linalg.norm((back - points)[:, 0], axis=1) < 0.4)
    if keep.sum() < FEWEST:
        return None
    # features at whole pixels are the middles of pixels
    matrix, inliers = cv2.estimateAffine2D(
        points[keep] + 0.5, there[keep] + 0.5, ransacReprojThreshold=AGREE_PX, maxIters=1000
    )
    if matrix is None or inliers.mean() < agree or inliers.sum() < FEWEST:
        return None
    return np.asarray(matrix, np.float64)
