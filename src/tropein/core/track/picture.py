"""How the picture as a whole shifts, turns and grows, from frame to frame."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.track.cuts import Cuts
from tropein.core.track.frames import Frames
from tropein.core.track.motion import measure

LEAST_SHARED = 0.25  # of the features; fewer agreeing is a cut, or nothing but things that move by themselves


def follow_picture(
    frames: Frames, span: tuple[int, int], report: Callable[[int, bool], None] = lambda frame, lost: None
) -> list[tuple[int, NDArray[np.float64], bool]]:
    """(frame, (2, 2) two places carried along, whether the step to it was lost) for first..last.

    Each step is the similarity most features agree on (RANSAC, Fischler & Bolles 1981, then least squares); across a lost
    step the places stand still.
    """
    first, last = span
    w, h = frames.size
    places = np.array([[w / 2, h / 2], [w / 2 + w / 4, h / 2]])
    out = [(first, places.copy(), False)]
    before, cuts = frames.frame(first), Cuts(frames.frame)
    report(first, False)
    for frame in range(first + 1, last + 1):
        now = frames.frame(frame)
        motion = measure(before, now)
        matrix = None
        if not cuts.between(frame - 1, frame) and len(motion.before) >= 12:
            matrix, inliers = cv2.estimateAffinePartial2D(
                motion.before, motion.after, ransacReprojThreshold=1.0, maxIters=4000, confidence=0.999
            )
            if matrix is not None and inliers.mean() < LEAST_SHARED:
                matrix = None
        if matrix is not None:  # features have centres at whole numbers, places at + 0.5
            places = (places - 0.5) @ matrix[:, :2].T + matrix[:, 2] + 0.5
        out.append((frame, places.copy(), matrix is None))
        report(frame, matrix is None)
        before = now
    return out
