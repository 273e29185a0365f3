"""The spinner plate: a brass-bound ship's wheel on a cart that is drawn along the bench.

The set's own bench, wall and paints; centimetres, z up. The cart eases from one side to the other while the wheel turns."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

from demo.plates import meshes as m
from demo.plates import workbench
from demo.plates.tracing import Shot, looking, rgb, transform, window

Array = NDArray[np.float64]
FRAMES = 60
HUB_HEIGHT, HUB_NEAR, RIM = 15.5, 3.0, 8.2  # cm: over the bench, before the post, radius of the rim
CART_RADIUS = 2.1


def cart_at(frame: float) -> float:
    """How far along the bench the cart stands, in cm."""
    u = np.clip(frame / (FRAMES - 1), 0, 1)
    return float(-15 + 30 * u * u * (3 - 2 * u))


def wheel_deg(frame: float) -> float:
    """How far the wheel is turned, clockwise as the camera sees it."""
    u = np.clip(frame / (FRAMES - 1), 0, 1)
    return float(64 * u * u * (3 - 2 * u))


def hub(frame: float) -> Array:
    return np.array([cart_at(frame), 2.0 - HUB_NEAR, HUB_HEIGHT])


def world_to_camera(frame: float) -> Array:
    shake = np.array([workbench.handheld(frame, seed) for seed in (11, 12, 13)])
    eye = np.array([0.0, -72, 21]) + 0.35 * shake
    target = np.array([0.12 * cart_at(frame) + 0.25 * workbench.handheld(frame, 14), 8, 13.6])
    return looking(eye, target, np.radians(0.3) * workbench.handheld(frame, 15))


def shot(width: int, height: int) -> Shot:
    return Shot(width, height, 42.0, 0.35, world_to_camera, lambda f: float((world_to_camera(f) @ (*hub(f), 1))[2]))


class Yard(workbench.Set):
    """The bench with a few of its things, the cart, and the wheel in its own axes (it turns about y)."""

    def __init__(self) -> None:
        self.rng = np.random.default_rng(43)
        self.things: list[tuple[m.Mesh, str]] = []
        for build in (self.wall, self.bench, self.shelf, self.litter, self.crate, self.rope):
            build()
        self.cart = self._made(self._cart)
        self.wheel = self._made(self._wheel)
        self.roller = self._made(self._roller)

    def _made(self, build: Any) -> list[tuple[m.Mesh, str]]:
        kept, self.things = self.things, []
        build()
        made, self.things = self.things, kept
        return made

    def _cart(self) -> None:
        self.box((17, 9, 1.6), "red", (0, 3, 4.6))
        for x in (-1, 1):
            self.box((1.0, 9.4, 0.9), "iron", (7.4 * x, 3, 3.6), bevel=0.15)
        self.box((2.2, 1.8, 14), "dark", (0, 4.4, 11.0))
        for side in (-1, 1):
            self.box((1.2, 1.2, 8.6), "dark", (side * 3.2, 4.4, 8.4), (0, -side * 34, 0))
        axle = m.lathe([(0.01, -1.8), (0.55, -1.8), (0.55, 3.2), (0.01, 3.2)], 24)
        self.add(axle, "brass", (0, 2.2, HUB_HEIGHT), (90, 0, 0))
        line = m.curve([[8.4, 3, 4.4], [16, 2.6, 2.2], [28, 2.2, 0.7], [60, 2, 0.6]], 80)
        self.add(m.tube(line, 0.28, 10, (0.5, 3), strands=3, twist=2.2), "rope")

    def _roller(self) -> None:
        disc = [(0.3, -0.5), (1.9, -0.5), (2.1, -0.4), (2.1, 0.4), (1.9, 0.5), (0.3, 0.5)]
        self.add(m.lathe(m.rounded(disc, 30), 40, (4, 1)), "pale", turn=(90, 0, 0))
        for k in range(5):
            a = np.radians(72 * k)
            self.add(m.ball(0.24, (1.2 * np.cos(a), -0.52, 1.2 * np.sin(a))), "iron")

    def _wheel(self) -> None:
        a = np.linspace(0, 2 * np.pi, 121)
        ring = np.stack([np.cos(a), np.zeros_like(a), np.sin(a)], 1)
        self.add(m.tube(ring * RIM, 0.95, 18, (0.06, 1)), "dark")
        for radius, at in ((RIM - 0.55, -0.75), (RIM + 0.55, -0.75)):
            self.add(m.tube(ring * radius + (0, at, 0), 0.22, 10), "brass")
        boss = [(0.01, -1.3), (1.0, -1.2), (2.3, -0.7), (2.5, 0.4), (2.2, 0.9), (0.01, 0.9)]
        self.add(m.lathe(m.rounded(boss, 40), 48), "brass", turn=(-90, 0, 0))
        grip = m.rounded([(0.3, 0), (0.36, 2.2), (0.62, 3.4), (0.34, 4.6), (0.55, 6.6), (0.32, 7.4)], 40)
        handle = m.rounded([(0.32, 0), (0.42, 0.8), (0.62, 1.9), (0.5, 2.8), (0.55, 3.1), (0.01, 3.4)], 30)
        for k in range(8):
            turn = (0, 45 * k, 0)
            out = m.turned(*turn) @ np.array([0, 0, 1.0])
            self.add(m.lathe(grip, 24), "pale", out * 1.6, turn)
            self.add(m.lathe(handle, 24), "red lacquer" if k == 0 else "pale", out * (RIM + 0.6), turn)
            self.add(m.ball(0.2, out * RIM + (0, -0.95, 0)), "brass")


class Moving:
    """A scene some of whose groups move: what stands still is written once, and every group is one file for each of its things."""

    def __init__(self, folder: Path, groups: dict[str, list[tuple[m.Mesh, str]]]) -> None:
        self._materials = workbench.paints(folder).materials
        self._groups = {
            name: [
                (m.write_mesh(folder / f"{name}.{i:03d}.ply", mesh), paint) for i, (mesh, paint) in enumerate(things)
            ]
            for name, things in groups.items()
        }

    def scene(self, placed: list[tuple[str, Array]], lights: dict[str, Any]) -> Any:
        """Groups by name, each at a 4x4 pose; a group may come several times."""
        parts: dict[str, Any] = {"type": "scene"} | {f"paint {k}": v for k, v in self._materials.items()} | lights
        for number, (name, pose) in enumerate(placed):
            for i, (path, paint) in enumerate(self._groups[name]):
                parts[f"{name} {number} {i}"] = {
                    "type": "ply",
                    "filename": str(path),
                    "to_world": transform(pose),
                    "bsdf": {"type": "ref", "id": f"paint {paint}"},
                }
        return mi.load_dict(parts)


def posed(at: Array, turn: Array | None = None) -> Array:
    """4x4: a 3x3 turn, then a place."""
    pose = np.eye(4)
    pose[:3, :3], pose[:3, 3] = np.eye(3) if turn is None else turn, at
    return pose


def lights() -> dict[str, Any]:
    return {
        "cool window": window((-75, -40, 70), (0, 14, 8), (26, 20), (13.5, 13.8, 14.6)),
        "warm window": window((80, -35, 45), (5, 5, 8), (12, 12), (16, 10.4, 6.0)),
        "sky": {"type": "constant", "radiance": rgb((0.36, 0.39, 0.44))},
    }


def scenes(folder: Path) -> Callable[[float], Any]:
    """The yard at any moment."""
    yard = Yard()
    moving = Moving(folder, {"still": yard.things, "cart": yard.cart, "wheel": yard.wheel, "roller": yard.roller})

    def at(moment: float) -> Any:
        along = cart_at(moment)
        rolled = m.turned(0, np.degrees(along / CART_RADIUS), 0)
        corners = [np.array([along + x, y, CART_RADIUS]) for x in (-6, 6) for y in (-1.2, 7.2)]
        rollers = [("roller", posed(corner, rolled)) for corner in corners]
        wheel = ("wheel", posed(hub(moment), m.turned(0, wheel_deg(moment), 0)))
        return moving.scene([("still", np.eye(4)), ("cart", posed(np.array([along, 0, 0]))), wheel, *rollers], lights())

    return at


def truth(shot_: Shot) -> dict[str, Any]:
    """Where the hub is seen, how the wheel is turned, and the camera."""
    frames = [
        {
            "frame": frame,
            "world_to_camera": world_to_camera(frame).tolist(),
            "hub_px": shot_.project(hub(frame)[None], frame)[0].tolist(),
            "wheel_deg": wheel_deg(frame),
        }
        for frame in range(FRAMES)
    ]
    return {"rim_cm": RIM, "frames": frames}
