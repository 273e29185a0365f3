"""How particles are seen: before the frame, or by the camera of a scene; and what each looks like at its age."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.drawn import curve_values, points_of
from tropein.core.raster.hashed import of_each
from tropein.core.raster.specks import SPECK, specks
from tropein.core.raster.warp import apply

Array = NDArray[np.float64]
FOCAL = 1.2  # of the frame's width, as for cards before the frame
NEAREST = 0.05  # of the way to the frame: what comes nearer has passed the lens


@dataclass(frozen=True, eq=False)
class Seen:
    """Where particles are seen, (n, 2) pixels of the picture; how far each goes while the shutter is open, and how large a pixel of its own
    is there, before the picture's scale."""

    at: Array
    way: Array
    size: Array


@dataclass(frozen=True, eq=False)
class Scene:
    """What sees particles in depth, now and at both ends of the shutter, and (frames, 4, 4) the model of the frame each was born in."""

    now: Any
    opens: Any
    closes: Any
    models: Array

    def numbers(self) -> list[Any]:
        views = (self.now, self.opens, self.closes)
        cameras = [(v.camera.pose, v.camera.focal, v.camera.centre, v.camera.radial, v.carried) for v in views]
        return [cameras, self.models]


def seen_before_frame(values: dict[str, Any], found: Array, scale: float) -> tuple[NDArray[np.int64], Seen]:
    """(those before the lens, far ones first; how it sees them): the lens before the frame."""
    w, h = values["size"]
    focal = FOCAL * w
    away = focal + found[:, 2]
    order = np.arange(len(found))
    if len(found) and (values["deep"] > 0 or away.min() <= NEAREST * focal):
        # in 65,000 steps of depth: whole numbers are sorted in one pass
        order = np.argsort(
            ((away.max() - away) * (65535 / max(float(np.ptp(away)), 1e-6))).astype(np.uint16), kind="stable"
        )
        order = order[away[order] > NEAREST * focal]
        away = away[order]
    size = focal / away  # of what lies at the frame
    at, way = np.empty((len(order), 2)), np.empty((len(order), 2))
    nearing, by = found[order, 5] / focal, size * (values["shutter"] * values["streak"] * scale)
    for i, middle in enumerate((w / 2, h / 2)):
        aside = (found[order, i] - middle) * size
        at[:, i] = (aside + middle) * scale
        way[:, i] = (found[order, 3 + i] - aside * nearing) * by
    return order, Seen(at, way, size)


def seen_in_scene(
    values: dict[str, Any], found: Array, frames: NDArray[np.int64], scene: Scene, scale: float, part: tuple[float, float] | None
) -> tuple[NDArray[np.int64], Seen]:  # fmt: skip
    """The same as the camera of a scene has it, that moves while its shutter is open; of a part only what lies between its distances."""
    models = scene.models[frames]
    p = np.einsum("nij,nj->ni", models[:, :3, :3], found[:, :3]) + models[:, :3, 3]
    v = np.einsum("nij,nj->ni", models[:, :3, :3], found[:, 3:6])
    unit = np.cbrt(np.abs(np.linalg.det(scene.models[:, :3, :3])))[frames]
    if values["lands"] != "through":  # the floor lies at 0, and y is down
        below = p[:, 1] >= 0
        p[below, 1], v[below] = 0.0, 0.0
    camera = scene.now.camera
    away = p @ camera.pose[2, :3] + camera.pose[2, 3]
    grown = np.cbrt(abs(np.linalg.det(camera.pose[:3, :3])))  # the camera's units in the scene's
    near = unit * grown * NEAREST * values["size"][0]
    kept = away > np.maximum(near, 1e-9)
    if values["lands"] == "gone":
        kept &= ~below
    if part is not None:
        kept &= (away <= part[0]) & (away > part[1])
    order = np.flatnonzero(kept)
    order = order[np.argsort(-away[order], kind="stable")]
    p, v, away = p[order], v[order], away[order]
    half = values["shutter"] / 2
    at = _through(scene.now, p)
    way = (_through(scene.closes, p + v * half) - _through(scene.opens, p - v * half)) * values["streak"]
    stretch = math.sqrt(abs(float(np.linalg.det(scene.now.carried[:2, :2]))))
    size = camera.focal * unit[order] * grown / np.maximum(away, 1e-9) * stretch
    return order, Seen(at * scale, way * scale, size)


def _through(view: Any, points: Array) -> Array:
    """Where points (n, 3) of a scene are seen in the shot, its lens included."""
    camera = view.camera
    c = points @ camera.pose[:3, :3].T + camera.pose[:3, 3]
    xy = camera.centre + camera.focal * c[:, :2] / np.maximum(c[:, 2:], 1e-9)
    if camera.lens is not None:
        xy = camera.lens.seen(xy)
    return np.asarray(apply(view.carried, xy)) if len(xy) else xy


def looking(values: dict[str, Any], found: Array, numbers: NDArray[np.uint64], seen: Seen, seconds: float, seed: int, scale: float) -> NDArray[np.float32]:  # fmt: skip
    """Rows of SPECK: what is seen of particles with their looks."""
    at, way, size = seen.at, seen.way, seen.size
    share = found[:, 7]
    varied = 1 + values["radius_varies"] * (2 * of_each(seed, numbers, 9) ** 2 - 1)  # most are small
    radius = values["radius"] * varied * curve_values(points_of(values["growth"]), share) * size * scale
    opacity = values["opacity"] * np.clip(curve_values(points_of(values["fading"]), share), 0, 1)
    flick = values["flicker"]
    if flick > 0:
        own = of_each(seed, numbers, 10)
        waves = np.sin(6.2832 * (seconds * (5 + 6 * own) + own)) * np.sin(
            6.2832 * (seconds * (2.3 + 3 * own) + 7 * own)
        )
        opacity = opacity * (1 - flick * (0.5 + 0.5 * waves))
    first, last = (np.array(values[n]) for n in ("colour", "colour_end"))
    light = (first + share[:, None] * (last - first)) * values["light"]
    out = np.empty((len(found), len(SPECK)), np.float32)
    out[:, 0:2], out[:, 2:4], out[:, 4], out[:, 5], out[:, 6:9] = at, way, np.maximum(radius, 0), opacity, light
    out[:, 9], out[:, 10] = values["covers"], values["opening"] * share
    for column, attribute, by in ((11, 11, 6.2832), (12, 12, 1.0), (13, 13, 1.0)):  # where in the noise
        out[:, column] = of_each(seed, numbers, attribute) * by if values["breakup"] else 0
    return out


def aged(values: dict[str, Any], ages: Array, side: int) -> NDArray[np.float32]:
    """(side, side * n, 4) one particle at ages 0..1, as large as fits, and as dense as it gets."""
    n = len(ages)
    found, numbers = np.zeros((n, 8)), np.full(n, ONE, np.uint64)
    found[:, 7] = ages
    at = np.column_stack([(np.arange(n) + 0.5) * side, np.full(n, side / 2)])
    full = {"radius": FILLS * side / 2, "radius_varies": 0.0, "flicker": 0.0}
    growth = curve_values(points_of(values["growth"]), np.linspace(0, 1, 33))
    fading = curve_values(points_of(values["fading"]), np.linspace(0, 1, 33))
    by = 1 / max(float(growth.max()), 1e-6)
    seen = Seen(at, np.zeros((n, 2)), np.full(n, by))
    opacity = DENSE / max(float(fading.max()), 1e-6) if values["covers"] > 0 else 1 / max(float(fading.max()), 1e-6)
    of = looking(values | full | {"opacity": opacity}, found, numbers, seen, 0.0, int(values["seed"]), 1.0)
    return specks(of, side, side * n, values["breakup"], values["soft"])


ONE, FILLS, DENSE = 7, 1.15, 0.9  # which one it is; how much of the side, and how dense
