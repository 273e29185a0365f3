"""Clips with truth for object tracking: balls, crates and wobbling cut-outs that turn, come nearer and are passed in front of,
before a photograph that slides; a 180-degree shutter, falling light, grain."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

SIZE = (640, 360)
SUBFRAMES = 4
SHUTTER = 0.5
ROOT = Path(__file__).parent.parent
Kind = Literal["ball", "crate", "blob"]
KINDS: tuple[Kind, ...] = ("ball", "crate", "blob")


def colours() -> dict[str, NDArray[np.float32]]:
    """(700, 900, 3) float pictures, 0..255, that no tracker was made on, and a frame of a demo plate."""
    from skimage import data

    found = {
        name: getattr(data, name)() for name in ("astronaut", "chelsea", "coffee", "rocket", "immunohistochemistry")
    }
    found["quay"] = cv2.VideoCapture(str(ROOT / "demo/plates/quay.mp4")).read()[1][..., ::-1]
    return {n: cv2.resize(p, (900, 700), interpolation=cv2.INTER_AREA).astype(np.float32) for n, p in found.items()}


@dataclass(frozen=True, eq=False)
class ObjectScene:
    """`pictures` (h, w, 3) uint8; `boxes` (frames, 5): the centre of the thing as it is seen (+ 0.5 centres), width, height,
    and roll in degrees; `cover` (frames,) the share of it that is hidden."""

    pictures: list[NDArray[np.uint8]]
    boxes: NDArray[np.float64]
    cover: NDArray[np.float64]
    alphas: list[NDArray[np.float32]]  # (h, w) how much of each pixel the thing covers, averaged over the shutter

    @property
    def size(self) -> tuple[int, int]:
        return SIZE

    def __len__(self) -> int:
        return len(self.pictures)

    def rgb(self, i: int) -> NDArray[np.uint8]:
        return self.pictures[i]

    def frame(self, i: int) -> NDArray[np.uint8]:
        return cv2.cvtColor(self.pictures[i], cv2.COLOR_RGB2GRAY)


def _turn(a: float, b: float, c: float) -> NDArray[np.float64]:
    """Pitch, yaw and roll in radians."""
    return (
        cv2.Rodrigues(np.array([0, 0, c]))[0]
        @ cv2.Rodrigues(np.array([0, b, 0.0]))[0]
        @ cv2.Rodrigues(np.array([a, 0, 0.0]))[0]
    )


def _laid(part: NDArray, mask: NDArray, corner: NDArray) -> tuple[NDArray, NDArray]:
    """A square part of the picture and its coverage, on the whole of it."""
    m = np.array([[1, 0, corner[0]], [0, 1, corner[1]]], float)
    return cv2.warpAffine(np.float32(part), m, SIZE), cv2.warpAffine(np.float32(mask), m, SIZE)


def _drawn(
    kind: Kind, skin: NDArray, half: NDArray, turn: NDArray, wobble: NDArray, place: NDArray, s: float
) -> tuple[NDArray, NDArray]:
    """The thing alone (h, w, 3) and its coverage (h, w), seen without perspective; z points away from the viewer."""
    w, h = SIZE
    corner = np.floor(place).astype(int) - 180
    x, y = np.meshgrid(corner[0] + np.arange(360) + 0.5, corner[1] + np.arange(360) + 0.5)
    u, v = (x - place[0]) / s, (y - place[1]) / s
    if kind == "ball":
        q = turn @ np.diag(1 / half**2) @ turn.T
        b, a = q[0, 2] * u + q[1, 2] * v, q[2, 2]
        c = q[0, 0] * u * u + 2 * q[0, 1] * u * v + q[1, 1] * v * v - 1
        inside = b * b - a * c
        z = (-b - np.sqrt(np.maximum(inside, 0))) / a
        body = np.stack([u, v, z], -1) @ turn / half
        tx = 450 + 230 * np.arctan2(body[..., 0], -body[..., 2])
        ty = 350 + 230 * np.arcsin(np.clip(body[..., 1], -1, 1))
        mask = np.clip(inside / a * half.mean() * s / 2 + 0.5, 0, 1)
        shade = 0.75 + 0.25 * np.clip(-(q @ np.array([0.5, 0.6, 1.0]))[2] * z + 0.3, 0, 1)
        picture = cv2.remap(skin, np.float32(tx), np.float32(ty), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        return _laid(picture * shade[..., None], mask, corner)
    if kind == "blob":
        flat = np.stack([u, v], -1) @ np.linalg.inv(turn[:2, :2] @ np.diag(half[:2])).T
        # the wobble's mean over the disc is taken off: it changes shape, and stays where it is
        du = flat[..., 0] + 0.10 * (np.sin(2.6 * flat[..., 1] + wobble[0]) - 0.362 * np.sin(wobble[0]))
        dv = flat[..., 1] + 0.10 * (np.sin(2.9 * flat[..., 0] + wobble[1]) - 0.259 * np.sin(wobble[1]))
        radius, angle = np.hypot(du, dv), np.arctan2(dv, du)
        edge = 0.86 + 0.08 * np.sin(3 * angle + 1) + 0.06 * np.sin(5 * angle)
        mask = np.clip((edge - radius) * s * half[:2].min() + 0.5, 0, 1)
        picture = cv2.remap(skin, np.float32(450 + 260 * du), np.float32(350 + 260 * dv), cv2.INTER_LINEAR,
                            borderMode=cv2.BORDER_REFLECT)  # fmt: skip
        return _laid(picture, mask, corner)
    picture, mask = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
    for axis in range(3):
        for side in (-1.0, 1.0):
            normal = turn[:, axis] * side
            if normal[2] > -0.02:
                continue
            i, j = [k for k in range(3) if k != axis]
            middle = place + s * (turn[:2, axis] * side * half[axis])
            e1, e2 = s * turn[:2, i] * half[i], s * turn[:2, j] * half[j]
            n = 240
            source = np.float32([[0, 0], [n, 0], [0, n]])
            to = np.float32([middle - e1 - e2, middle + e1 - e2, middle - e1 + e2])
            m = cv2.getAffineTransform(source, to)
            m[:, 2] += m[:, :2] @ [0.5, 0.5] - 0.5
            at = (60 + 130 * axis + int(60 * (side + 1)), 40 + 110 * axis)
            tile = skin[at[1] : at[1] + n, at[0] : at[0] + n] * (0.62 + 0.38 * -normal[2])
            one = cv2.warpAffine(np.ones((n, n), np.float32), m, SIZE)
            picture = picture * (1 - one[..., None]) + cv2.warpAffine(tile, m, SIZE)
            mask = np.maximum(mask, one)
    return picture / np.maximum(mask, 1e-3)[..., None], mask


def make(
    kind: Kind, skin: NDArray[np.float32], wall: NDArray[np.float32], seed: int, count: int = 60, passing: bool = True
) -> ObjectScene:
    rng = np.random.default_rng(seed)
    phase, speed = rng.uniform(0, 6.28, 10), rng.uniform(0.05, 0.12, 10)
    half = rng.uniform(46, 70) * np.array([1.0, rng.uniform(0.8, 1.25), rng.uniform(0.8, 1.1)])
    angle = rng.uniform(25, 60, 2) * ([0.6, 1.0] if kind != "blob" else [0.35, 0.5])
    sway = rng.uniform(60, 130), rng.uniform(20, 50)
    thing = cv2.resize(wall[::-1, ::-1], (500, 400))

    def pose(f: float) -> tuple[NDArray, NDArray, float, float]:
        roll = np.radians(8 * np.sin(speed[2] * f + phase[2]))
        a, b = np.radians(angle * np.sin(speed[:2] * f + phase[:2]))
        s = 1 + 0.22 * np.sin(speed[5] * f + phase[5])
        shake = 1.2 * np.array([np.sin(1.9 * f + phase[6]), np.sin(2.3 * f + phase[7])])
        place = np.array([SIZE[0] / 2 + sway[0] * np.sin(speed[3] * f + phase[3]),
                          SIZE[1] / 2 + sway[1] * np.sin(speed[4] * f + phase[4])])  # fmt: skip
        return _turn(a, b, roll), place + shake, s, np.degrees(roll)

    pictures, boxes, cover, alphas = [], [], [], []
    size: NDArray | None = None
    for f in range(count):
        light, rows, seen = np.zeros((*SIZE[::-1], 3), np.float32), [], np.zeros(SIZE[::-1], np.float32)
        for t in f + (np.arange(SUBFRAMES) + 0.5) / SUBFRAMES * SHUTTER - SHUTTER / 2:
            turn, place, s, roll = pose(t)
            back = cv2.warpAffine(
                wall, np.array([[1, 0, -120 + 1.2 * t], [0, 1, -150 - 0.7 * t]]), SIZE, borderMode=cv2.BORDER_REFLECT
            )
            over, mask = _drawn(kind, skin, half, turn, np.array([0.16 * t, 0.13 * t]), place, s)
            picture = back * (1 - mask[..., None]) + over * mask[..., None]
            hole = np.zeros(SIZE[::-1], np.float32)
            if passing:
                x = -220 + (t - 0.45 * count) / (0.3 * count) * (SIZE[0] + 440)
                m = np.array([[0.4, 0, x - 100], [0, 1.2, -40.0]])
                hole = cv2.warpAffine(np.ones((400, 500), np.float32), m, SIZE)
                picture = picture * (1 - hole[..., None]) + cv2.warpAffine(thing, m, SIZE)
            light += picture
            seen += mask * (1 - hole) / SUBFRAMES
            rows.append([*place, s, roll])
        here = np.mean(rows, 0)
        if size is None:  # the box a person would draw in the first frame, about the centre
            ys, xs = np.nonzero(mask > 0.5)
            size = 2 * np.array([np.abs(xs + 0.5 - place[0]).max(), np.abs(ys + 0.5 - place[1]).max()]) / here[2]
        boxes.append([here[0], here[1], size[0] * here[2], size[1] * here[2], here[3]])
        cover.append(float((mask * hole).sum() / max(mask.sum(), 1)))
        picture = light / SUBFRAMES * (1 - 0.3 * f / count) + 5 + rng.normal(0, 2.2, light.shape)
        alphas.append(seen)
        pictures.append(np.clip(picture, 0, 255).astype(np.uint8))
    return ObjectScene(pictures, np.array(boxes), np.array(cover), alphas)
