"""What speaks against a solved camera, beyond its reprojection error, which a wrong solve can have small too."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.track.bundle import PASSES, Bundle, adjust

Array = NDArray[np.float64]
LITTLE_PARALLAX_DEG = 1.0
FOCAL_UNSURE = 0.02  # of the focal length: a lens that much longer is just seen in a card that stands in the scene
HALVES_APART = 0.02  # of the path's extent
CELLS = (8, 5)
LEAST_CELLS = 0.25
# logistic weights of the chance that points are seen to within 1 px of where they are, by the log of the mean error (px) over the root
# of how many points a frame shows; fitted by bench/camera_track.py --calibrate
LOGISTIC = (-15.57, -11.44)
JUMP_SHARE, JUMP_TIMES = 0.02, 12.0  # of the path's extent, and of the usual change of its step


@dataclass(frozen=True)
class Checks:
    """`parallax_deg` the median angle under which a point is seen; `halves_apart` how far the paths from either half of the points
    lie apart, as a share of their extent; `spread` the share of the picture that holds points; `doubts` in words."""

    parallax_deg: float
    halves_apart: float
    spread: float
    doubts: list[str] = field(default_factory=list)


def check(pycolmap: Any, tracks: Array, bundle: Bundle, free_focal: bool) -> Checks:
    """Looks at a bundle of tracks (n, frames, 2) from all sides."""
    doubts = []
    parallax = parallax_deg(bundle)
    if parallax < LITTLE_PARALLAX_DEG:
        doubts.append(f"There is little parallax ({parallax:.1f} degrees): depth is unreliable.")
    share = bundle.focal_sd / bundle.optics.focal
    if share > FOCAL_UNSURE:
        doubts.append(f"The focal length is unsure by {share:.0%}. Give it if it is known.")
    covered = spread(tracks[bundle.kept], bundle)
    if covered < LEAST_CELLS:
        doubts.append(
            f"The points that agree cover {covered:.0%} of the picture: they may lie on one thing that moves by itself. Keep that out, "
            "and solve again."
        )
    apart = halves_apart(pycolmap, tracks, bundle, free_focal)
    if apart > HALVES_APART:
        doubts.append("Two halves of the points do not give the same path: depth and movement are unreliable.")
    jumps = jumps_at(bundle.poses)
    if jumps:
        doubts.append(f"The path jumps at frame {', '.join(map(str, jumps[:3]))}.")
    return Checks(parallax, apart, covered, doubts)


def confidence_of(errors: Array, counts: Array) -> Array:
    """How sure each frame is: mean errors (frames,) in pixels, NaN where unsolved, and how many points they are of."""
    with np.errstate(divide="ignore", invalid="ignore"):
        z = LOGISTIC[0] + LOGISTIC[1] * np.log(np.maximum(errors, 1e-3) / np.sqrt(np.maximum(counts, 1)))
    return np.nan_to_num(1 / (1 + np.exp(-np.clip(z, -30, 30))))


def centres(poses: Array) -> Array:
    """(frames, 3) where cameras (frames, 3, 4) stand."""
    return -np.einsum("nji,nj->ni", poses[:, :, :3], poses[:, :, 3])


def path_gap(poses: Array, like: Array) -> float:
    """Rms distance between two paths of cameras (frames, 3, 4) after the best similarity (Umeyama 1991), as a share of the extent
    of the second. Frames unsolved (NaN) in either do not count."""
    both = ~np.isnan(poses[:, 0, 0]) & ~np.isnan(like[:, 0, 0])
    a, b = centres(poses[both]), centres(like[both])
    extent = float(np.linalg.norm(b.max(0) - b.min(0)))
    a, b = a - a.mean(0), b - b.mean(0)
    u, s, vt = np.linalg.svd(b.T @ a)
    sign = np.array([1, 1, np.sign(np.linalg.det(u @ vt))])
    moved = (s * sign).sum() / max(float((a**2).sum()), 1e-30) * a @ (u @ np.diag(sign) @ vt).T
    return float(np.sqrt(((moved - b) ** 2).sum(1).mean()) / max(extent, 1e-30))


def parallax_deg(bundle: Bundle) -> float:
    """The median angle between the outermost rays to a point."""
    rays = bundle.points[:, None] - centres(bundle.poses)[None]
    rays /= np.linalg.norm(rays, axis=2, keepdims=True)
    rays[np.isnan(bundle.errors)] = np.nan
    low, high = np.nanmin(rays, 1), np.nanmax(rays, 1)
    return float(np.degrees(np.nanmedian(np.linalg.norm(high - low, axis=1))))


def spread(tracks: Array, bundle: Bundle) -> float:
    """The share of a grid over the picture that holds points, in the median frame."""
    cells = np.clip(np.nan_to_num(tracks / np.array(bundle.optics.size) * CELLS).astype(int), 0, np.array(CELLS) - 1)
    numbers = np.where(np.isnan(bundle.errors), -1, cells[..., 0] * CELLS[1] + cells[..., 1])
    held = [len(np.unique(column[column >= 0])) for column in numbers.T]
    return float(np.median([n for n in held if n] or [0])) / (CELLS[0] * CELLS[1])


def halves_apart(pycolmap: Any, tracks: Array, bundle: Bundle, free_focal: bool) -> float:
    """How far the paths lie apart that either half of the points gives on its own, as a share of their extent."""
    paths = []
    for half in (0, 1):
        mine = bundle.kept[half::2]
        points = np.full((len(tracks), 3), np.nan)
        points[mine] = bundle.points[half::2]
        some = np.where(np.isin(np.arange(len(tracks)), mine)[:, None, None], tracks, np.nan)
        again = adjust(pycolmap, some, bundle.poses, points, bundle.optics, free_focal, False, PASSES[-1:])
        if again is None:
            return 1.0
        paths.append(again.poses)
    return path_gap(*paths)


def jumps_at(poses: Array) -> list[int]:
    """Frames at which the path's step changes far more than it usually does."""
    path = centres(poses)
    change = np.linalg.norm(path[2:] - 2 * path[1:-1] + path[:-2], axis=1)
    if not np.isfinite(change).any():
        return []
    extent = float(np.linalg.norm(np.nanmax(path, 0) - np.nanmin(path, 0)))
    line = max(JUMP_SHARE * extent, JUMP_TIMES * float(np.nanmedian(change)))
    found = np.flatnonzero(np.nan_to_num(change) > line) + 1
    return [int(f) for i, f in enumerate(found) if i == 0 or f - found[i - 1] > 2]
