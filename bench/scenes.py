"""Clips with truth for tracking: a photograph moved, turned, scaled, blurred by a 180-degree shutter, dimmed, grained.

Textures are pictures the tracker was not made on: scikit-image's own, and a frame of a demo plate.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

SIZE = (640, 360)
SUBFRAMES = 8
SHUTTER = 0.5
ROOT = Path(__file__).parent.parent


def textures() -> dict[str, NDArray[np.float32]]:
    """Grey float pictures of about 1100 pixels a side."""
    from skimage import data

    found = {name: getattr(data, name)() for name in ("astronaut", "coins", "brick", "chelsea", "rocket")}
    capture = cv2.VideoCapture(str(ROOT / "demo/plates/quay.mp4"))
    found["quay"] = capture.read()[1]
    out = {}
    for name, picture in found.items():
        grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY) if picture.ndim == 3 else picture
        out[name] = cv2.resize(grey, (1100, 900), interpolation=cv2.INTER_CUBIC).astype(np.float32)
    return out


@dataclass(frozen=True, eq=False)
class Scene:
    """`frames` uint8; `truth(points)` gives (frames, n, 2) positions (centres at + 0.5) of points of frame 0; `covered`
    (frames, n) where an occluder lies over them."""

    frames: list[NDArray[np.uint8]]
    paths: NDArray[np.float64]
    covered: NDArray[np.bool_]

    @property
    def size(self) -> tuple[int, int]:
        return SIZE

    def __len__(self) -> int:
        return len(self.frames)

    def frame(self, i: int) -> NDArray[np.uint8]:
        return self.frames[i]


def make(texture: NDArray[np.float32], seed: int, count: int = 60, points: int = 6, occluder: bool = True) -> Scene:
    rng = np.random.default_rng(seed)
    phase = rng.uniform(0, 6.28, 6)
    amplitude, speed = rng.uniform(30, 80, 2), rng.uniform(0.06, 0.16, 2)
    turn, grow = rng.uniform(4, 14), rng.uniform(0.1, 0.3)
    shake = rng.uniform(0.3, 2.0)

    def matrix(f: float) -> NDArray[np.float64]:
        a = np.radians(turn * np.sin(0.05 * f + phase[2]))
        s = 1 + grow * np.sin(0.04 * f + phase[3])
        x = amplitude[0] * np.sin(speed[0] * f + phase[0]) + shake * np.sin(1.7 * f + phase[4])
        y = 0.6 * amplitude[1] * np.sin(speed[1] * f + phase[1]) + shake * np.sin(2.3 * f + phase[5])
        r = s * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        centre = np.array([SIZE[0] / 2 + x, SIZE[1] / 2 + y])
        return np.c_[r, centre - r @ np.array([550.0, 450.0])]

    def shutter(f: int) -> NDArray[np.float64]:
        return f + (np.arange(SUBFRAMES) + 0.5) / SUBFRAMES * SHUTTER - SHUTTER / 2

    frames, means = [], []
    cover = cv2.resize(texture[::-1, ::-1], (260, 200))
    holes = np.zeros((count, *SIZE[::-1]), bool)
    for f in range(count):
        matrices = [matrix(s) for s in shutter(f)]
        light = np.zeros(SIZE[::-1], np.float32)
        for m in matrices:
            light += cv2.warpAffine(texture, m, SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        picture = light / SUBFRAMES
        means.append(np.mean(matrices, 0))
        if occluder:
            x, y = int(-260 + f * (SIZE[0] + 300) / count), int(60 + 50 * np.sin(f / 9 + seed))
            x0, x1 = max(0, x), min(SIZE[0], x + 150)
            if x1 > x0:
                picture[y : y + 180, x0:x1] = cover[:180, x0 - x : x1 - x]
                holes[f, y : y + 180, x0:x1] = True
        gain = 1 - 0.35 * f / count
        picture = picture * gain + 6 + rng.normal(0, 2.2, picture.shape)
        frames.append(np.clip(picture, 0, 255).astype(np.uint8))
    corners = cv2.goodFeaturesToTrack(frames[0][60:-60, 80:-80], 80, 0.02, 40)
    chosen = corners[rng.permutation(len(corners))[:points], 0].astype(np.float64) + [80, 60]
    first = np.vstack([means[0], [0, 0, 1]])
    source = np.c_[chosen, np.ones(len(chosen))] @ np.linalg.inv(first).T
    paths = np.stack([source @ m.T for m in means])
    covered = np.zeros((count, len(chosen)), bool)
    for f in range(count):
        for k, (x, y) in enumerate(paths[f]):
            inside = 0 <= x < SIZE[0] and 0 <= y < SIZE[1]
            covered[f, k] = (
                not inside or holes[f, max(0, int(y) - 8) : int(y) + 9, max(0, int(x) - 8) : int(x) + 9].any()
            )
    return Scene(frames, paths + 0.5, covered)
