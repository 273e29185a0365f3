"""The swipe plate: a clay hand that wipes through the air before the brick wall, twice, and taps; in between it leaves the picture.

Centimetres, z up. The hand is a right one, its back to the camera; its own axes are those of the picture: x right, z up."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from skimage.measure import marching_cubes

from demo.plates import meshes as m
from demo.plates import workbench, yard
from demo.plates.tracing import Shot, looking

Array = NDArray[np.float64]
FRAMES = 60
SIZE = 7.0  # cm from the middle of the palm to the middle knuckles is half of this
FINGERS = {  # where it begins and points in the palm's plane (in SIZE, z up), its length, its radius
    "index": ((-0.32, 0.42), (-0.16, 1.0), 0.72, 0.105),
    "middle": ((-0.10, 0.46), (-0.03, 1.0), 0.82, 0.108),
    "ring": ((0.12, 0.44), (0.08, 1.0), 0.74, 0.102),
    "little": ((0.32, 0.34), (0.22, 1.0), 0.56, 0.088),
}
THUMB = (((-0.36, -0.2), 0.15), ((-0.614, -0.041), 0.135), ((-0.785, 0.183), 0.12), ((-0.884, 0.379), 0.10))
WAY = (  # frame, x, z, turned degrees
    (0, -9, 11, -8), (8, -9, 11.5, -6), (18, 12, 12.5, 14), (24, 40, 12, 25), (32, 40, 12, 25),
    (38, 12, 12, 10), (42, 8, 12.5, 4), (50, -6, 11.5, -8), (54, -6, 12.6, -7), (56, -6, 11.2, -8), (59, -6, 11.6, -8),
)  # fmt: skip


def place(frame: float) -> Array:
    """x, z and turn of the hand; it passes through WAY without overshooting."""
    from scipy.interpolate import PchipInterpolator

    at = np.array(WAY, float)
    return PchipInterpolator(at[:, 0], at[:, 1:])(np.clip(frame, 0, FRAMES - 1))


def pose(frame: float) -> Array:
    x, z, turn = place(frame)
    return yard.posed(np.array([x, -8.0, z]), m.turned(0, turn, 0))


def finger(name: str) -> list[tuple[Array, float]]:
    """Joints (x, y, z) in SIZE and radii, base first."""
    base, towards, length, radius = FINGERS[name]
    way = np.array(towards) / np.hypot(*towards)
    along = np.cumsum([0, 0.46, 0.30, 0.24]) * length
    return [
        (np.array([base[0] + way[0] * a, -0.06 * a, base[1] + way[1] * a]), radius * r)
        for a, r in zip(along, (1, 0.95, 0.9, 0.82), strict=True)
    ]


def tips() -> dict[str, Array]:
    """(3,) in the hand's axes, cm: the ends of the fingers, as far as bone would reach."""
    return {name: finger(name)[-1][0] * SIZE for name in FINGERS}


PALM = (  # x, z, radius of both ends, in SIZE
    ((-0.28, -0.25, 0.20), (-0.30, 0.30, 0.17)), ((-0.08, -0.3, 0.2), (-0.08, 0.32, 0.17)),
    ((0.12, -0.28, 0.2), (0.13, 0.30, 0.17)), ((0.25, -0.25, 0.18), (0.30, 0.22, 0.15)), ((0, -0.45, 0.25), (0, -1.4, 0.26)),
)  # fmt: skip
MELT, CELL = 0.07, 0.02  # how softly parts run into each other, and how finely the clay is cut, in SIZE


def clay() -> m.Mesh:
    """The hand in one piece: capsules melted together by a smooth least distance, and its surface."""
    chains = [finger(name) for name in FINGERS] + [[(np.array([x, -0.04, z]), r) for (x, z), r in THUMB]]
    chains += [[(np.array([x0, 0, z0]), r0), (np.array([x1, 0, z1]), r1)] for (x0, z0, r0), (x1, z1, r1) in PALM]
    low, high = np.array([-1.1, -0.4, -1.3]), np.array([0.75, 0.4, 1.45])
    axes = [np.arange(a, b, CELL) for a, b in zip(low, high, strict=True)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), -1)
    distance = np.full(grid.shape[:3], 9.0)
    for chain in chains:
        for (a, ra), (b, rb) in zip(chain, chain[1:], strict=False):
            along = b - a
            t = np.clip((grid - a) @ along / (along @ along), 0, 1)[..., None]
            d = np.linalg.norm(grid - (a + t * along), axis=-1) - (ra + (rb - ra) * t[..., 0])
            blend = np.clip(0.5 + 0.5 * (distance - d) / MELT, 0, 1)
            distance = distance * (1 - blend) + d * blend - MELT * blend * (1 - blend)
    vertices, faces, _, _ = marching_cubes(distance, 0.0, spacing=(CELL,) * 3, gradient_direction="ascent")
    vertices = (vertices + low) * SIZE
    return m.Mesh(vertices, m.smooth_normals(vertices, faces), vertices[:, ::2] * 0.06, faces.astype(np.int64))


class Hand(workbench.Set):
    def __init__(self) -> None:
        self.rng = np.random.default_rng(45)
        self.things: list[tuple[m.Mesh, str]] = []
        self.add(clay(), "clay")
        cuff = m.rounded([(0.30, 0), (0.40, 0.1), (0.42, 0.5), (0.38, 2.4)], 30) * SIZE
        self.add(m.lathe(cuff, 40, (6, 3), 0.02, self.rng), "blue wool", (0, 0.05 * SIZE, -0.95 * SIZE), (180, 0, 0))


class Room(workbench.Set):
    def __init__(self) -> None:
        self.rng = np.random.default_rng(46)
        self.things: list[tuple[m.Mesh, str]] = []
        for build in (self.wall, self.bench, self.sign_and_chart, self.shelf, self.lantern):
            build()


def world_to_camera(frame: float) -> Array:
    shake = np.array([workbench.handheld(frame, seed) for seed in (31, 32, 33)])
    eye = np.array([0.0, -62, 17]) + 0.2 * shake
    return looking(
        eye, np.array([0.15 * workbench.handheld(frame, 34), 8, 13.5]), np.radians(0.2) * workbench.handheld(frame, 35)
    )


def shot(width: int, height: int) -> Shot:
    return Shot(width, height, 40.0, 0.45, world_to_camera, lambda f: float((world_to_camera(f) @ (0, -8, 14, 1))[2]))


def scenes(folder: Path) -> Callable[[float], Any]:
    moving = yard.Moving(folder, {"room": Room().things, "hand": Hand().things})
    return lambda moment: moving.scene([("room", np.eye(4)), ("hand", pose(moment))], yard.lights())


def truth(shot_: Shot) -> dict[str, Any]:
    """Where the ends of the fingers are seen; outside of the picture too."""
    frames = []
    for frame in range(FRAMES):
        ends = {name: (pose(frame) @ (*tip, 1))[:3] for name, tip in tips().items()}
        seen = {name: shot_.project(end[None], frame)[0].tolist() for name, end in ends.items()}
        frames.append({"frame": frame, "world_to_camera": world_to_camera(frame).tolist(), "fingertips_px": seen})
    return {"frames": frames}
