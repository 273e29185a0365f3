"""The harbour plate: roofs and masts against a plain sky, from a tripod that is touched now and then.

One wide picture is traced; the frames are what a camera that only turns sees of it, so their motion is exact."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

from demo.plates import meshes as m
from demo.plates import workbench
from demo.plates.tracing import Shot, looking, rgb, window

Array = NDArray[np.float64]
FRAMES = 60
WIDER = 1.2  # the traced picture is so much larger than a frame
EYE, TARGET = np.array([4.0, -118, 17]), np.array([0.0, 30, 25])


def wide(width: int, height: int) -> Shot:
    def pose(frame: float) -> Array:
        return looking(EYE, TARGET)

    return Shot(round(width * WIDER), round(height * WIDER), 46.0, 0.25, pose, lambda frame: 130.0)


def turned_px(frame: int, shot: Shot, width: int, height: int) -> Array:
    """The traced picture's pixels to a frame's, 3x3."""
    pan, tilt, roll = (workbench.handheld(frame, seed) for seed in (21, 22, 23))
    turn = m.turned(0.22 * tilt, 0.5 * pan + 2.2 * (frame / (FRAMES - 1) - 0.5), 0.12 * roll)
    f = shot.focal
    from_wide = np.array([[f, 0, shot.width / 2], [0, f, shot.height / 2], [0, 0, 1.0]])
    to_frame = np.array([[f, 0, width / 2], [0, f, height / 2], [0, 0, 1.0]])
    return to_frame @ turn @ np.linalg.inv(from_wide)


def seen(picture: NDArray[np.float32], frame: int, shot: Shot, width: int, height: int) -> NDArray[np.float32]:
    """A frame of the traced picture (or of its coverage), pixel centres at + 0.5."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    matrix = np.linalg.inv(half) @ turned_px(frame, shot, width, height) @ half
    return cv2.warpPerspective(
        picture, matrix, (width, height), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT
    )


class Town(workbench.Set):
    """A row of houses with roofs and chimneys, masts before them, the quay's edge."""

    def __init__(self) -> None:
        self.rng = np.random.default_rng(44)
        self.things: list[tuple[m.Mesh, str]] = []
        x = -78.0
        while x < 78:
            x += self._house(x)
        for row in range(11):
            self.box((190, 9, 3), "bench", (self.rng.normal(0, 2), -22 + 9.3 * row, -1.5), wobble=0.08)
        for x, y, height, lean in ((-50, -8, 44, 1.5), (-21, -14, 55, -1), (15, -4, 39, 2), (39, -16, 60, -1.5)):
            self._mast(x, y, height, lean)
        self.crate()

    def _house(self, x: float) -> float:
        rng = self.rng
        width, tall, deep = rng.uniform(13, 21), rng.uniform(13, 25), rng.uniform(12, 18)
        rise, y = rng.uniform(6, 11), 30 + rng.uniform(-5, 6)
        middle = x + width / 2
        coat = ("white", "ochre", "teal", "pale", "navy")[rng.integers(5)]
        self.box((width - 0.5, deep, tall), coat, (middle, y, tall / 2), bevel=0.4, wobble=0.15)
        slope = np.degrees(np.arctan2(rise, deep / 2 + 1))
        tile = np.hypot(rise, deep / 2 + 1)
        for side in (-1, 1):
            for row in range(6):
                share = (row + 0.5) / 6
                at = (middle, y + side * (deep / 2 + 1) * (1 - share), tall + rise * share + 0.3)
                size = (width + 0.8 + rng.normal(0, 0.1), tile / 6 + 0.9, 0.55)
                self.box(size, "red" if coat != "red" else "dark", at, (side * -slope, 0, rng.normal(0, 0.3)), 0.15)
        if rng.random() < 0.8:
            at = middle + rng.uniform(-0.3, 0.3) * width
            stack = rise * 0.7 + rng.uniform(4, 7)
            self.box((2.6, 2.6, stack), "brick", (at, y - 1.5, tall + stack / 2), bevel=0.2)
            self.add(m.lathe([(0.01, 0), (0.9, 0), (0.7, 2.2), (0.01, 2.2)], 20), "mortar", (at, y - 1.5, tall + stack))
        for level in np.arange(5, tall - 3, 6.2):
            for k in np.linspace(-0.28, 0.28, 2 if width < 17 else 3):
                at = (middle + k * width, y - deep / 2 - 0.1, level)
                self.box((2.6, 0.5, 3.6), "white", at, bevel=0.12)
                self.box((2.0, 0.6, 3.0), "ink", at, bevel=0.05, wobble=0)
        return width

    def _mast(self, x: float, y: float, height: float, lean: float) -> None:
        top = np.array([x + lean, y, height])
        self.add(m.tube([[x, y, 0], [x + lean / 2, y, height / 2], top], [0.75, 0.6, 0.32], 14, (0.1, 1)), "pale")
        for share, reach in ((0.62, 7.5), (0.82, 4.6)):
            at = np.array([x, y, 0]) * (1 - share) + top * share
            yard = [at - (reach, 0, 0.5), at + (0, -0.6, 0), at + (reach, 0, 0.5)]
            self.add(m.tube(m.curve(yard, 20, 2), 0.3, 10), "dark")
        for side in (-1, 1):
            stay = m.curve([top, (top + [x + side * 11, y, 1]) / 2 - (0, 0, 0.8), [x + side * 11, y, 1.0]], 40, 2)
            self.add(m.tube(stay, 0.1, 8), "rope")


def scene(folder: Path, sky: bool = True) -> Any:
    parts = workbench.written(Town(), folder)
    parts["sun"] = window((-130, -110, 120), (0, 20, 10), (30, 24), (26, 22.5, 17.5))
    if sky:
        parts["sky"] = {"type": "constant", "radiance": rgb((0.62, 0.74, 0.86))}
    return mi.load_dict(parts)


def truth(shot: Shot, width: int, height: int) -> dict[str, Any]:
    """How a frame lies over the first one."""
    first = np.linalg.inv(turned_px(0, shot, width, height))
    frames = [
        {"frame": frame, "homography": (turned_px(frame, shot, width, height) @ first).ravel().tolist()}
        for frame in range(FRAMES)
    ]
    return {"sky": "harbour.sky_0000.png: true coverage of the sky in the first frame, 16 bit", "frames": frames}
