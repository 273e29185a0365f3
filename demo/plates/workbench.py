"""The quay plate: a handheld move along the pilot's workbench, a painted sign on a brick wall.

Centimetres, z up; the wall stands at y = 34, the top of the bench at z = 0."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

from demo.plates import meshes as m
from demo.plates import textures as t
from demo.plates.tracing import Paints, Shot, looking, rgb, window

Array = NDArray[np.float64]
FRAMES = 72
SIGN_CENTRE, SIGN_SIZE, SIGN_FACE = np.array([-9.0, 32.6, 27.5]), (36.0, 21.0), 31.65


def sign_corners() -> Array:
    """(4, 3) clockwise from the top left, as the camera sees it."""
    (x, _, z), (w, h) = SIGN_CENTRE, SIGN_SIZE
    return np.array([[x + a * w / 2, SIGN_FACE, z + b * h / 2] for a, b in ((-1, 1), (1, 1), (1, -1), (-1, -1))])


def handheld(frame: float, seed: int) -> float:
    """A slow sway with a faster tremor on it, frames at 24 a second."""
    rng = np.random.default_rng(seed)
    waves = ((0.23, 1.0), (0.61, 0.55), (1.3, 0.28), (2.9, 0.10), (5.1, 0.04))
    return float(sum(size * np.sin(2 * np.pi * rate * frame / 24 + rng.uniform(0, 6.28)) for rate, size in waves))


def world_to_camera(frame: float) -> Array:
    u = frame / (FRAMES - 1)
    along = u * u * (3 - 2 * u)
    shake = np.array([handheld(frame, 1), 0.6 * handheld(frame, 2), handheld(frame, 3)])
    eye = np.array([-20 + 34 * along, -80 + 10 * along, 26 - 4 * along]) + 0.55 * shake
    target = np.array([-5 + 9 * along + 0.45 * handheld(frame, 4), 14, 19.4 + 0.45 * handheld(frame, 5)])
    return looking(eye, target, np.radians(0.5) * handheld(frame, 6))


def shot(width: int, height: int) -> Shot:
    def focus(frame: float) -> float:
        return float((world_to_camera(frame) @ (2, 9, 8, 1))[2])

    return Shot(width, height, 40.0, 0.42, world_to_camera, focus)


def paints(folder: Path) -> Paints:
    p = Paints(folder)
    for name, seed, light, dark in (
        ("bench", 1, (0.60, 0.45, 0.30), (0.33, 0.21, 0.13)),
        ("pale", 2, (0.84, 0.70, 0.50), (0.60, 0.42, 0.25)),
        ("dark", 3, (0.42, 0.27, 0.17), (0.20, 0.12, 0.08)),
    ):
        p.textured(name, t.wood(768, 1536, seed, light, dark))
    coats = {
        "teal": (0.16, 0.42, 0.42),
        "red": (0.66, 0.17, 0.12),
        "ochre": (0.83, 0.59, 0.18),
        "white": (0.88, 0.86, 0.78),
        "navy": (0.12, 0.18, 0.33),
    }
    for seed, (name, coat) in enumerate(coats.items(), 4):
        p.textured(
            name, t.painted(t.wood(768, 1536, seed, (0.75, 0.58, 0.38), (0.45, 0.3, 0.18)), coat, seed + 50, 0.33)
        )
    peg = t.wood(512, 1024, 9, (0.86, 0.68, 0.50), (0.70, 0.50, 0.34), knots=0, scratches=15, rings=6)
    p.textured("skin", t.painted(peg, (0.90, 0.70, 0.54), 3, -0.4), 0.08, roughness=0.45)
    bricks = [(0.34, 0.19, 0.15), (0.52, 0.30, 0.22), (0.62, 0.42, 0.32), (0.46, 0.27, 0.22), (0.68, 0.50, 0.40)]
    p.textured("brick", t.mottled(1024, 1024, 11, bricks, 9, 0.02), 0.5, roughness=0.9)
    mortar = [(0.50, 0.46, 0.40), (0.66, 0.61, 0.53), (0.58, 0.54, 0.47)]
    p.textured("mortar", t.mottled(1024, 1024, 12, mortar, 30, 0.02), 0.5, roughness=0.95)
    p.textured(
        "red wool", t.cloth(512, 512, 13, (0.75, 0.2, 0.14), (0.4, 0.08, 0.06), 60), 0.5, roughness=0.9, sheen=0.6
    )
    p.textured(
        "blue wool", t.cloth(512, 512, 14, (0.2, 0.3, 0.42), (0.08, 0.13, 0.2), 60), 0.5, roughness=0.9, sheen=0.6
    )
    p.textured("sail", t.cloth(512, 512, 15, (0.90, 0.84, 0.70), (0.72, 0.62, 0.46), 90), 0.15, roughness=0.9)
    p.textured("rope", t.cloth(256, 256, 16, (0.78, 0.66, 0.45), (0.5, 0.38, 0.22), 30), roughness=0.9)
    iron = [(0.16, 0.15, 0.15), (0.26, 0.25, 0.25), (0.42, 0.24, 0.14), (0.2, 0.19, 0.19)]
    p.textured("iron", t.mottled(512, 512, 17, iron, 10, 0.02), 0.25, roughness=0.45, metallic=0.7)
    brass = [(0.55, 0.40, 0.16), (0.75, 0.58, 0.25), (0.45, 0.32, 0.15)]
    p.textured("brass", t.mottled(512, 512, 18, brass, 8, 0.01), 0.1, roughness=0.3, metallic=1.0)
    p.textured("sign", t.sign(), 0.25, roughness=0.5)
    p.textured("chart", t.chart(), 0.1, roughness=0.8)
    p.plain("clay", (0.74, 0.47, 0.35), roughness=0.6, specular=0.3, sheen=0.2)
    glossy = {
        "ink": (0.03, 0.03, 0.035),
        "blush": (0.78, 0.36, 0.28),
        "red lacquer": (0.6, 0.1, 0.07),
        "blue lacquer": (0.08, 0.2, 0.4),
        "yellow lacquer": (0.85, 0.55, 0.08),
    }
    for name, colour in glossy.items():
        p.plain(name, colour, roughness=0.3, specular=0.5, clearcoat=0.4, clearcoat_gloss=0.6)
    return p


class Set:
    """The things on and around the bench."""

    def __init__(self) -> None:
        self.rng = np.random.default_rng(42)
        self.things: list[tuple[m.Mesh, str]] = []
        for build in (
            self.wall,
            self.bench,
            self.sign_and_chart,
            self.shelf,
            self.boat,
            self.crate,
            self.rope,
            self.tools,
            self.litter,
            self.lantern,
        ):
            build()
        self.puppet((-17, 4, 0.05), 18, "ochre", "red wool", 1.0, 1)
        self.puppet((20, 3, 0.05), -24, "navy", "blue wool", 1.12, -1)

    def add(self, mesh: m.Mesh, material: str, at: Any = (0, 0, 0), turn: Any = (0, 0, 0), size: float = 1.0) -> None:
        self.things.append((mesh.placed(at, turn, size), material))

    def box(
        self, size: Any, material: str, at: Any, turn: Any = (0, 0, 0), bevel: float = 0.25, wobble: float = 0.04
    ) -> None:
        self.add(m.box(size, bevel, 0.03, self.rng.random(2) * 3, wobble, self.rng), material, at, turn)

    def wall(self) -> None:
        bricks = []
        for row in range(22):
            for column in range(18):
                size = (9.2 + self.rng.normal(0, 0.12), 3, 3.4 + self.rng.normal(0, 0.08))
                at = (-80 + (column + row % 2 / 2) * 9.9, 35.2 + self.rng.normal(0, 0.16), -14 + row * 4.05)
                turn = (0, self.rng.normal(0, 0.5), self.rng.normal(0, 0.6))
                bricks.append(m.box(size, 0.35, 0.03, self.rng.random(2) * 9, 0.06, self.rng).placed(at, turn))
        self.add(m.joined(bricks), "brick")
        self.add(m.box((190, 2, 110), 0.1), "mortar", (0, 35.35, 20))

    def bench(self) -> None:
        for y in np.arange(-30, 34, 10.2):
            plank = m.box((170, 10, 3), 0.3, 0.012, self.rng.random(2) * 5, 0.05, self.rng)
            self.add(
                plank,
                "bench",
                (self.rng.normal(0, 3), y, -1.5 + self.rng.normal(0, 0.06)),
                (0, 0, self.rng.normal(0, 0.12)),
            )

    def sign_and_chart(self) -> None:
        (x, y, z), (w, h) = SIGN_CENTRE, SIGN_SIZE
        self.add(m.upright((x, SIGN_FACE, z), w, h), "sign")
        self.add(m.box((w + 0.2, 1.8, h + 0.2), 0.15, 0.03), "pale", (x, y, z))
        nail = m.lathe(m.rounded([(0.01, 0.35), (0.3, 0.3), (0.42, 0)], 8), 18)
        for side in (-1, 1):
            for end in (-1, 1):
                self.add(nail, "iron", (x + side * (w / 2 - 0.75), SIGN_FACE, z + end * (h / 2 - 0.75)), (90, 0, 0))
        x, z, w, h = 26, 29, 21, 16.8
        self.add(m.upright((x, 32.4, z), w, h), "chart")
        for side in (-1, 1):
            self.box((w + 3, 1.6, 1.7), "dark", (x, 32.2, z + side * (h / 2 + 0.6)))
            self.box((1.7, 1.6, h + 0.2), "dark", (x + side * (w / 2 + 0.6), 32.2, z))

    def shelf(self) -> None:
        self.box((44, 8, 1.4), "pale", (28, 29.5, 14.2))
        for x in (12, 44):
            self.box((1.2, 6, 4), "dark", (x, 30, 11.6))
        jar = m.lathe(
            m.rounded([(0.01, 0), (2, 0), (2.2, 0.3), (2.2, 4.2), (1.8, 4.8), (1.8, 5.6), (0.01, 5.6)], 40),
            40,
            wobble=0.01,
            rng=self.rng,
        )
        lid = m.lathe(m.rounded([(0.01, 0), (1.9, 0), (1.95, 0.8), (0.01, 0.9)], 16), 32)
        for x, colour in ((11, "red lacquer"), (16.2, "yellow lacquer"), (21, "blue lacquer")):
            self.add(jar, colour, (x, 28.5, 14.9), size=0.82)
            self.add(lid, "brass", (x, 28.5, 19.5), size=0.85)
        x = 27.0
        for colour in ("red", "navy", "ochre", "teal", "dark", "white"):
            thick, tall = self.rng.uniform(1.2, 2.3), self.rng.uniform(7, 9.6)
            self.box(
                (thick, 6, tall),
                colour,
                (x + thick / 2, 29 + self.rng.normal(0, 0.3), 14.9 + tall / 2),
                (0, self.rng.normal(0, 1), 0),
            )
            x += thick + 0.12

    def boat(self) -> None:
        at, turn = (1, 12, 1.6), (0, 0, -14)
        u, v = np.meshgrid(np.linspace(-1, 1, 60), np.linspace(0, 1, 24))
        beam = 4.2 * (1 - np.abs(u) ** 2.4) * np.sin(v * np.pi / 2) ** 0.8
        z = (3.8 + 1.8 * u**2) * (1 - np.cos(v * np.pi / 2)) + 0.2 * v
        line = np.linspace(-1, 1, 60)
        for side in (-1, 1):
            hull = np.stack([u * 13 * (1 + 0.1 * v), side * beam, z], -1)
            self.add(m.sheet(hull, np.stack([u * 0.8, v * 0.9], -1), side > 0), "teal", at, turn)
            rail = np.stack([line * 14.3, side * 4.2 * (1 - np.abs(line) ** 2.4), 4 + 1.8 * line**2], 1)
            self.add(m.tube(rail, 0.28, 10), "white", at, turn)
        k, l = np.meshgrid(np.linspace(-1, 1, 12), line)
        deck = np.stack([l * 13.9, 4.05 * (1 - np.abs(l) ** 2.4) * k, 3.4 + 1.8 * l**2], -1)
        self.add(m.sheet(deck, deck[..., :2] * 0.06), "pale", at, turn)
        self.add(m.tube([[2, 0, 2], [2, 0, 12], [2, 0.1, 22.0]], [0.45, 0.4, 0.28], 14, (0.1, 1)), "pale", at, turn)
        u, v = np.meshgrid(np.linspace(0, 1, 30), np.linspace(0, 1, 30))
        belly = 1.6 * np.sin(np.pi * u) * (1 - v) + 0.25 * np.sin(9 * v + 4 * u)
        sail = np.stack([1.6 - 12.5 * u * (1 - v), belly, 7 + 14 * v - u * (1 - v)], -1)
        self.add(m.sheet(sail, np.stack([u, v], -1)), "sail", at, turn)
        for x in (-6, 6):
            self.box((1.6, 7, 3.4), "dark", (1 + x, 12 - x * np.tan(np.radians(14)), 1.2), turn, 0.3)

    def puppet(self, at: Any, turn: float, coat: str, wool: str, size: float, side: int) -> None:
        def put(mesh: m.Mesh, material: str) -> None:
            self.add(mesh, material, at, (0, 0, turn), size)

        body = [(0.01, 0), (3.1, 0), (3.2, 0.5), (2.9, 3), (2.3, 6), (1.9, 8.2), (0.9, 9.2), (0.8, 9.6)]
        put(m.lathe(m.rounded(body, 50), 48, (2, 1), 0.012, self.rng), coat)
        put(m.ball(2.4, (0, 0, 11.4), 36, 48), "skin")
        hat = [(2.2, 12.2), (2.75, 12.5), (2.75, 13.1), (2.35, 13.4), (2.2, 14.2), (1.2, 15.3), (0.01, 15.6)]
        put(m.lathe(m.rounded(hat, 40), 48, (6, 3), 0.02, self.rng), wool)
        put(m.ball(0.8, (0, 0, 15.9)), wool)
        scarf = m.rounded([(1.0, 8.4), (1.75, 8.7), (1.9, 9.2), (1.6, 9.7), (0.9, 9.8)], 16)
        put(m.lathe(scarf, 40, (8, 1), 0.03, self.rng), wool)
        s = np.linspace(0, 1, 14)[:, None]
        for x in (-1, 1):
            put(m.ball(0.27, (x * 0.85, -2.12, 11.75)), "ink")
            put(m.ball(0.42, (x * 1.35, -1.72, 10.75)), "blush")
            hand = np.array([x * 3.3, -1.8 - 1.2 * side, 5.6 if x * side < 0 else 7.6])
            arm = (1 - s) ** 2 * (x * 1.7, 0, 8.3) + 2 * s * (1 - s) * (x * 4.2, 0.4, 6.6) + s**2 * hand
            put(m.tube(arm, 0.62, 14, (0.3, 1)), coat)
            put(m.ball(0.72, hand), "skin")
        put(m.ball(0.4, (0, -2.5, 11.2)), "skin")
        a = np.linspace(-0.5, 0.5, 12)
        put(m.tube(np.stack([1.5 * np.sin(a), -2.36 + 0.5 * a**2, 10.75 - 0.62 * np.cos(2.2 * a)], 1), 0.07, 8), "ink")
        for y, z in ((-2.45, 7.2), (-2.75, 5.2), (-3.0, 3.2)):
            put(m.ball(0.24, (0, y, z)), "brass")

    def crate(self) -> None:
        for level in range(3):
            z = 1.2 + level * 2.25
            for end in (-1, 1):
                self.box((10, 0.6, 1.9), "pale", (36, 14 + end * 3.6, z), bevel=0.15)
                self.box((0.6, 7.2, 1.9), "pale", (36 + end * 4.6, 14, z), bevel=0.15)
        for i in range(7):
            stick = np.array([[0, 0, 0], [*self.rng.normal(0, 1, 2), 8], [*self.rng.normal(0, 2, 2), 14]])
            at = (33 + self.rng.random() * 7, 12.5 + self.rng.random() * 4, 1)
            self.add(m.tube(stick, 0.3, 10, (0.1, 1)), ("pale", "red", "dark", "white")[i % 4], at)

    def rope(self) -> None:
        t_ = np.linspace(0, 5 * 2 * np.pi, 500)
        r = 4.6 - 0.19 * t_ / (2 * np.pi)
        coil = np.stack([r * np.cos(t_), r * np.sin(t_), 0.55 + 0.42 * t_ / (2 * np.pi) + 0.1 * np.sin(3 * t_)], 1)
        tail = m.curve([[4.6, 0, 0.5], [6, 3, 0.5], [9, 3.5, 0.5], [12, 1, 0.5], [15, 2, 0.5], [17, 5, 0.5]], 160)
        for path in (coil, tail):
            self.add(m.tube(path, 0.55, 18, (0.5, 3), strands=3, twist=2.2), "rope", (-27, -6, 0))
        flange = m.rounded([(0.01, 0), (1.7, 0), (1.7, 0.5), (1.0, 0.8)], 12)
        reel = m.lathe(np.concatenate([flange, np.c_[flange[::-1, 0], 4.4 - flange[::-1, 1]]]), 32)
        t_ = np.linspace(0, 24 * 2 * np.pi, 700)
        thread = m.tube(np.stack([1.28 * np.cos(t_), 1.28 * np.sin(t_), 0.9 + 2.6 * t_ / t_[-1]], 1), 0.09, 6)
        for x, y, colour in ((-30, 6, "red"), (-27, 9.6, "blue"), (-33.5, 10, "yellow"), (9, -4, "red")):
            self.add(reel, "pale", (x, y, 0.05))
            self.add(thread, f"{colour} lacquer", (x, y, 0.05))

    def tools(self) -> None:
        mallet = m.rounded([(0.01, -3.2), (2, -3.2), (2.2, -2.8), (2.0, 0), (2.2, 2.8), (2, 3.2), (0.01, 3.2)], 40)
        self.add(m.lathe(mallet, 40), "dark", (3, -8, 2.15), (90, 0, 62))
        handle = m.curve([[0, 0, 0], [7, 0, -0.4], [15, 0, -1.3]], 30, 2)
        self.add(
            m.tube(handle, np.r_[np.full(10, 0.6), np.linspace(0.6, 0.85, 20)], 16, (0.06, 1)),
            "pale",
            (3, -8, 2.15),
            (0, 0, -28),
        )

    def litter(self) -> None:
        """Shavings and nails."""
        for _ in range(26):
            s, r = np.linspace(0, self.rng.uniform(4, 9), 60), self.rng.uniform(0.35, 0.8)
            curl = np.stack(
                [r * np.cos(s) * (1 + 0.05 * s), s * self.rng.uniform(0.15, 0.35), r + r * np.sin(s) * (1 + 0.02 * s)],
                1,
            )
            ribbon = curl[:, None] + np.array([0, 1, 0]) * np.linspace(-0.35, 0.35, 4)[None, :, None]
            at = (self.rng.uniform(-40, 40), self.rng.uniform(-20, 20), 0.05)
            self.add(m.sheet(ribbon, ribbon[..., :2] * 0.15), "pale", at, (0, 0, self.rng.uniform(0, 360)))
        shaft = m.tube([[0, 0, 0.12], [1.3, 0, 0.12], [2.6, 0, 0.16]], [0.02, 0.09, 0.09], 8)
        cap = m.lathe([(0.01, 0), (0.25, 0), (0.22, 0.08), (0.01, 0.1)], 12).placed((2.6, 0, 0.16), (0, 90, 0))
        for _ in range(30):
            at = (self.rng.uniform(-38, 38), self.rng.uniform(-22, 14), 0.02)
            self.add(m.joined([shaft, cap]), "iron", at, (0, 0, self.rng.uniform(0, 360)))

    def lantern(self) -> None:
        x, y = -37, 20
        self.box((6, 6, 1), "iron", (x, y, 0.5), bevel=0.3)
        self.box((6.4, 6.4, 0.9), "iron", (x, y, 11), bevel=0.3)
        for a in (-2.6, 2.6):
            for b in (-2.6, 2.6):
                self.box((0.6, 0.6, 10), "iron", (x + a, y + b, 5.7), bevel=0.15)


def written(set_: Set, folder: Path) -> dict[str, Any]:
    """The things of a set as parts of a scene, one file each."""
    materials = paints(folder).materials
    parts: dict[str, Any] = {"type": "scene"} | {f"paint {name}": material for name, material in materials.items()}
    for number, (mesh, material) in enumerate(set_.things):
        path = m.write_mesh(folder / f"{number:03d}.ply", mesh)
        parts[f"thing {number}"] = {
            "type": "ply",
            "filename": str(path),
            "bsdf": {"type": "ref", "id": f"paint {material}"},
        }
    return parts


def scene(folder: Path) -> Any:
    """The set, lit by a large cool window, a small warm one, the lantern and a faint sky."""
    parts = written(Set(), folder)
    parts["lamp"] = {
        "type": "sphere",
        "center": [-37, 20, 5.4],
        "radius": 1.3,
        "emitter": {"type": "area", "radiance": rgb((42, 20, 7))},
    }
    parts["cool window"] = window((-75, -40, 70), (0, 14, 8), (26, 20), (13.5, 13.8, 14.6))
    parts["warm window"] = window((80, -5, 45), (5, 15, 8), (10, 10), (13, 8.6, 5.0))
    parts["sky"] = {"type": "constant", "radiance": rgb((0.36, 0.39, 0.44))}
    return mi.load_dict(parts)


def truth(shot_: Shot) -> dict[str, Any]:
    corners = sign_corners()
    frames = [
        {
            "frame": frame,
            "world_to_camera": world_to_camera(frame).tolist(),
            "sign_corners_px_tl_tr_br_bl": shot_.project(corners, frame).tolist(),
        }
        for frame in range(FRAMES)
    ]
    return {"sign_corners_world_tl_tr_br_bl": corners.tolist(), "frames": frames}
