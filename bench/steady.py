"""How much fast motion is left in a picture held steady, and how much of its detail: photographs under a slow move with a handheld
shake on it, a textured thing crossing, grain; beside flow + a smoothed path + one bilinear warp.

Run: ./tropein python -m bench.steady
"""

from __future__ import annotations

import time

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from bench.scenes import SIZE, textures
from tropein.core.animate.ride import Path
from tropein.core.animate.steady import held
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import apply, warp
from tropein.core.track.picture import follow_picture

Array = NDArray[np.float64]
COUNT, SMOOTH, SEEDS = 90, 12.0, (1, 2, 3)
PARTS = ("position", "rotation", "scale")
SAFE = 60  # pixels at each edge that are left out: what shows there was mirrored


class Shaken:
    """`moves` (frames, 3, 3) take frame 0's pixels (corners at whole numbers) to a frame's."""

    size = SIZE

    def __init__(self, wall: NDArray[np.float32], seed: int) -> None:
        rng = np.random.default_rng(seed)
        slow = np.stack([90 * np.sin(np.arange(COUNT) / 40 + p) - 90 * np.sin(p) for p in rng.uniform(0, 6, 2)], 1)
        quick = gaussian_filter1d(rng.normal(0, 1, (COUNT, 4)), 1.1, axis=0) * [5.0, 5.0, 0.7, 0.006]
        middle = np.array(SIZE) / 2
        centre = np.array([550.0, 450.0])
        thing = cv2.resize(wall[::-1], (160, 140))
        self.pictures, self.moves, first = [], [], np.eye(3)
        for i in range(COUNT):
            a, k = np.radians(quick[i, 2] + 2 * np.sin(i / 35)), np.exp(quick[i, 3])
            m = np.eye(3)
            m[:2, :2] = k * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
            m[:2, 2] = middle + slow[i] + quick[i, :2] - m[:2, :2] @ centre
            first = m if i == 0 else first
            self.moves.append(m @ np.linalg.inv(first))
            half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
            picture = cv2.warpAffine(
                wall, (np.linalg.inv(half) @ m @ half)[:2], SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
            )
            x = int(-160 + i / COUNT * (SIZE[0] + 200))
            left, right = max(0, x), min(SIZE[0], x + 160)
            if right > left:
                picture[110:250, left:right] = thing[:, left - x : right - x]
            self.pictures.append(np.clip(picture + rng.normal(0, 2, picture.shape), 0, 255).astype(np.uint8))

    def __len__(self) -> int:
        return COUNT

    def frame(self, i: int) -> NDArray[np.uint8]:
        return self.pictures[i]


def fast(path: Array) -> float:
    """Rms of what a Gaussian of 3 frames takes away from the way of a place (frames, 2): the slow move bends by a quarter of a pixel
    within that, and is not held against anyone."""
    rest = path - gaussian_filter1d(path, 3, axis=0, mode="nearest")
    return float(np.sqrt((rest[8:-8] ** 2).sum(1).mean()))


def left_over(scene: Shaken, matrices: list[Array]) -> float:
    """Fast motion of four places, held against not held."""
    places = np.array([[160, 90], [480, 90], [480, 270], [160, 270.0]])
    plain = np.array([apply(m, places) for m in scene.moves])
    calm = np.array([apply(h @ m, places) for h, m in zip(matrices, scene.moves, strict=True)])
    return float(np.mean([fast(calm[:, k]) for k in range(4)]) / np.mean([fast(plain[:, k]) for k in range(4)]))


def detail(before: NDArray, after: NDArray) -> float:
    """Mean size of the gradients of a smoothed picture (grain is no detail), after against before."""
    sizes = []
    for p in (before, after):
        calm = cv2.GaussianBlur(p.astype(np.float32), (0, 0), 1.0)[SAFE:-SAFE, SAFE:-SAFE]
        sizes.append(np.hypot(cv2.Sobel(calm, cv2.CV_32F, 1, 0), cv2.Sobel(calm, cv2.CV_32F, 0, 1)).mean())
    return float(sizes[1] / sizes[0])


def ours(scene: Shaken) -> tuple[list[Array], list[NDArray]]:
    found = follow_picture(scene, (0, COUNT - 1))
    path = Path(
        np.arange(float(COUNT)),
        np.array([p for _, p, _ in found]),
        np.array([not lost for _, _, lost in found]),
        "similarity",
    )
    matrices = [held(path, f, 0, PARTS, SMOOTH, 1.0) for f in range(COUNT)]
    window = Window(0, 0, *SIZE)
    out = []
    for f, m in enumerate(matrices):
        grey = scene.frame(f).astype(np.float32)[..., None] / 255
        out.append(
            warp(Picture(np.dstack([grey, grey, grey, np.ones_like(grey)]), window), m, window, "final", "mirror").fill(
                window
            )[..., 0]
            * 255
        )
    return matrices, out


def plain_flow(scene: Shaken) -> tuple[list[Array], list[NDArray]]:
    """The baseline: features flowed from frame to frame, similarities added up, smoothed, warped bilinearly."""
    steps = [np.zeros(4)]
    for f in range(1, COUNT):
        a, b = scene.frame(f - 1), scene.frame(f)
        p = cv2.goodFeaturesToTrack(a, 200, 0.01, 30)
        q, ok, _ = cv2.calcOpticalFlowPyrLK(a, b, p, None)
        m, _ = cv2.estimateAffinePartial2D(p[ok[:, 0] == 1], q[ok[:, 0] == 1])
        steps.append(np.array([m[0, 2], m[1, 2], np.arctan2(m[1, 0], m[0, 0]), np.log(np.hypot(m[0, 0], m[1, 0]))]))
    way = np.cumsum(steps, 0)
    off = gaussian_filter1d(way, SMOOTH, axis=0, mode="nearest") - way
    matrices, out = [], []
    for f, (x, y, a, k) in enumerate(off):
        m = np.eye(3)
        m[:2, :2] = np.exp(k) * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        m[:2, 2] = x, y
        matrices.append(m)
        out.append(cv2.warpAffine(scene.frame(f), m[:2], SIZE, borderMode=cv2.BORDER_REFLECT).astype(np.float32))
    return matrices, out


def main() -> None:
    print(
        "| photograph | ours: fast motion left | detail kept | ms a frame | flow + bilinear: fast motion left | detail kept | ms a frame |"
    )
    print("| --- | --- | --- | --- | --- | --- | --- |")
    rows = []
    for name, wall in textures().items():
        for seed in SEEDS:
            scene, row = Shaken(wall, seed), []
            for method in (ours, plain_flow):
                began = time.process_time()
                matrices, pictures = method(scene)
                cpu = (time.process_time() - began) / COUNT * 1e3
                kept = np.mean([detail(scene.frame(f), pictures[f]) for f in range(4, COUNT, 7)])
                row += [left_over(scene, matrices), kept, cpu]
            rows.append(row)
        r = np.mean(rows[-len(SEEDS) :], 0)
        print(f"| {name} | {r[0]:.1%} | {r[1]:.1%} | {r[2]:.0f} | {r[3]:.1%} | {r[4]:.1%} | {r[5]:.0f} |", flush=True)
    r, worst = np.mean(rows, 0), np.max(rows, 0)
    print(
        f"| all | {r[0]:.1%} (worst {worst[0]:.1%}) | {r[1]:.1%} | {r[2]:.0f} | {r[3]:.1%} (worst {worst[3]:.1%}) | {r[4]:.1%} | {r[5]:.0f} |"
    )


if __name__ == "__main__":
    main()
