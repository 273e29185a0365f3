"""Small mesh makers for the miniature set. Centimetres, z up; every mesh carries normals and texture coordinates."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import PchipInterpolator, make_interp_spline

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Mesh:
    """``vertices`` and ``normals`` (n, 3), ``uv`` (n, 2), ``faces`` (m, 3) indices."""

    vertices: Array
    normals: Array
    uv: Array
    faces: NDArray[np.int64]

    def placed(self, at: ArrayLike = (0, 0, 0), turn: ArrayLike = (0, 0, 0), size: float = 1.0) -> Mesh:
        """Scaled by ``size``, turned by degrees about x, then y, then z, and moved ``at``."""
        rotation = turned(*np.asarray(turn, float))
        return replace(
            self,
            vertices=(self.vertices * size) @ rotation.T + np.asarray(at, float),
            normals=self.normals @ rotation.T,
        )


def turned(x: float = 0, y: float = 0, z: float = 0) -> Array:
    """The 3x3 rotation by degrees about x, then y, then z."""
    matrix = np.eye(3)
    for axis, degrees in ((0, x), (1, y), (2, z)):
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        i, j = ((1, 2), (2, 0), (0, 1))[axis]
        step = np.eye(3)
        step[[i, j, i, j], [i, j, j, i]] = (c, c, -s, s)
        matrix = step @ matrix
    return matrix


def unit(vectors: Array) -> Array:
    return vectors / (np.linalg.norm(vectors, axis=-1, keepdims=True) + 1e-12)


def smooth_normals(vertices: Array, faces: NDArray[np.int64]) -> Array:
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    of_faces = np.cross(b - a, c - a)
    normals = np.zeros_like(vertices)
    for k in range(3):
        np.add.at(normals, faces[:, k], of_faces)
    return unit(normals)


def grid_faces(across: int, down: int, flip: bool = False) -> NDArray[np.int64]:
    index = np.arange(across * down).reshape(down, across)
    a, b, c, d = index[:-1, :-1].ravel(), index[:-1, 1:].ravel(), index[1:, 1:].ravel(), index[1:, :-1].ravel()
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    return faces[:, ::-1] if flip else faces


def sheet(points: Array, uv: Array, flip: bool = False) -> Mesh:
    """A smooth sheet through a grid of ``points`` (down, across, 3)."""
    down, across = points.shape[:2]
    vertices, faces = points.reshape(-1, 3), grid_faces(across, down, flip)
    return Mesh(vertices, smooth_normals(vertices, faces), uv.reshape(-1, 2), faces)


def upright(centre: ArrayLike, width: float, height: float) -> Mesh:
    """A rectangle that faces -y, its texture the right way up."""
    x, z = width / 2, height / 2
    corners = np.array([[-x, 0, -z], [x, 0, -z], [x, 0, z], [-x, 0, z]]) + np.asarray(centre, float)
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], float)
    return Mesh(corners, np.tile([[0.0, -1.0, 0.0]], (4, 1)), uv, np.array([[0, 1, 2], [0, 2, 3]]))


def joined(parts: list[Mesh]) -> Mesh:
    starts = np.cumsum([0] + [len(part.vertices) for part in parts[:-1]])
    return Mesh(
        np.concatenate([part.vertices for part in parts]),
        np.concatenate([part.normals for part in parts]),
        np.concatenate([part.uv for part in parts]),
        np.concatenate([part.faces + start for part, start in zip(parts, starts, strict=True)]),
    )


def box(
    size: ArrayLike,
    bevel: float = 0.3,
    grain: float = 0.02,
    offset: ArrayLike = (0, 0),
    wobble: float = 0.0,
    rng: np.random.Generator | None = None,
) -> Mesh:
    """A box with rounded edges, centred. ``grain`` is texture per centimetre, along the longest side; ``wobble`` pushes it gently out of true, as a hand would."""
    half = np.asarray(size, float) / 2
    bevel = min(bevel, half.min() * 0.99)
    offset = np.asarray(offset, float)
    inner = half - bevel
    round_edge = bevel * np.tan(np.array([0, 0.3, 0.65, 1.0]) * np.pi / 4)
    parts = []
    for axis in range(3):
        a, b = (k for k in range(3) if k != axis)

        def along(h: float) -> Array:
            flat = np.linspace(-(h - bevel), h - bevel, 5)[1:-1]
            return np.concatenate([-(h - bevel) - round_edge[::-1], flat, h - bevel + round_edge])

        u, v = np.meshgrid(along(half[a]), along(half[b]))
        for side in (-1, 1):
            points = np.zeros((*u.shape, 3))
            points[..., a], points[..., b], points[..., axis] = u, v, side * half[axis]
            core = np.clip(points, -inner, inner)
            outward = unit(points - core)
            long, short = (u, v) if half[a] >= half[b] else (v, u)
            uv = np.stack([long, short], -1) * grain + offset + (0.13 * axis, 0.29 * side)
            faces = grid_faces(u.shape[1], u.shape[0], (side < 0) ^ (axis == 1))
            parts.append(
                Mesh((core + bevel * outward).reshape(-1, 3), outward.reshape(-1, 3), uv.reshape(-1, 2), faces)
            )
    mesh = joined(parts)
    if wobble and rng is not None:
        pushed = mesh.vertices.copy()
        phases, waves = rng.uniform(0, 6.28, 3), rng.uniform(0.5, 1.5, (3, 3)) / np.maximum(half, 0.5)
        for k in range(3):
            pushed[:, k] += wobble * np.sin(mesh.vertices @ waves[k] + phases[k])
        mesh = replace(mesh, vertices=pushed)
    return mesh


def lathe(
    profile: ArrayLike,
    sides: int = 64,
    repeat: ArrayLike = (1, 1),
    wobble: float = 0.0,
    rng: np.random.Generator | None = None,
) -> Mesh:
    """A turned shape from (radius, z) pairs, bottom to top."""
    outline = np.asarray(profile, float)
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    along = lengths(outline)
    radius = np.repeat(outline[:, :1], sides + 1, 1)
    if wobble and rng is not None:
        two, three = rng.uniform(0, 6, 2)
        radius *= 1 + wobble * (np.sin(2 * angle + two) + 0.6 * np.sin(3 * angle + three + 3 * along[:, None]))
    z = np.repeat(outline[:, 1:], sides + 1, 1)
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), z], -1)
    around, up = np.asarray(repeat, float)
    uv = np.stack(np.broadcast_arrays(angle / (2 * np.pi) * around, along[:, None] * up), -1)
    mesh = sheet(points, uv)
    normals = mesh.normals.reshape(len(outline), sides + 1, 3)
    seam = unit(normals[:, 0] + normals[:, -1])
    normals[:, 0] = normals[:, -1] = seam
    return replace(mesh, normals=normals.reshape(-1, 3))


def ball(radius: float, at: ArrayLike = (0, 0, 0), rings: int = 14, sides: int = 20) -> Mesh:
    t = np.linspace(0, np.pi, rings)
    return lathe(np.stack([radius * np.sin(t) + 1e-3, -radius * np.cos(t)], 1), sides).placed(at)


def rounded(points: ArrayLike, samples: int = 60) -> Array:
    """A profile drawn smoothly through (radius, z) ``points``."""
    outline = np.asarray(points, float)
    at = np.r_[0, np.cumsum(np.linalg.norm(np.diff(outline, axis=0), axis=1) + 1e-6)]
    fine = np.linspace(0, at[-1], samples)
    return np.stack(
        [np.maximum(PchipInterpolator(at, outline[:, 0])(fine), 1e-3), PchipInterpolator(at, outline[:, 1])(fine)], 1
    )


def curve(points: ArrayLike, samples: int, degree: int = 3) -> Array:
    """A spline through ``points`` (k, 3)."""
    through = np.asarray(points, float)
    return make_interp_spline(np.arange(len(through)), through, degree)(np.linspace(0, len(through) - 1, samples))


def lengths(path: Array) -> Array:
    """How far along ``path`` each point is, 0 to 1."""
    run = np.r_[0, np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))]
    return run / run[-1]


def tube(
    path: ArrayLike,
    radius: ArrayLike,
    sides: int = 14,
    repeat: ArrayLike = (1, 1),
    strands: int = 0,
    twist: float = 0.0,
) -> Mesh:
    """A tube along ``path`` (k, 3); with ``strands`` its skin is laid like a rope's."""
    points = np.asarray(path, float)
    ahead = unit(np.gradient(points, axis=0))
    across = np.zeros_like(points)
    reference = np.array([0, 0, 1.0]) if abs(ahead[0, 2]) < 0.9 else np.array([1.0, 0, 0])
    carried = np.cross(reference, ahead[0])
    for i, direction in enumerate(ahead):
        carried = unit(carried - direction * (carried @ direction))
        across[i] = carried
    other = np.cross(ahead, across)
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    run = np.r_[0, np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))]
    thickness = np.broadcast_to(radius, (len(points),))[:, None] * np.ones((1, sides + 1))
    if strands:
        thickness = thickness * (0.82 + 0.36 * np.abs(np.cos(strands / 2 * (angle + twist * run[:, None]))))
    ring = np.cos(angle)[None, :, None] * across[:, None] + np.sin(angle)[None, :, None] * other[:, None]
    u, v = np.asarray(repeat, float)
    uv = np.stack(np.broadcast_arrays(run[:, None] * u, angle / (2 * np.pi) * v), -1)
    return sheet(points[:, None] + thickness[..., None] * ring, uv, flip=True)


def write(path: Path, vertices: Array, normals: Array, faces: NDArray[np.int64], **attributes: Array) -> Path:
    """A binary PLY file; ``attributes`` are named columns of numbers, one for each vertex."""
    columns = {"x": vertices[:, 0], "y": vertices[:, 1], "z": vertices[:, 2]}
    columns |= {"nx": normals[:, 0], "ny": normals[:, 1], "nz": normals[:, 2]} | attributes
    points = np.zeros(len(vertices), [(name, "<f4") for name in columns])
    for name, values in columns.items():
        points[name] = values
    sides = np.zeros(len(faces), [("count", "u1"), ("index", "<i4", 3)])
    sides["count"], sides["index"] = 3, faces
    header = ["ply", "format binary_little_endian 1.0", f"element vertex {len(points)}"]
    header += [f"property float {name}" for name in columns]
    header += [f"element face {len(sides)}", "property list uchar int vertex_indices", "end_header", ""]
    path.write_bytes("\n".join(header).encode() + points.tobytes() + sides.tobytes())
    return path


def write_mesh(path: Path, mesh: Mesh) -> Path:
    return write(path, mesh.vertices, mesh.normals, mesh.faces, u=mesh.uv[:, 0], v=mesh.uv[:, 1])
