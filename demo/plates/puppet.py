"""The pilot and caster plates: one puppet, head and shoulders, before the harbour at dusk or a blue screen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

from demo.plates import meshes as m
from demo.plates import textures as t
from demo.plates.head import EYE_CENTRE, EYE_RADIUS, Face, sculpt
from demo.plates.tracing import Shot, bitmap, looking, rgb, surface, transform, window

Array = NDArray[np.float64]
Keys = Sequence[tuple[float, float]]
FIELD, EYE, TARGET = 27.0, np.array([0, -104, 1.5]), np.array([0, 0, -1.2])
IRIS_DEPTH = 0.92  # of the eye's radius along its axis: where the iris is taken to lie


def eased(keys: Keys, frame: float) -> float:
    times, values = zip(*keys, strict=True)
    i = int(np.clip(np.searchsorted(times, frame, side="right") - 1, 0, len(times) - 2))
    u = np.clip((frame - times[i]) / (times[i + 1] - times[i]), 0, 1)
    return float(values[i] + (values[i + 1] - values[i]) * u * u * (3 - 2 * u))


@dataclass(frozen=True)
class Acting:
    """What the puppet does, as keys of (frame, degrees | cm | 0..1)."""

    frames: int
    screen: bool
    yaw: Keys
    pitch: Keys
    roll: Keys
    sway: Keys
    eyes: Keys
    mouth: Keys

    def face(self, frame: float) -> Face:
        """In a few steps only, so that sculptures are shared between frames."""
        return Face(round(eased(self.eyes, frame) * 4) / 4, round(eased(self.mouth, frame) * 3) / 3)

    def head_to_world(self, frame: float) -> Array:
        pose = np.eye(4)
        turns = (eased(self.pitch, frame), eased(self.roll, frame), eased(self.yaw, frame))
        pose[:3, :3] = m.turned(z=turns[2]) @ m.turned(x=turns[0]) @ m.turned(y=turns[1])
        pose[0, 3] = eased(self.sway, frame)
        return pose

    def world_to_camera(self, frame: float) -> Array:
        if self.screen:
            return looking(EYE, TARGET)
        shake = [_shake(frame, seed) for seed in (1, 2, 3, 4)]
        return looking(EYE + 0.5 * np.array([shake[0], 0, shake[1]]), TARGET + 0.35 * np.array([shake[2], 0, shake[3]]))


def _shake(frame: float, seed: int) -> float:
    rng = np.random.default_rng(seed)
    return float(
        sum(
            size * np.sin(2 * np.pi * rate * frame / 24 + rng.uniform(0, 6.28))
            for rate, size in ((0.3, 1), (0.7, 0.5), (1.7, 0.2))
        )
    )


PITCH = [(0, 2), (18, -4), (36, 6), (52, -3), (71, 2)]
PILOT = Acting(
    frames=72,
    screen=False,
    yaw=[(0, -16), (22, -16), (40, 18), (54, 20), (71, -4)],
    pitch=PITCH,
    roll=[(0, -2), (30, 3), (55, -4), (71, 1)],
    sway=[(0, -1.5), (30, 1.6), (50, 0.4), (71, -1.0)],
    eyes=[(0, 1), (18, 1), (21, 0), (22, 0), (26, 1), (46, 1), (49, 0), (50, 0), (54, 1), (71, 1)],
    mouth=[
        (0, 0),
        (28, 0),
        (31, 0.8),
        (34, 0.2),
        (37, 1),
        (41, 0.3),
        (44, 0.7),
        (48, 0),
        (58, 0),
        (61, 0.6),
        (65, 0),
        (71, 0),
    ],
)
CASTER = replace(
    PILOT,
    frames=40,
    screen=True,
    yaw=[(0, 30), (20, -24), (47, 26)],
    roll=[(0, 6), (20, -10), (47, 8)],
    sway=[(0, -7), (20, 6), (47, -5)],
    eyes=[(0, 1), (71, 1)],
    mouth=[(0, 0), (71, 0)],
)
GAZE = [(0, 6), (24, 6), (30, -6), (71, 4)]


def shot(acting: Acting, width: int, height: int) -> Shot:
    distance = float(np.linalg.norm(EYE - TARGET) - 8)
    return Shot(width, height, FIELD, 0.5 if acting.screen else 1.1, acting.world_to_camera, lambda _: distance)


def eyeball(gaze: float) -> m.Mesh:
    """Its pole is the line of sight, with the cornea's bulge."""
    away, around = np.meshgrid(np.linspace(0, np.pi, 48), np.linspace(0, 2 * np.pi, 65), indexing="ij")
    bulge = 1 + 0.045 * np.exp(-((away / 0.42) ** 2))
    points = EYE_RADIUS * np.stack(
        [np.sin(away) * np.cos(around), -np.cos(away) * bulge, np.sin(away) * np.sin(around)], -1
    )
    mesh = m.sheet(points, np.stack([around / (2 * np.pi), away / np.pi], -1))
    return replace(mesh, normals=m.unit(mesh.vertices)).placed(turn=(0, 0, gaze))


def hair(strands: int = 3600) -> list[Array]:
    """Strands (9, 4) of x, y, z, radius: combed over the skull step by step, with fly-aways and a loose fringe."""
    rng = np.random.default_rng(3)
    centre, radii = np.array([0, 0.6, 3.0]), np.array([7.35, 9.25, 8.65])
    combed: list[Array] = []
    while len(combed) < strands:
        root = m.unit(rng.normal(0, 1, 3))
        if root[2] < 0 or (root[1] < -0.5 and root[2] < 0.66):
            continue
        at, side, fringe = (
            centre + root * radii,
            np.sign(root[0] * radii[0] - 1.6 + rng.normal(0, 0.9)),
            root[1] < -0.15,
        )
        wild = rng.random() < 0.07
        length = rng.uniform(4.5, 8.5) * (0.62 if fringe else 1)
        lift = 0.02 + 0.05 * rng.random() * (1.6 - root[2] * 0.8)
        heading = np.array([side * (0.75 if fringe else 0.7), -0.55 if fringe else 0.55, -0.2]) + rng.normal(0, 0.22, 3)
        points = [at]
        for joint in range(1, 9):
            heading = heading + (0, 0, -0.16) + rng.normal(0, 0.22 if wild else 0.06, 3)
            outward = m.unit((at - centre) / radii**2)
            if wild:
                heading += outward * 0.10
            else:
                heading -= outward * (heading @ outward) * (0.9 if joint < 7 else 0.4)
            heading = m.unit(heading)
            at = at + heading * length / 8
            height = np.linalg.norm((at - centre) / radii)
            least = 1.012 + lift * np.sin(min(1.0, joint / 5) * np.pi / 2)
            if height < least:
                at = centre + (at - centre) / height * least
            points.append(at)
        combed.append(np.c_[points, np.linspace(0.075, 0.025, 9)])
    return combed


class Puppet:
    def __init__(self, acting: Acting, folder: Path) -> None:
        self.acting, self.folder = acting, folder
        self._strands = hair()
        self._sculpted: dict[Face, Path] = {}
        self._eye = surface(
            bitmap(t.save(folder / "eye.png", t.iris())),
            roughness=0.12,
            specular=0.5,
            clearcoat=0.8,
            clearcoat_gloss=0.95,
        )
        wool, knit = t.cloth(512, 512, 21, (0.78, 0.60, 0.22), (0.40, 0.27, 0.08), 40)
        self._wool = surface(
            bitmap(t.save(folder / "wool.png", wool)),
            bitmap(t.save(folder / "knit.png", knit), raw=True),
            0.6,
            roughness=0.9,
            sheen=0.5,
        )
        outline = [
            (0.01, -30),
            (13, -30),
            (13.5, -24),
            (12, -18),
            (8.2, -14.2),
            (6.7, -12.4),
            (6.4, -10.4),
            (6.0, -10.1),
        ]
        jumper = m.lathe(m.rounded(outline, 50), 72, (10, 8))
        shaped = jumper.vertices * (1.2, 0.95, 1) + (0, 1.4, 0)
        self._jumper = m.write_mesh(
            folder / "jumper.ply", replace(jumper, vertices=shaped, normals=m.smooth_normals(shaped, jumper.faces))
        )
        if not acting.screen:
            sky = mi.Bitmap(np.ascontiguousarray(t.dusk()[::-1]))
            sky.write(str(folder / "dusk.exr"))

    def _head(self, face: Face) -> Path:
        if face not in self._sculpted:
            made = sculpt(face)
            path = self.folder / f"head {len(self._sculpted)}.ply"
            r, g, b = made.colours.T
            self._sculpted[face] = m.write(path, made.vertices, made.normals, made.faces, r=r, g=g, b=b)
        return self._sculpted[face]

    def _hair(self, pose: Array) -> Path:
        path = self.folder / "hair.txt"
        with path.open("w") as file:
            for strand in self._strands:
                moved = np.c_[strand[:, :3] @ pose[:3, :3].T + pose[:3, 3], strand[:, 3]]
                np.savetxt(file, moved, fmt="%.4f")
                file.write("\n")
        return path

    def scene(self, frame: float, screen: bool = True) -> Any:
        """At a moment. Without ``screen`` nothing is behind the puppet: what is left is its coverage."""
        pose = self.acting.head_to_world(frame)
        placed, standing = transform(pose), np.eye(4)
        standing[:3, 3] = pose[:3, 3]
        skin = surface({"type": "mesh_attribute", "name": "vertex_color"}, roughness=0.48, sheen=0.15)
        parts: dict[str, Any] = {
            "type": "scene",
            "head": {
                "type": "ply",
                "filename": str(self._head(self.acting.face(frame))),
                "to_world": placed,
                "bsdf": skin,
            },
            "jumper": {
                "type": "ply",
                "filename": str(self._jumper),
                "to_world": transform(standing),
                "bsdf": self._wool,
            },
            "hair": {
                "type": "bsplinecurve",
                "filename": str(self._hair(pose)),
                "bsdf": {
                    "type": "principled",
                    "base_color": rgb((0.11, 0.05, 0.022)),
                    "roughness": 0.38,
                    "specular": 0.5,
                },
            },
        }
        ball = m.write_mesh(self.folder / "eyeball.ply", eyeball(eased(GAZE, frame)))
        for side in (-1, 1):
            at = placed @ mi.ScalarTransform4f().translate(list(EYE_CENTRE * (side, 1, 1)))
            parts[f"eye {side}"] = {"type": "ply", "filename": str(ball), "to_world": at, "bsdf": self._eye}
        studio = self.acting.screen
        parts["key"] = window((-55, -60, 45), (0, -5, 0), (20, 20), (15, 15, 15) if studio else (17, 15.5, 13))
        parts["rim"] = window((50, 45, 35), (0, 0, 0), (12, 16), (12, 12, 12) if studio else (20, 11, 5))
        parts["fill"] = {"type": "constant", "radiance": rgb((0.25, 0.25, 0.27) if studio else (0.16, 0.19, 0.26))}
        if studio and screen:
            parts["screen"] = _wall((0, 34, 0), (90, 60)) | {"bsdf": surface_matt((0.02, 0.07, 0.62))}
            parts["screen light"] = window((-40, 0, 48), (-6, 34, 0), (14, 14), (14, 14, 14))
        elif not studio:
            light = {"type": "area", "radiance": bitmap(self.folder / "dusk.exr", raw=True)}
            parts["dusk"] = _wall((0, 150, 2), (128, 57)) | {"emitter": light}
        return mi.load_dict(parts)


def surface_matt(colour: tuple[float, float, float]) -> dict[str, Any]:
    return {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": rgb(colour)}}


def _wall(at: tuple[float, float, float], half: tuple[float, float]) -> dict[str, Any]:
    stand = mi.ScalarTransform4f().translate(list(at)) @ mi.ScalarTransform4f().rotate([1, 0, 0], 90)
    return {"type": "rectangle", "to_world": stand @ mi.ScalarTransform4f().scale([*half, 1])}


def truth(acting: Acting, shot_: Shot) -> dict[str, Any]:
    frames = []
    for frame in range(acting.frames):
        pose = acting.head_to_world(frame)
        looking = m.turned(z=eased(GAZE, frame)) @ (0, -EYE_RADIUS * IRIS_DEPTH, 0)
        irises = [EYE_CENTRE * (side, 1, 1) + looking for side in (-1, 1)]
        world = np.c_[irises, np.ones(2)] @ pose.T
        frames.append(
            {
                "frame": frame,
                "head_to_world": pose.tolist(),
                "world_to_camera": acting.world_to_camera(frame).tolist(),
                "iris_px_viewer_left_right": shot_.project(world[:, :3], frame).tolist(),
                "eye_open": round(eased(acting.eyes, frame), 3),
                "mouth_open": round(eased(acting.mouth, frame), 3),
            }
        )
    return {"frames": frames}
