"""Whose face it is, by how it looks: the face laid flat to a small square, and compared in light and colour with how it looked."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.ride import similarity
from tropein.core.track import face_mesh as fm
from tropein.core.track.face_mesh import Mesh

SIDE = 40
LOOKS = 6  # kept: the first, and the last few
SAME = 0.35  # likeness below which a face that was lost is not believed to be the one
CERTAIN = 0.8  # likeness from which on it is believed however far it is from where it was
CLEARLY = 0.08  # likeness by which another face must be more like it than the nearest


class Identity:
    """Remembers one face."""

    def __init__(self, picture: NDArray[np.uint8], mesh: Mesh) -> None:
        at = mesh[list(fm.RIGID), :2]
        low, high = at.min(0), at.max(0)
        self._flat = (at - (low + high) / 2) * (SIDE / float((high - low).max())) + SIDE / 2
        self._looks = [self._look(picture, mesh)]

    def _look(self, picture: NDArray[np.uint8], mesh: Mesh) -> NDArray[np.float32]:
        m = similarity(mesh[list(fm.RIGID), :2] - 0.5, self._flat)[:2]
        scale = float(np.hypot(m[0, 0], m[1, 0]))
        if scale < 0.5:  # smaller by far: averaged first
            picture = cv2.blur(picture, (max(1, round(0.7 / scale)),) * 2)
        flat = cv2.warpAffine(picture, m, (SIDE, SIDE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).astype(
            np.float32
        )
        grey = flat.mean(2, keepdims=True)
        colour = flat - grey  # light changes more than colour does
        light = (grey - grey.mean()) / (grey.std() + 1e-3)
        return np.concatenate([light, 3 * colour / (grey.mean() + 1e-3)], 2)

    def likeness(self, picture: NDArray[np.uint8], mesh: Mesh) -> float:
        """-1..1 against how it looked at first and of late, whichever is more like it."""
        now = self._look(picture, mesh).ravel()
        return max(
            float(now @ then.ravel() / (np.linalg.norm(now) * np.linalg.norm(then) + 1e-6)) for then in self._looks
        )

    def learn(self, picture: NDArray[np.uint8], mesh: Mesh) -> None:
        self._looks.append(self._look(picture, mesh))
        if len(self._looks) > LOOKS:
            self._looks.pop(1)

    def chosen(self, picture: NDArray[np.uint8], near: list[Mesh], lost: bool) -> Mesh | None:
        """Which of some faces, the nearest first, is the one; none, if it was lost and none looks like it."""
        if not near or (len(near) == 1 and not lost):
            return near[0] if near else None
        alike = [self.likeness(picture, m) for m in near]
        best = int(np.argmax(alike))
        if not lost and alike[best] < alike[0] + CLEARLY:
            best = 0
        return near[best] if not lost or alike[best] > SAME else None
