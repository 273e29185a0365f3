"""Shapes and the hide check: exactness of coverage, speed of soft shapes, planted leaks found.

Coverage is compared with 64 x 64 places in every pixel, of random outlines with curves that do not cross themselves.
Run: ./tropein python -m bench.mattes
"""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.ride import Path
from tropein.core.checks.hidden import guard
from tropein.core.compose.render import Renderer
from tropein.core.document import Animated, Matte, Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.pieces.face import FacePiece
from tropein.core.raster.outline import area, fill, flatten
from tropein.core.raster.picture import Window
from tropein.core.tracks.face import FaceTrack

SEEDS, SIDE, DENSE = 40, 48, 64
SHAPES, FRAMES = 10, 30
SHOTS, SHOT_SIZE, SHOT_FRAMES = 200, (320, 180), 12
Points = NDArray[np.float64]


def blob(rng: np.random.Generator, centre: tuple[float, float], radius: float, soft: float) -> tuple[Points, Points]:
    """A round outline of eight points that bulges at random, flattened."""
    angle = np.arange(8) / 8 * 2 * np.pi
    reach = radius * rng.uniform(0.7, 1.0, 8)
    at = np.c_[centre[0] + reach * np.cos(angle), centre[1] + reach * np.sin(angle)]
    tangent = (np.roll(at, -1, 0) - np.roll(at, 1, 0)) / 6
    return flatten(at, -tangent, tangent, np.full((8, 2), soft), True)


def dense(vertices: Points, window: Window) -> NDArray[np.float64]:
    """Even-odd rule over DENSE x DENSE places a pixel, row by row."""
    ys = (np.arange(window.height * DENSE) + 0.5) / DENSE
    inside = np.zeros((window.height * DENSE, window.width * DENSE), bool)
    xs = (np.arange(window.width * DENSE) + 0.5) / DENSE
    a, b = vertices, np.roll(vertices, -1, 0)
    for i, y in enumerate(ys):
        crossing = (a[:, 1] <= y) != (b[:, 1] <= y)
        p, q = a[crossing], b[crossing]
        at = np.sort(p[:, 0] + (y - p[:, 1]) * (q[:, 0] - p[:, 0]) / (q[:, 1] - p[:, 1]))
        inside[i] = np.searchsorted(at, xs) % 2 == 1
    return inside.reshape(window.height, DENSE, window.width, DENSE).mean((1, 3))


def coverage_error() -> tuple[float, float]:
    window, errors = Window(0, 0, SIDE, SIDE), []
    for seed in range(SEEDS):
        vertices, _ = blob(np.random.default_rng(seed), (24 + seed % 5, 23), 21, 0)
        truth = dense(vertices, window)
        edge = (truth > 0) & (truth < 1)
        errors.append(np.abs(area(vertices, window) - truth)[edge])
    every = np.concatenate(errors)
    return float(every.mean()), float(every.max())


def frames_a_second(soft: float) -> float:
    """Ten shapes of about a tenth of the frame each, at 960x540."""
    rng, window = np.random.default_rng(1), Window(0, 0, 960, 540)
    shapes = [blob(rng, (rng.uniform(150, 800), rng.uniform(120, 420)), 130, soft) for _ in range(SHAPES)]
    fill(*shapes[0], window)
    began = time.perf_counter()
    for _ in range(FRAMES):
        for vertices, widths in shapes:
            fill(vertices, widths, window)
    return FRAMES / (time.perf_counter() - began)


def hide_check() -> tuple[int, int, int, int]:
    """(leaks planted, found, sound frames, false alarms) over synthetic shots: a face's oval that wanders, hidden by
    the oval grown by a margin; in half of the shots the matte slips at one frame."""
    planted = found = sound = false = 0
    angle = np.linspace(0, 2 * np.pi, 36, endpoint=False)
    for seed in range(SHOTS):
        rng = np.random.default_rng(seed)
        rx, ry = rng.uniform(18, 45), rng.uniform(22, 50)
        way = np.cumsum(rng.normal(0, 4, (SHOT_FRAMES, 2)), 0) + (160, 90)
        face = way[:, None] + np.stack([rx * np.cos(angle), ry * np.sin(angle)], 1)[None]
        slipped = int(rng.integers(SHOT_FRAMES)) if seed % 2 else -1
        cover = face.copy()
        if slipped >= 0:
            cover[slipped] += rng.choice((-1, 1), 2) * rng.uniform(0.35, 0.9, 2) * (rx, ry)
        good = np.ones(SHOT_FRAMES, bool)

        def paths(samples: str, spot: str = "", face: Any = face, cover: Any = cover, good: Any = good) -> Path:
            return Path(np.arange(float(SHOT_FRAMES)), cover if samples[0] == "c" else face, good, "similarity")

        document = face_shot(0.2 * 2 * rx)
        renderer = Renderer(None, paths, 1 << 24)  # type: ignore[arg-type]
        for frame in range(SHOT_FRAMES):
            leaks = guard(renderer, document, "m", "face", frame).state == "shows"
            if frame == slipped:
                planted, found = planted + 1, found + leaks
            else:
                sound, false = sound + 1, false + leaks
    return planted, found, sound, false


def face_shot(grow: float) -> Shot:
    document = load_shot(
        {
            "schema_version": 2,
            "name": "hide",
            "size": SHOT_SIZE,
            "rate": "24/1",
            "frames": SHOT_FRAMES,
            "trim": [0, SHOT_FRAMES - 1],
        }
    )
    tracks = {i: FaceTrack(id=i, name=i, footage="clip", samples=i[0] * 32) for i in ("face", "cover")}
    piece = FacePiece(id="p", name="oval", track="cover", part="oval", grow=Animated(value=grow))
    return document.model_copy(update={"tracks": tracks, "mattes": {"m": Matte(id="m", name="m", pieces=[piece])}})


if __name__ == "__main__":
    mean, worst = coverage_error()
    print("| coverage, mean error on edge pixels / worst | ten hard shapes, fps | ten soft shapes (12 px), fps |")
    print("| --- | --- | --- |")
    print(f"| {mean:.5f} / {worst:.4f} | {frames_a_second(0):.0f} | {frames_a_second(6):.0f} |\n")
    planted, found, sound, false = hide_check()
    print("| leaks planted | found | sound frames | false alarms |")
    print("| --- | --- | --- | --- |")
    print(f"| {planted} | {found} | {sound} | {false} ({100 * false / sound:.1f} %) |")
