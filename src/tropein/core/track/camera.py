"""Solving the camera: what kind of move it is, where the camera was in each frame, and a cloud of points.

Points are followed through the clip; a bend of the lens is looked for and taken out; key frames are solved together by global
structure from motion (Pan et al., Global structure-from-motion revisited, ECCV 2024, in pycolmap), other frames are placed by PnP,
then everything is refined by bundle adjustment. A pan is told apart from a move and solved as pure rotation. A small
reprojection error alone proves nothing, so a solve is checked from other sides too and doubts are said.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.quiet import silenced
from tropein.core.raster.lens import Lens
from tropein.core.track.bundle import Bundle, adjust
from tropein.core.track.features import follow_features
from tropein.core.track.frames import Frames
from tropein.core.track.lens_search import find_lens
from tropein.core.track.mapping import largest_model, poses_and_points, write_database
from tropein.core.track.move_kind import Kind, kind_of_move
from tropein.core.track.optics import Optics
from tropein.core.track.pan import solve_pan
from tropein.core.track.solve_checks import Checks, check, confidence_of

Array = NDArray[np.float64]
KEY_FRAMES = 32
LEAST_MOTION_PX = 6.0


@dataclass(frozen=True)
class Known:
    """What the user knows: the focal length in pixels, and by what share of its way from the middle the picture's corner is seen too far
    out (0: a straight lens); None: to be found."""

    focal_px: float | None = None
    lens: float | None = None


@dataclass(frozen=True, eq=False)
class CameraSolve:
    """`poses` (frames, 3, 4) world to camera, NaN where unsolved (x right, y down, z forward); `errors` (frames,) mean
    reprojection error in pixels, `sure` (frames,) the chance that points are seen to within a pixel; `points` (n, 3) and their mean errors (n,). The principal point is the picture's middle (centres at
    + 0.5)."""

    kind: Kind
    optics: Optics
    first: int
    poses: Array
    errors: Array
    sure: Array
    points: Array
    point_errors: Array
    checks: Checks
    focal_sd: float
    notes: list[str] = field(default_factory=list)


def solve_camera(
    frames: Frames, span: tuple[int, int], known: Known = Known(),
    ignore: Callable[[int], NDArray[np.bool_] | None] = lambda frame: None,
    report: Callable[[int], None] = lambda frame: None,
) -> CameraSolve:  # fmt: skip
    """The camera of frames first..last. Raises BadInput, in words, when it cannot be told."""
    first, last = span
    if not 0 <= first < last < len(frames) or last - first < 7:
        raise BadInput("A camera needs at least eight frames, inside the clip.")
    tracks, cuts = follow_features(frames, span, ignore, report)
    notes = []
    if cuts:
        edges = [first, *cuts, last + 1]
        a, b = max(zip(edges, edges[1:], strict=False), key=lambda e: e[1] - e[0])
        notes.append(f"The footage is cut at {', '.join(map(str, cuts))}; the camera is solved from {a} to {b - 1}.")
        if b - a < 8:
            raise BadInput(f"{notes[0]} That is too short: choose a stretch without a cut.")
        tracks = tracks[:, a - first : b - first]
        tracks = tracks[(~np.isnan(tracks[..., 0])).sum(1) >= 4]
        first, last = a, b - 1
    if len(tracks) < 40:
        raise BadInput(
            "There is too little to follow in this stretch: the picture is flat, dark or blurred. Choose a stretch with more "
            "detail, or a longer one."
        )
    solve = solve_tracks(tracks, frames.size, known)
    return replace(solve, first=first, notes=notes + solve.notes)


def solve_tracks(tracks: Array, size: tuple[int, int], known: Known = Known()) -> CameraSolve:
    """The camera from points followed through a picture of `size`: (n, frames, 2) pixels, NaN where a point is not seen."""
    lens = find_lens(tracks, size) if known.lens is None else Lens.of_corner(known.lens, size) if known.lens else None
    straight = tracks if lens is None else lens.straight(tracks)
    kind, motion = kind_of_move(straight, size)
    if motion < LEAST_MOTION_PX:
        raise BadInput(
            f"The picture moves by {motion:.1f} pixels only: that is too little to tell a camera from. If the camera stands "
            "still, nothing needs solving; else choose a longer stretch."
        )
    if kind == "rotation":
        pan = solve_pan(tracks, size, known.focal_px, lens, known.lens is None)
        words = ["The camera only turns: things can be placed by direction, not by depth."]
        return CameraSolve(
            kind,
            pan.optics,
            0,
            pan.poses,
            *_frames(pan.errors),
            pan.directions,
            _mean(pan.errors, 1),
            Checks(0.0, 0.0, 1.0),
            0.0,
            words,
        )
    bundle, checks = solve_moving(tracks, size, known, lens)
    notes = list(checks.doubts)
    if kind == "planar":
        notes.insert(0, "Nearly all points lie in one plane: the focal length is unsure. Give it if it is known.")
    missing = int(np.isnan(bundle.poses[:, 0, 0]).sum())
    if missing:
        notes.append(f"{missing} frames could not be placed.")
    return CameraSolve(
        kind, bundle.optics, 0, bundle.poses, *_frames(bundle.errors), bundle.points, _mean(bundle.errors, 1), checks, bundle.focal_sd, notes
    )  # fmt: skip


def solve_moving(
    tracks: Array, size: tuple[int, int], known: Known = Known(), lens: Lens | None = None
) -> tuple[Bundle, Checks]:
    """A camera that moves, from tracks (n, frames, 2); `lens` is where the search for its bend begins. BadInput when too little
    agrees."""
    import pycolmap

    count = tracks.shape[1]
    straight = tracks if lens is None else lens.straight(tracks)
    keys = sorted({round(i) for i in np.linspace(0, count - 1, min(KEY_FRAMES, count))})
    free_focal = known.focal_px is None
    bundle, checks = None, None
    with silenced(), tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_database(
            pycolmap, folder / "points.db", straight, keys, size, known.focal_px or 1.2 * size[0], not free_focal
        )
        model = largest_model(pycolmap, folder, not free_focal)
        if model is not None:
            poses, points = poses_and_points(model, straight, keys)
            optics = Optics(float(next(iter(model.cameras.values())).params[0]), size)
            poses = _place_rest(straight, poses, points, optics)
            if known.lens is None:
                bent = Optics.through(lens, optics.focal, size)
                bundle = adjust(pycolmap, tracks, poses, points, bent, free_focal, True)
            else:  # held to in pixels, whatever the focal length becomes
                bundle = adjust(pycolmap, straight, poses, points, optics, free_focal, False)
                bundle = bundle and replace(bundle, optics=Optics.through(lens, bundle.optics.focal, size))
        if bundle is not None:
            checks = check(pycolmap, tracks, bundle, free_focal)
    if bundle is None or checks is None:
        raise BadInput(
            "The camera could not be solved: too few points agree on one move. Keep out what moves by itself, give the focal "
            "length if it is known, or choose a stretch with more sideways movement."
        )
    return bundle, checks


def _frames(errors: Array) -> tuple[Array, Array]:
    """Of each frame the mean error, and how sure it is; errors (n, frames)."""
    mean = _mean(errors, 0)
    return mean, confidence_of(mean, (~np.isnan(errors)).sum(0))


def _mean(errors: Array, axis: int) -> Array:
    """Means that leave out what does not count; NaN where nothing does."""
    counts = (~np.isnan(errors)).sum(axis)
    return np.where(counts > 0, np.nansum(errors, axis) / np.maximum(counts, 1), np.nan)


def _place_rest(straight: Array, poses: Array, points: Array, optics: Optics) -> Array:
    """Frames between the key frames by PnP from the nearest that is known."""
    k = optics.matrix
    out = poses.copy()
    for frame in range(straight.shape[1]):
        if not np.isnan(out[frame, 0, 0]):
            continue
        solved = np.flatnonzero(~np.isnan(out[:, 0, 0]))
        near = out[solved[np.argmin(np.abs(solved - frame))]]
        seen = ~np.isnan(straight[:, frame, 0]) & ~np.isnan(points[:, 0])
        if seen.sum() < 8:
            continue
        rvec, tvec = cv2.Rodrigues(near[:, :3])[0], near[:, 3:].copy()
        ok, rvec, tvec, inside = cv2.solvePnPRansac(
            points[seen], straight[seen, frame], k, None, rvec, tvec, True, 200, 3.0
        )
        if not ok or inside is None or len(inside) < 8:
            continue
        kept = inside[:, 0]
        rvec, tvec = cv2.solvePnPRefineLM(points[seen][kept], straight[seen, frame][kept], k, None, rvec, tvec)
        out[frame] = np.c_[cv2.Rodrigues(rvec)[0], tvec]
    return out
