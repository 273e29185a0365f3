"""The pilot puppet's head: sculpted with signed distances, meshed by marching cubes, painted on its vertices.

Centimetres; the face looks to -y, z is up, x is the viewer's right. Smooth unions after I. Quilez, "Smooth minimum"."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray
from skimage.measure import marching_cubes

from demo.plates.textures import step

Array = NDArray[np.float64]
EYE_CENTRE = np.array([3.15, -6.95, 0.9])
EYE_RADIUS = 1.22


@dataclass(frozen=True)
class Face:
    """``eyes``: 0 shut to 1 open; ``mouth``: 0 shut to 1 wide."""

    eyes: float = 1.0
    mouth: float = 0.0


@dataclass(frozen=True)
class Sculpture:
    vertices: Array
    normals: Array
    faces: NDArray[np.int64]
    colours: Array


def _join(a: Array, b: Array, width: float) -> Array:
    h = np.clip(0.5 + 0.5 * (b - a) / width, 0, 1)
    return b * (1 - h) + a * h - width * h * (1 - h)


def _cut(a: Array, b: Array, width: float) -> Array:
    """``a`` without ``b``, its new edge rounded."""
    return -_join(-a, b, width)


def _egg(points: Array, centre: ArrayLike, radii: ArrayLike) -> Array:
    offset, radii = points - np.asarray(centre), np.asarray(radii)
    near, far = np.linalg.norm(offset / radii, axis=-1), np.linalg.norm(offset / radii**2, axis=-1)
    return near * (near - 1) / (far + 1e-9)


def _bar(points: Array, a: ArrayLike, b: ArrayLike, start: float, end: float) -> Array:
    a, b = np.asarray(a, float), np.asarray(b, float)
    t = np.clip(((points - a) @ (b - a)) / ((b - a) @ (b - a)), 0, 1)
    return np.linalg.norm(points - a - t[..., None] * (b - a), axis=-1) - (start + (end - start) * t)


def distance(points: Array, face: Face) -> Array:
    """Signed distance of ``points`` (..., 3) to the head, negative inside."""
    both = points.copy()
    both[..., 0] = np.abs(both[..., 0])
    drop = face.mouth
    d = _egg(points, (0, 0.6, 3.0), (7.3, 9.2, 8.6))  # skull
    d = _join(d, _egg(points, (0, -2.8, -2.6), (5.7, 5.6, 7.2)), 2.2)  # front of the face
    d = _join(d, _egg(points, (0, -5.6, -8.3 - 0.5 * drop), (2.6, 2.4, 2.0)), 2.0)  # chin
    d = _join(d, _egg(both, (4.2, -5.2, -1.7), (2.3, 2.2, 1.9)), 1.6)  # cheeks
    d = _join(d, _bar(both, (0.6, -8.2, 2.55), (4.7, -6.6, 2.6), 0.75, 0.6), 1.1)  # brow
    d = _cut(d, _egg(both, (3.15, -8.6, 0.9), (1.9, 1.9, 1.25)), 0.9)  # eye sockets
    d = _join(d, _bar(points, (0, -8.2, 1.9), (0, -10.3, -2.2), 0.62, 0.95), 0.85)  # nose
    d = _join(d, _egg(points, (0, -10.3, -2.5), (1.05, 1.0, 0.9)), 0.5)
    d = _join(d, _egg(both, (1.15, -9.2, -2.75), (0.85, 0.95, 0.7)), 0.35)
    d = _cut(d, _egg(both, (0.62, -9.75, -3.35), (0.36, 0.5, 0.3)), 0.2)  # nostrils
    d = _join(d, _egg(points, (0, -8.0, -5.3), (2.6, 1.3, 1.7)), 1.0)  # mouth
    d = _join(d, _bar(both, (0.45, -9.25, -4.85), (1.9, -8.55, -5.2), 0.42, 0.2), 0.3)
    d = _join(d, _bar(both, (0, -9.2, -5.95 - 0.75 * drop), (1.6, -8.6, -5.6 - 0.5 * drop), 0.52, 0.24), 0.35)
    corner = (2.2 - 0.3 * np.sign(drop), -8.75, -5.3 - 0.3 * drop)
    d = _cut(d, _bar(both, (0, -9.75, -5.37), corner, 0.14 + 0.42 * drop, 0.08), 0.15)  # between the lips
    ball = np.linalg.norm(both - EYE_CENTRE, axis=-1) - EYE_RADIUS
    slit = _egg(both, EYE_CENTRE + (0, -1.3, 0.02), (1.28, 1.6, 0.05 + 0.51 * face.eyes))
    d = _cut(_join(d, ball - 0.20, 0.35), slit, 0.08)  # lids
    d = _cut(d, ball - 0.02, 0.05)
    ear = _cut(_egg(both, (7.3, 1.2, -0.3), (0.75, 1.7, 2.7)), _egg(both, (8.0, 0.9, -0.1), (0.6, 1.0, 1.8)), 0.3)
    return _join(_join(d, ear, 0.4), _bar(points, (0, 1.5, -5), (0, 2.0, -15), 4.0, 4.3), 1.5)  # and neck


def paint(vertices: Array, face: Face) -> Array:
    """Linear colour of each vertex: skin, flush, brows, lips, lashes."""
    rng = np.random.default_rng(0)
    both = np.abs(vertices) * (1, 0, 0) + vertices * (0, 1, 1)
    x, y, z = both.T
    waves = (
        np.sin(vertices @ rng.normal(0, s, 3) + rng.uniform(0, 6)) / (i + 2)
        for i, s in enumerate((0.7, 1.2, 2, 3.5, 6, 9))
    )
    colours = np.array([0.72, 0.46, 0.34]) * (1 + 0.05 * sum(waves))[:, None]

    def lay(colour: ArrayLike, amount: Array) -> None:
        colours[:] = colours * (1 - amount[:, None]) + np.asarray(colour) * amount[:, None]

    def about(centre: ArrayLike, reach: ArrayLike) -> Array:
        return np.exp(-(((both - np.asarray(centre)) / np.asarray(reach)) ** 2).sum(1))

    lay((0.68, 0.27, 0.22), 0.55 * about((4.3, -6.8, -2.2), (2.0, 3, 1.6)))
    lay((0.66, 0.28, 0.22), 0.45 * about((0, -10.6, -2.5), (1.2, 1.5, 1)))
    lay((0.42, 0.24, 0.18), 0.45 * about((3.15, -8, 2.0), (1.8, 2, 0.7)))
    lay((0.45, 0.24, 0.18), 0.3 * about((3.15, -8, -0.5), (1.5, 2, 0.5)))
    along = np.clip((x - 1.2) / 4.3, 0, 1)
    arch, thick = 3.05 + 0.45 * np.sin(along * 2.4) - 0.12 * (x - 1.2), 0.46 * (1 - 0.55 * along)
    brow = 1 - _edge(np.abs(z - arch), thick * 0.7, thick * 1.1)
    lay((0.055, 0.03, 0.02), 0.93 * brow * step(x, 1.0, 1.5) * (1 - step(x, 5.1, 5.6)) * (y < -4))
    mouth = np.clip(x / 2.25, 0, 1)
    upper = -4.62 - 0.55 * mouth**2 + 0.14 * np.exp(-(((x - 0.6) / 0.4) ** 2)) - 0.1 * np.exp(-((x / 0.25) ** 2))
    lower = -6.35 - 0.75 * face.mouth + 0.95 * mouth**2
    lay(
        (0.42, 0.08, 0.075),
        0.9 * step(upper - z, -0.08, 0.1) * step(z - lower, -0.08, 0.1) * (1 - step(x, 2.0, 2.35)) * (y < -7),
    )
    between = np.exp(-(((z + 5.37 + 0.3 * face.mouth) / (0.13 + 0.3 * face.mouth)) ** 2))
    lay((0.12, 0.03, 0.03), between * (1 - step(x, 1.9, 2.3)) * (y < -7.4))
    from_eye = both - EYE_CENTRE
    rim = np.hypot(from_eye[:, 0] / 1.36, (from_eye[:, 2] - 0.02) / (0.16 + 0.50 * face.eyes))
    lash = np.exp(-(((rim - (1.0 if face.eyes > 0.2 else 0.75)) / (0.13 + 0.35 * (1 - face.eyes))) ** 2))
    lay((0.03, 0.02, 0.02), 0.95 * lash * np.where(from_eye[:, 2] > 0, 1, 0.35) * (y < -7))
    return np.clip(colours, 0, 1)


def _edge(values: Array, low: Array, high: Array) -> Array:
    t = np.clip((values - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def sculpt(face: Face, cell: float = 0.18) -> Sculpture:
    low, high = np.array([-9.2, -12.2, -13.0]), np.array([9.2, 11.0, 12.5])
    xs, ys, zs = (np.arange(a, b, cell) for a, b in zip(low, high, strict=True))
    y, z = np.meshgrid(ys, zs, indexing="ij")
    field = np.stack([distance(np.stack([np.full_like(y, x), y, z], -1), face) for x in xs]).astype(np.float32)
    vertices, faces, _, _ = marching_cubes(field, 0.0)
    vertices = vertices * cell + low
    slopes = [distance(vertices + 0.01 * axis, face) - distance(vertices - 0.01 * axis, face) for axis in np.eye(3)]
    normals = np.stack(slopes, 1)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True) + 1e-9
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    if ((np.cross(b - a, c - a) * normals[faces[:, 0]]).sum(1) > 0).mean() < 0.5:
        faces = faces[:, ::-1]
    return Sculpture(vertices, normals, faces, paint(vertices, face))
