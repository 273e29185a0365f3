"""A camera that only turns: one focal length, the bend of its lens, and a rotation for every frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.raster.lens import Lens
from tropein.core.track.optics import Optics

Array = NDArray[np.float64]
ROUNDS = 8
BEND_STEP = 0.02  # of the way to the corner: the first step of the search for the lens's bend
BENT_ENOUGH = 0.995  # a bend must lower the error to this share of a straight lens's
SEARCHED = 250  # tracks that the search looks at, the longest


@dataclass(frozen=True, eq=False)
class Pan:
    """`poses` (frames, 3, 4); `directions` (n, 3) of the tracks that have one; `errors` (n, frames) of these in pixels, NaN where a
    place does not count."""

    optics: Optics
    poses: Array
    directions: Array
    errors: Array


def solve_pan(
    tracks: Array,
    size: tuple[int, int],
    focal_px: float | None = None,
    lens: Lens | None = None,
    free_lens: bool = False,
) -> Pan:
    """The turning camera of tracks (n, frames, 2). `lens` is where the search for its bend begins if it is free, else what it is.

    For a focal length and a lens, rotations and directions are found by turns (Kabsch 1976, robustly weighted); those with the
    smallest error are right.
    """
    share = 0.0 if lens is None else lens.at_corner(size)
    some = tracks[np.argsort(-(~np.isnan(tracks[..., 0])).sum(1), kind="stable")[:SEARCHED]]
    focal = focal_px or _nearest_focal(some, size, _bent(share, size))
    if free_lens:
        straight = focal_px or (focal if share == 0 else _nearest_focal(some, size, None))
        focal, share = _with_bend(some, size, (focal, share), straight, focal_px)
    if free_lens and share != 0:
        focal, share = _search(tracks, size, (focal, share), focal_px, 0.3)[:2]
    elif focal_px is None:
        focal = _focal(tracks, size, focal, 0.03, _bent(share, size))
    rotations, directions, errors, _ = _solve(tracks, size, focal, _bent(share, size))
    poses = np.concatenate([rotations, np.zeros((len(rotations), 3, 1))], 2)
    known = ~np.isnan(directions[:, 0])
    return Pan(Optics.through(_bent(share, size), focal, size), poses, directions[known], errors[known])


def _bent(share: float, size: tuple[int, int]) -> Lens | None:
    return Lens.of_corner(share, size) if abs(share) > 1e-9 else None


def _nearest_focal(tracks: Array, size: tuple[int, int], lens: Lens | None) -> float:
    grid = np.geomspace(0.45, 6, 22) * size[0]
    return _focal(tracks, size, float(min(grid, key=lambda f: _solve(tracks, size, float(f), lens)[3])), 0.15, lens)


def _focal(tracks: Array, size: tuple[int, int], near: float, within: float, lens: Lens | None = None) -> float:
    found = scipy.optimize.minimize_scalar(
        lambda f: _solve(tracks, size, float(f), lens)[3], bounds=(near * (1 - within), near * (1 + within)), method="bounded",
        options={"xatol": 0.05},
    )  # fmt: skip
    return float(found.x)


def _with_bend(
    tracks: Array, size: tuple[int, int], start: tuple[float, float], straight: float, focal_px: float | None
) -> tuple[float, float]:
    """(focal length, bend in the corner), searched for together from `start`; or (`straight`, 0) where a bend explains no more."""
    focal, share, error = _search(tracks, size, start, focal_px)
    return (focal, share) if error < BENT_ENOUGH * _solve(tracks, size, straight, None)[3] else (straight, 0.0)


def _search(
    tracks: Array, size: tuple[int, int], start: tuple[float, float], focal_px: float | None, step: float = 1.0
) -> tuple[float, float, float]:
    """(focal length, bend in the corner, error) by simplex (Nelder & Mead 1965)."""

    def known(at: Array) -> tuple[float, float]:
        return focal_px or float(np.exp(at[0])), float(np.clip(at[1], -0.4, 0.4))

    def cost(at: Array) -> float:
        focal, share = known(at)
        return _solve(tracks, size, focal, _bent(share, size))[3]

    first = np.array([np.log(start[0]), start[1]])
    simplex = np.array([first, first + [step * BEND_STEP, 0], first + [0, step * BEND_STEP]])
    options = {"initial_simplex": simplex, "xatol": 2e-5, "fatol": 1e-6, "maxfev": 60}
    found = scipy.optimize.minimize(cost, first, method="Nelder-Mead", options=options)
    return *known(found.x), float(found.fun)


def _solve(tracks: Array, size: tuple[int, int], focal: float, lens: Lens | None) -> tuple[Array, Array, Array, float]:
    straight = tracks if lens is None else lens.straight(tracks)
    rays = np.concatenate([(straight - np.array(size) / 2) / focal, np.ones((*tracks.shape[:2], 1))], 2)
    rays /= np.linalg.norm(rays, axis=2, keepdims=True)
    seen = ~np.isnan(tracks[..., 0])
    count = tracks.shape[1]
    rotations = np.tile(np.eye(3), (count, 1, 1))
    for f in range(1, count):  # a first chain from frame to frame
        both = seen[:, f] & seen[:, f - 1]
        rotations[f] = _turn(rays[both, f - 1], rays[both, f], np.ones(both.sum())) @ rotations[f - 1]
    weights = seen.astype(float)
    for _ in range(ROUNDS):
        world = np.einsum("fji,tfj->tfi", rotations, np.nan_to_num(rays))
        directions = (world * weights[..., None]).sum(1)
        length = np.linalg.norm(directions, axis=1, keepdims=True)
        directions = np.where(length > 0, directions / np.maximum(length, 1e-12), np.nan)
        gap = np.linalg.norm(np.einsum("fij,tj->tfi", rotations, directions) - rays, axis=2) * focal
        limit = max(4.685 * 1.4826 * float(np.nanmedian(gap)), 0.5)
        weights = np.where(seen & (gap < limit), (1 - (np.nan_to_num(gap) / limit) ** 2) ** 2, 0)
        for f in range(1, count):
            used = weights[:, f] > 0
            if used.sum() >= 6:
                rotations[f] = _turn(directions[used], rays[used, f], weights[used, f])
    errors = np.where(weights > 0, gap, np.nan)
    # of points that do not fit the error stays at its limit, or a wrong focal length would look good by leaving them out
    total = np.where(seen, np.minimum(np.nan_to_num(errors, nan=limit), limit), 0)
    return rotations, directions, errors, float(np.sqrt((total**2).sum() / seen.sum()))


def _turn(a: Array, b: Array, weights: Array) -> Array:
    """The rotation that best takes directions a to b."""
    u, _, vt = np.linalg.svd((b * weights[:, None]).T @ a)
    return u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt
