"""Solving the camera: what kind of move it is, where the camera was in each frame, and a cloud of points.

Points are followed through the clip; key frames are solved together by global structure from motion (Pan et al., Global
structure-from-motion revisited, ECCV 2024, in pycolmap), other frames are placed by PnP, then everything is refined by
bundle adjustment (Triggs et al. 2000) with a robust loss. A pan is told apart from a move and solved as pure rotation. A small
reprojection error alone proves nothing, so parallax is looked at too and doubts are said.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.track.features import follow_features
from tropein.core.track.frames import Frames
from tropein.core.track.mapping import largest_model, poses_and_points, write_database
from tropein.core.track.pan import solve_pan

Kind = Literal["free", "rotation", "planar"]
KEY_FRAMES = 32
LEAST_MOTION_PX = 6.0
SAME_PLANE = 0.7  # a homography explains this share of what epipolar geometry does: a pan or a plane
PAN_PX, PAN_SHARE = 1.0, 0.005  # a pan explains two views to this many pixels, or this share of how far points moved
LITTLE_PARALLAX_DEG = 1.0
POINTS_KEPT = 600


@dataclass(frozen=True, eq=False)
class CameraSolve:
    """`poses` (frames, 3, 4) world to camera, NaN where unsolved (x right, y down, z forward); `errors` (frames,) mean
    reprojection error in pixels; `points` (n, 3). The principal point is the picture's middle (centres at + 0.5)."""

    kind: Kind
    focal_px: float
    first: int
    poses: NDArray[np.float64]
    errors: NDArray[np.float64]
    points: NDArray[np.float64]
    parallax_deg: float
    notes: list[str] = field(default_factory=list)


def solve_camera(
    frames: Frames, span: tuple[int, int], focal_px: float | None = None,
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
    size = frames.size
    kind, motion = kind_of_move(tracks, size)
    if motion < LEAST_MOTION_PX:
        raise BadInput(
            f"The picture moves by {motion:.1f} pixels only: that is too little to tell a camera from. If the camera stands "
            "still, nothing needs solving; else choose a longer stretch."
        )
    if kind == "rotation":
        focal, poses, errors, points = solve_pan(tracks, size, focal_px)
        notes.append("The camera only turns: things can be placed by direction, not by depth.")
        return CameraSolve(kind, focal, first, poses, errors, points, 0.0, notes)
    solved = solve_moving(tracks, size, focal_px)
    if solved is None:
        raise BadInput(
            "The camera could not be solved: too few points agree on one move. Keep out what moves by itself, give the focal "
            "length if it is known, or choose a stretch with more sideways movement."
        )
    focal, poses, errors, points, parallax = solved
    if kind == "planar":
        notes.append("Nearly all points lie in one plane: the focal length is unsure. Give it if it is known.")
    if parallax < LITTLE_PARALLAX_DEG:
        notes.append(f"There is little parallax ({parallax:.1f} degrees): depth is unreliable.")
    missing = int(np.isnan(poses[:, 0, 0]).sum())
    if missing:
        notes.append(f"{missing} frames could not be placed.")
    return CameraSolve(kind, focal, first, poses, errors, points, parallax, notes)


def kind_of_move(tracks: NDArray, size: tuple[int, int]) -> tuple[Kind, float]:
    """(kind of move, how far points move at most between two compared frames, pixels)."""
    count = tracks.shape[1]
    ratios, motions, transfers = [], [], []
    for gap in (min(24, count - 1), min(48, count - 1)):
        for a in range(0, count - gap, max(1, gap // 2)):
            both = ~np.isnan(tracks[:, a, 0]) & ~np.isnan(tracks[:, a + gap, 0])
            if both.sum() < 30:
                continue
            p, q = tracks[both, a], tracks[both, a + gap]
            motions.append(float(np.median(np.linalg.norm(q - p, axis=1))))
            h, inside_h = cv2.findHomography(p, q, cv2.USAC_MAGSAC, 1.5)
            f, inside_f = cv2.findFundamentalMat(p, q, cv2.USAC_MAGSAC, 1.5, 0.999, 5000)
            if h is None or f is None or inside_f.sum() < 15:
                continue
            ratios.append(float(inside_h.sum() / max(1, inside_f.sum())))
            transfers.append(_pure_rotation_error(p[inside_h[:, 0] == 1], q[inside_h[:, 0] == 1], size))
    if not motions:
        raise BadInput(
            "Points are lost too soon to compare frames: the footage is too blurred, too fast, or full of cuts."
        )
    motion = max(motions)
    if not ratios or float(np.median(ratios)) < SAME_PLANE:
        return "free", motion
    turning = float(np.median(transfers)) < max(PAN_PX, PAN_SHARE * float(np.median(motions)))
    return ("rotation" if turning else "planar"), motion


def _pure_rotation_error(p: NDArray, q: NDArray, size: tuple[int, int]) -> float:
    """How badly a pure rotation with the best of many focal lengths explains two views, pixels."""
    centre = np.array(size) / 2
    best = 1e9
    for focal in np.geomspace(0.5, 5, 24) * size[0]:
        a, b = (np.c_[(x - centre) / focal, np.ones(len(x))] for x in (p, q))
        a, b = (x / np.linalg.norm(x, axis=1, keepdims=True) for x in (a, b))
        u, _, vt = np.linalg.svd(b.T @ a)
        r = u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt
        c = a @ r.T
        best = min(best, float(np.median(np.linalg.norm(c[:, :2] / c[:, 2:] * focal + centre - q, axis=1))))
    return best


def solve_moving(
    tracks: NDArray, size: tuple[int, int], focal_px: float | None
) -> tuple[float, NDArray, NDArray, NDArray, float] | None:
    import pycolmap

    pycolmap.logging.minloglevel = 3
    count = tracks.shape[1]
    keys = sorted({round(i) for i in np.linspace(0, count - 1, min(KEY_FRAMES, count))})
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        start = focal_px or 1.2 * size[0]
        write_database(pycolmap, folder / "points.db", tracks, keys, size, start, focal_px is not None)
        model = largest_model(pycolmap, folder, focal_px is not None)
    if model is None:
        return None
    poses, points = poses_and_points(model, tracks, keys)
    focal = float(next(iter(model.cameras.values())).params[0])
    poses = _place_rest(tracks, poses, points, focal, size)
    return _refine(pycolmap, tracks, poses, points, focal, size, focal_px is None)


def _place_rest(tracks: NDArray, poses: NDArray, points: NDArray, focal: float, size: tuple[int, int]) -> NDArray:
    """Frames between the key frames by PnP from the nearest that is known."""
    k = np.array([[focal, 0, size[0] / 2], [0, focal, size[1] / 2], [0, 0, 1]])
    out = poses.copy()
    for frame in range(tracks.shape[1]):
        if not np.isnan(out[frame, 0, 0]):
            continue
        known = np.flatnonzero(~np.isnan(out[:, 0, 0]))
        near = out[known[np.argmin(np.abs(known - frame))]]
        seen = ~np.isnan(tracks[:, frame, 0]) & ~np.isnan(points[:, 0])
        if seen.sum() < 8:
            continue
        rvec, tvec = cv2.Rodrigues(near[:, :3])[0], near[:, 3:].copy()
        ok, rvec, tvec, inside = cv2.solvePnPRansac(
            points[seen], tracks[seen, frame], k, None, rvec, tvec, True, 200, 3.0
        )
        if not ok or inside is None or len(inside) < 8:
            continue
        kept = inside[:, 0]
        rvec, tvec = cv2.solvePnPRefineLM(points[seen][kept], tracks[seen, frame][kept], k, None, rvec, tvec)
        out[frame] = np.c_[cv2.Rodrigues(rvec)[0], tvec]
    return out


def _refine(
    pycolmap: Any,
    tracks: NDArray,
    poses: NDArray,
    points: NDArray,
    focal: float,
    size: tuple[int, int],
    free_focal: bool,
) -> tuple[float, NDArray, NDArray, NDArray, float] | None:
    """One bundle adjustment over all frames, twice: gently, then with what does not fit put aside."""
    solved = np.flatnonzero(~np.isnan(poses[:, 0, 0]))
    if len(solved) < 4:
        return None
    points = points.copy()
    _triangulate_rest(tracks, poses, points, focal, size)
    usable = np.flatnonzero(~np.isnan(points[:, 0]))
    length = (~np.isnan(tracks[usable][:, solved, 0])).sum(1)
    usable = usable[np.argsort(-length)[:POINTS_KEPT]]
    for loss, scale, gate in (("SOFT_L1", 4.0, 6.0), ("CAUCHY", 1.5, 2.0)):
        k = np.array([[focal, 0, size[0] / 2], [0, focal, size[1] / 2], [0, 0, 1]])
        errors = _errors(tracks[usable][:, solved], poses[solved], points[usable], k)
        fits = errors < gate
        keep = (fits.sum(1) >= np.maximum(3, 0.6 * (~np.isnan(errors)).sum(1))) & np.isfinite(points[usable]).all(1)
        usable, fits = usable[keep], fits[keep]
        if len(usable) < 20:
            return None
        rec = pycolmap.Reconstruction()
        camera = pycolmap.Camera.create_from_model_name(1, "SIMPLE_PINHOLE", focal, *size)
        rec.add_camera_with_trivial_rig(camera)
        for n, frame in enumerate(solved, 1):
            image = pycolmap.Image(name=f"{n:05d}", camera_id=1, image_id=n)
            image.points2D = pycolmap.Point2DList([pycolmap.Point2D(p) for p in tracks[usable[fits[:, n - 1]], frame]])
            pose = pycolmap.Rigid3d(pycolmap.Rotation3d(poses[frame][:, :3]), poses[frame][:, 3])
            rec.add_image_with_trivial_frame(image, pose)
        index = np.cumsum(fits, 0) - 1
        ids = []
        for i, t in enumerate(usable):
            track = pycolmap.Track()
            for n in np.flatnonzero(fits[i]):
                track.add_element(int(n) + 1, int(index[i, n]))
            ids.append(rec.add_point3D(points[t], track))
        options = pycolmap.BundleAdjustmentOptions()
        options.refine_focal_length = free_focal
        options.print_summary = False
        options.ceres.loss_function_type = getattr(pycolmap.LossFunctionType, loss)
        options.ceres.loss_function_scale = scale
        pycolmap.bundle_adjustment(rec, options)
        focal = float(rec.cameras[1].params[0])
        for n, frame in enumerate(solved, 1):
            poses[frame] = rec.images[n].cam_from_world().matrix()
        for t, i in zip(usable, ids, strict=True):
            points[t] = rec.points3D[i].xyz
    k = np.array([[focal, 0, size[0] / 2], [0, focal, size[1] / 2], [0, 0, 1]])
    errors = _errors(tracks[usable][:, solved], poses[solved], points[usable], k)
    errors[errors > 2.0] = np.nan
    per_frame = np.full(tracks.shape[1], np.nan)
    with np.errstate(invalid="ignore"):
        per_frame[solved] = np.nanmean(errors, 0)
    centres = -np.einsum("nji,nj->ni", poses[solved, :, :3], poses[solved, :, 3])
    rays = points[usable][:, None] - centres[None]
    rays /= np.linalg.norm(rays, axis=2, keepdims=True)
    rays[np.isnan(errors)] = np.nan
    low, high = np.nanmin(rays, 1), np.nanmax(rays, 1)
    parallax = float(np.degrees(np.nanmedian(np.linalg.norm(high - low, axis=1))))
    return focal, poses, per_frame, points[usable], parallax


def _errors(tracks: NDArray, poses: NDArray, points: NDArray, k: NDArray) -> NDArray:
    """(tracks, frames) reprojection errors in pixels, NaN where unseen, infinite behind the camera."""
    p = np.einsum("fij,tj->tfi", poses, np.c_[points, np.ones(len(points))]) @ k.T
    with np.errstate(divide="ignore", invalid="ignore"):
        gap = np.linalg.norm(p[..., :2] / p[..., 2:] - tracks, axis=2)
    return np.where(p[..., 2] > 1e-6, gap, np.where(np.isnan(gap), np.nan, np.inf))


def _triangulate_rest(tracks: NDArray, poses: NDArray, points: NDArray, focal: float, size: tuple[int, int]) -> None:
    """Tracks that no key frame gave a point: from their two views that lie farthest apart (linear, Hartley & Zisserman 2004,
    section 12.2)."""
    k = np.array([[focal, 0, size[0] / 2], [0, focal, size[1] / 2], [0, 0, 1]])
    for t in np.flatnonzero(np.isnan(points[:, 0])):
        seen = np.flatnonzero(~np.isnan(tracks[t, :, 0]) & ~np.isnan(poses[:, 0, 0]))
        if len(seen) < 6:
            continue
        a, b = seen[0], seen[-1]
        x = cv2.triangulatePoints(k @ poses[a], k @ poses[b], tracks[t, a], tracks[t, b])[:, 0]
        if abs(x[3]) > 1e-9:
            points[t] = x[:3] / x[3]
