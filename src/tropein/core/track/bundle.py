"""Bundle adjustment of a camera's poses, points, focal length and lens (Triggs et al. 2000, in pycolmap), with what does not fit
put aside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.track.optics import Optics, reprojection_errors
from tropein.core.track.uncertainty import standard_deviations

Array = NDArray[np.float64]
POINTS_KEPT = 600
LEAST_POINTS = 20
FITS_PX = 2.0
SETTLED = 1e-7  # an adjustment ends when a step lowers its cost by no more than this share
PASSES = (("SOFT_L1", 4.0, 6.0), ("CAUCHY", 1.5, FITS_PX))  # loss, its scale, and what is put aside before
SURE_OF_BEND, LEAST_BEND_PX = 5.0, 1.0  # a lens is straight within so many standard deviations, or pixels in the corner


@dataclass(frozen=True, eq=False)
class Bundle:
    """`poses` (frames, 3, 4), NaN where unsolved; `kept` (n,) which tracks the `points` (n, 3) belong to; `errors` (n, frames) in
    pixels, NaN where a place does not count; `focal_sd` in pixels."""

    optics: Optics
    poses: Array
    kept: NDArray[np.intp]
    points: Array
    errors: Array
    focal_sd: float


def adjust(
    pycolmap: Any, tracks: Array, poses: Array, points: Array, optics: Optics, free_focal: bool, free_lens: bool,
    wanted: tuple[tuple[str, float, float], ...] = PASSES,
) -> Bundle | None:  # fmt: skip
    """In passes: gently, then with what does not fit put aside. A lens that cannot be told from a straight one is straight.

    tracks (n, frames, 2) in pixels; poses (frames, 3, 4) and points (n, 3), NaN where unknown. None when too little is left.
    """
    solved = np.flatnonzero(~np.isnan(poses[:, 0, 0]))
    if len(solved) < 4:
        return None
    poses, points = poses.copy(), points.copy()
    _triangulate_rest(optics.straightened(tracks), poses, points, optics)
    usable = np.flatnonzero(~np.isnan(points[:, 0]))
    length = (~np.isnan(tracks[usable][:, solved, 0])).sum(1)
    usable = usable[np.argsort(-length)[:POINTS_KEPT]]
    passes = list(wanted)
    while passes:
        loss, scale, gate = passes.pop(0)
        errors = reprojection_errors(tracks[usable][:, solved], poses[solved], points[usable], optics)
        fits = errors < gate
        keep = (fits.sum(1) >= np.maximum(3, 0.6 * (~np.isnan(errors)).sum(1))) & np.isfinite(points[usable]).all(1)
        usable, fits = usable[keep], fits[keep]
        if len(usable) < LEAST_POINTS:
            return None
        optics, poses[solved], points[usable] = _solve(
            pycolmap,
            tracks[usable][:, solved],
            fits,
            poses[solved],
            points[usable],
            optics,
            free_focal,
            free_lens,
            loss,
            scale,
        )
        errors = reprojection_errors(tracks[usable][:, solved], poses[solved], points[usable], optics)
        errors[errors > FITS_PX] = np.nan
        focal_sd, bend_sd = standard_deviations(
            tracks[usable][:, solved], poses[solved], points[usable], optics, errors
        )
        if free_lens and _about_straight(optics, bend_sd):
            optics, free_lens, passes = optics.unbent(), False, [PASSES[-1]]
    every = np.full((len(usable), len(poses)), np.nan)
    every[:, solved] = errors
    return Bundle(optics, poses, usable, points[usable], every, focal_sd if free_focal else 0.0)


def _about_straight(optics: Optics, sd: float) -> bool:
    corner = float(np.hypot(*optics.size)) / 2
    shift = abs(optics.radial) * corner**3 / optics.focal**2
    return abs(optics.radial) < SURE_OF_BEND * sd or shift < LEAST_BEND_PX


def _solve(
    pycolmap: Any, tracks: Array, fits: NDArray[np.bool_], poses: Array, points: Array, optics: Optics,
    free_focal: bool, free_lens: bool, loss: str, scale: float,
) -> tuple[Optics, Array, Array]:  # fmt: skip
    """One adjustment of all that is handed in; `fits` (n, frames) says which places count."""
    rec = pycolmap.Reconstruction()
    camera = pycolmap.Camera.create_from_model_name(1, "SIMPLE_RADIAL", optics.focal, *optics.size)
    camera.params = [*camera.params[:3], optics.radial]
    rec.add_camera_with_trivial_rig(camera)
    for n in range(len(poses)):
        image = pycolmap.Image(name=f"{n:05d}", camera_id=1, image_id=n + 1)
        image.points2D = pycolmap.Point2DList([pycolmap.Point2D(p) for p in tracks[fits[:, n], n]])
        pose = pycolmap.Rigid3d(pycolmap.Rotation3d(poses[n][:, :3]), poses[n][:, 3])
        rec.add_image_with_trivial_frame(image, pose)
    index = np.cumsum(fits, 0) - 1
    ids = []
    for t, place in enumerate(points):
        track = pycolmap.Track()
        for n in np.flatnonzero(fits[t]):
            track.add_element(int(n) + 1, int(index[t, n]))
        ids.append(rec.add_point3D(place, track))
    options = pycolmap.BundleAdjustmentOptions()
    options.refine_focal_length, options.refine_extra_params = free_focal, free_lens
    options.print_summary = False
    options.ceres.loss_function_type = getattr(pycolmap.LossFunctionType, loss)
    options.ceres.loss_function_scale = scale
    options.ceres.solver_options.function_tolerance = SETTLED
    pycolmap.bundle_adjustment(rec, options)
    params = rec.cameras[1].params
    return (
        Optics(float(params[0]), optics.size, float(params[3])),
        np.array([rec.images[n + 1].cam_from_world().matrix() for n in range(len(poses))]),
        np.array([rec.points3D[i].xyz for i in ids]),
    )


def _triangulate_rest(straight: Array, poses: Array, points: Array, optics: Optics) -> None:
    """Tracks that no key frame gave a point: from their two views that lie farthest apart (linear, Hartley & Zisserman 2004,
    section 12.2)."""
    k = optics.matrix
    for t in np.flatnonzero(np.isnan(points[:, 0])):
        seen = np.flatnonzero(~np.isnan(straight[t, :, 0]) & ~np.isnan(poses[:, 0, 0]))
        if len(seen) < 6:
            continue
        a, b = seen[0], seen[-1]
        x = cv2.triangulatePoints(k @ poses[a], k @ poses[b], straight[t, a], straight[t, b])[:, 0]
        if abs(x[3]) > 1e-9:
            points[t] = x[:3] / x[3]
