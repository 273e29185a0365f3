"""Clips with truth for plane tracking: a photograph on a card that turns in depth before another photograph, a 180-degree
shutter, changing light, grain, and on request a textured thing that crosses a third of it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

SIZE = (640, 360)
SUBFRAMES = 4
SHUTTER = 0.5
CARD = (300, 210)


@dataclass(frozen=True, eq=False)
class PlaneScene:
    """`frames` uint8; `corners` (frames, 4, 2) true corners averaged over the shutter, centres at + 0.5."""

    frames: list[NDArray[np.uint8]]
    corners: NDArray[np.float64]
    cover: NDArray[np.float64]  # (frames,) share of the card that is covered

    @property
    def size(self) -> tuple[int, int]:
        return SIZE

    def __len__(self) -> int:
        return len(self.frames)

    def frame(self, i: int) -> NDArray[np.uint8]:
        return self.frames[i]


def _projection(seed: int) -> tuple:  # type: ignore[type-arg]
    rng = np.random.default_rng(seed)
    phase, speed = rng.uniform(0, 6.28, 8), rng.uniform(0.05, 0.13, 8)
    turn, sway = rng.uniform(14, 38, 2), rng.uniform(25, 60, 2)
    return rng, phase, speed, turn, sway


def make(
    card: NDArray[np.float32], wall: NDArray[np.float32], seed: int, count: int = 40, covered: bool = False
) -> PlaneScene:
    rng, phase, speed, turn, sway = _projection(seed)
    w, h = SIZE
    focal = 1.1 * w
    card = cv2.resize(card, (CARD[0] * 2, CARD[1] * 2), interpolation=cv2.INTER_AREA)
    thing = cv2.resize(wall[::-1, ::-1], (300, 300))

    def homography(f: float) -> NDArray[np.float64]:
        """Card pixels (corner based) to picture pixels (corner based)."""
        a, b = np.radians(turn * np.sin(speed[:2] * f + phase[:2]))
        c = np.radians(8 * np.sin(speed[2] * f + phase[2]))
        rot = (
            cv2.Rodrigues(np.array([a, 0, 0.0]))[0]
            @ cv2.Rodrigues(np.array([0, b, 0.0]))[0]
            @ cv2.Rodrigues(np.array([0, 0, c]))[0]
        )
        shake = rng_free(f)
        t = np.array(
            [
                sway[0] * np.sin(speed[3] * f + phase[3]) + shake[0],
                0.6 * sway[1] * np.sin(speed[4] * f + phase[4]) + shake[1],
                focal * (1.15 + 0.25 * np.sin(speed[5] * f + phase[5])),
            ]
        )
        k = np.array([[focal, 0, w / 2], [0, focal, h / 2], [0, 0, 1]])
        place = np.array([[0.5, 0, -CARD[0] / 2], [0, 0.5, -CARD[1] / 2], [0, 0, 1]])  # card pixels are half units
        return k @ np.c_[rot[:, :2], t] @ place

    def rng_free(f: float) -> NDArray[np.float64]:
        return 1.5 * np.array([np.sin(1.9 * f + phase[6]), np.sin(2.3 * f + phase[7])])

    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    outline = np.array([[0, 0], [CARD[0] * 2, 0], [CARD[0] * 2, CARD[1] * 2], [0, CARD[1] * 2]], float)
    frames, corners, cover = [], [], []
    for f in range(count):
        light, places = np.zeros((h, w), np.float32), []
        for s in f + (np.arange(SUBFRAMES) + 0.5) / SUBFRAMES * SHUTTER - SHUTTER / 2:
            m = homography(s)
            p = np.c_[outline, np.ones(4)] @ m.T
            places.append(p[:, :2] / p[:, 2:])
            back = cv2.warpAffine(wall, np.array([[1, 0, -200 + 1.4 * s], [0, 1, -220 - 0.8 * s]]), (w, h))
            warped = half @ m @ np.linalg.inv(half)
            over = cv2.warpPerspective(card, warped, (w, h), flags=cv2.INTER_CUBIC)
            mask = cv2.warpPerspective(np.ones_like(card), warped, (w, h))
            picture = back * (1 - mask) + over * mask
            if covered:
                cx = places[-1][:, 0].mean() + 150 * np.sin(0.11 * s + seed)
                cy = places[-1][:, 1].mean() + 40 * np.cos(0.08 * s)
                m2 = np.array([[0.55, 0, cx - 82], [0, 0.55, cy - 82]])
                disc = np.zeros((300, 300), np.float32)
                cv2.circle(disc, (150, 150), 148, 1.0, -1)
                hole = cv2.warpAffine(disc, m2, (w, h))
                picture = picture * (1 - hole) + cv2.warpAffine(thing, m2, (w, h)) * hole
            light += picture
        corners.append(np.mean(places, 0))
        cover.append(float((mask * hole).sum() / mask.sum()) if covered else 0.0)
        picture = light / SUBFRAMES * (1 - 0.35 * f / count) + 5 + rng.normal(0, 2.2, (h, w))
        frames.append(np.clip(picture, 0, 255).astype(np.uint8))
    return PlaneScene(frames, np.array(corners), np.array(cover))
