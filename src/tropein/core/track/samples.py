"""Between track files, what trackers find, and paths to ride on."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate import camera
from tropein.core.animate.ride import Path
from tropein.core.raster.warp import quad_to_quad
from tropein.core.track.box import Box, ObjectFound
from tropein.core.track.face_mesh import loop, spot_points
from tropein.core.track.file import (
    AnyFile,
    CameraFile,
    FaceSample,
    ObjectFile,
    ObjectSample,
    PlaneFile,
    PlaneSample,
    PointFile,
    PointSample,
)
from tropein.core.track.optics import Optics
from tropein.core.track.plane import PlaneFound
from tropein.core.track.point import Found

LOOP = "loop:"  # a spot that names an outline on a face


def as_path(track: AnyFile, spot: str = "") -> Path:
    """The path of a track, of a face that of one of its spots or loops, of a camera that of a place in the scene
    ("x,y,z"). Lost frames are marked, not left out; of several points those count that are never lost, or the surest one."""
    rows = sorted(track.frames, key=lambda s: s.frame)
    frames = np.array([s.frame for s in rows], np.float64)
    if isinstance(track, PointFile):
        return _points_path(sorted(track.frames, key=lambda s: s.frame), frames)
    good = np.array([not s.lost for s in rows], bool)
    if isinstance(track, PlaneFile):
        known = [s.corners for s in sorted(track.frames, key=lambda s: s.frame)]
        corners = np.array([c or ((0, 0),) * 4 for c in known], np.float64).reshape(-1, 4, 2)
        return Path(frames, corners, good & np.array([c is not None for c in known], bool), "homography")
    if isinstance(track, ObjectFile):
        boxes = [box_of(s) for s in sorted(track.frames, key=lambda s: s.frame)]
        ends = np.array([_ends(b) if b else np.zeros((2, 2)) for b in boxes]).reshape(-1, 2, 2)
        return Path(frames, ends, good & np.array([b is not None for b in boxes], bool), "similarity")
    if isinstance(track, CameraFile):
        return _camera_path(track, frames) if spot == camera.SPOT else _scene_path(track, frames, spot)
    faces = sorted(track.frames, key=lambda s: s.frame)
    shapes = [_on_face(s, spot) if s.landmarks else None for s in faces]
    seen = np.array([shape is not None for shape in shapes], bool)
    blank = np.zeros_like(next((shape for shape in shapes if shape is not None), np.zeros((2, 2))))
    points = np.array([blank if shape is None else shape for shape in shapes]).reshape(len(faces), -1, 2)
    return Path(frames, points, good & seen, "similarity")


def _camera_path(track: CameraFile, frames: NDArray[np.float64]) -> Path:
    """The camera's own numbers in every frame (see animate.camera)."""
    rows = sorted(track.frames, key=lambda s: s.frame)
    centre = np.array(track.principal_point)
    poses = [np.array(s.world_to_camera).reshape(3, 4) if s.world_to_camera else np.eye(4)[:3] for s in rows]
    good = np.array([s.world_to_camera is not None and not s.lost for s in rows], bool)
    return Path(frames, np.array([camera.numbers(p, track.focal_px, centre, track.radial) for p in poses]), good)


def _on_face(sample: FaceSample, spot: str) -> NDArray[np.float64]:
    mesh = np.array(sample.landmarks)
    if not spot.startswith(LOOP):
        return spot_points(mesh, spot)
    name, opened = spot[len(LOOP) :], 1.0
    if sample.eye_open and name.endswith("lids"):
        opened = sample.eye_open.left if name.startswith("left") else sample.eye_open.right
    return loop(mesh, name, opened)


def _scene_path(track: CameraFile, frames: NDArray[np.float64], spot: str) -> Path:
    """How a place in the scene is seen: where, how large (by its depth), and how the camera rolls."""
    rows = sorted(track.frames, key=lambda s: s.frame)
    place = scene_place(track, spot)
    through = Optics(track.focal_px, track.size, track.radial)
    points, good = np.zeros((len(rows), 2, 2)), np.zeros(len(rows), bool)
    first = next((np.array(s.world_to_camera).reshape(3, 4) for s in rows if s.world_to_camera), np.eye(4)[:3])
    for i, row in enumerate(rows):
        if row.world_to_camera is None or row.lost:
            continue
        pose = np.array(row.world_to_camera).reshape(3, 4)
        there = pose @ np.r_[place, 1]
        if there[2] <= 1e-6:
            continue
        turned = pose[:, :3] @ first[:, :3].T
        roll = np.arctan2(turned[1, 0] - turned[0, 1], turned[0, 0] + turned[1, 1])
        at = through.seen(there)
        side = 0.1 * track.focal_px / there[2] * np.array([np.cos(roll), np.sin(roll)])
        points[i], good[i] = [at, at + side], True
    return Path(frames, points, good, "similarity")


def scene_place(track: CameraFile, spot: str) -> NDArray[np.float64]:
    """The place (3,) a spot names, or the middle of the cloud."""
    try:
        place = np.array([float(v) for v in spot.split(",")])
    except ValueError:
        place = np.zeros(0)
    if place.shape == (3,) and np.isfinite(place).all():
        return place
    return np.median(np.array(track.points3d), 0) if track.points3d else np.array([0.0, 0, 1])


def _points_path(rows: list[PointSample], frames: NDArray[np.float64]) -> Path:
    count = max((len(s.points) for s in rows), default=1)
    points = np.zeros((len(rows), count, 2))
    good = np.zeros((len(rows), count), bool)
    for i, row in enumerate(rows):
        for k, p in enumerate(row.points):
            if p is not None:
                points[i, k] = p
                good[i, k] = not row.lost if count == 1 else row.point_confidence[k] > 0.3
    if count > 1:
        share = good.mean(0)
        kept = share >= min(0.999, float(share.max()))
        points, good = points[:, kept], good[:, kept]
    return Path(frames, points, good.all(1), "similarity" if points.shape[1] > 1 else "translation")


def point_sample(frame: int, here: list[Found | None]) -> PointSample:
    """One frame of a point track from what was found of each of its points."""
    sure = [round(min(max(h.confidence, 0.0), 1.0), 4) if h and not h.lost else 0.0 for h in here]
    if len(here) == 1 and here[0] is not None:
        sure = [round(min(max(here[0].confidence, 0.0), 1.0), 4)]
    return PointSample(
        frame=frame, confidence=min(sure), lost=any(h is None or h.lost for h in here),
        points=[(round(h.xy[0], 4), round(h.xy[1], 4)) if h else None for h in here], point_confidence=sure,
        reason=next((h.reason for h in here if h and h.reason), ""),
    )  # fmt: skip


def found_point(sample: PointSample, k: int = 0) -> Found | None:
    """What was found of one point, from a stored frame."""
    if k >= len(sample.points) or sample.points[k] is None:
        return None
    lost = sample.lost if len(sample.points) == 1 else sample.point_confidence[k] <= 0
    return Found(sample.frame, sample.points[k] or (0.0, 0.0), sample.point_confidence[k], lost, sample.reason)


def plane_sample(found: PlaneFound, reference: NDArray[np.float64]) -> PlaneSample:
    """One frame of a plane track; `reference` (4, 2) are the corners in the reference frame."""
    h = quad_to_quad(reference, found.corners)
    c = [(round(float(x), 4), round(float(y), 4)) for x, y in found.corners]
    return PlaneSample(
        frame=found.frame, confidence=round(min(max(found.confidence, 0.0), 1.0), 4), lost=found.lost, reason=found.reason,
        corners=(c[0], c[1], c[2], c[3]), homography=[float(f"{v:.10g}") for v in (h / h[2, 2]).ravel()],
    )  # fmt: skip


def found_plane(sample: PlaneSample) -> PlaneFound | None:
    if sample.corners is None:
        return None
    return PlaneFound(sample.frame, np.array(sample.corners), sample.confidence, sample.lost, sample.reason)


def _ends(box: Box) -> NDArray[np.float64]:
    """The middles (2, 2) of the box's left and right side: what carries its place, size and angle."""
    a = np.radians(box.angle_deg)
    side = box.sides[0] / 2 * np.array([np.cos(a), np.sin(a)])
    return np.array([box.centre - side, box.centre + side])


def object_sample(found: ObjectFound) -> ObjectSample:
    """One frame of an object track."""
    x, y, w, h = (round(float(v), 4) for v in (*found.box.centre, *found.box.sides))
    return ObjectSample(
        frame=found.frame, confidence=round(min(max(found.confidence, 0.0), 1.0), 4), lost=found.lost, reason=found.reason,
        box=(x, y, w, h), angle_deg=round(found.box.angle_deg, 4),
    )  # fmt: skip


def box_of(sample: ObjectSample) -> Box | None:
    return None if sample.box is None else Box(np.array(sample.box[:2]), np.array(sample.box[2:]), sample.angle_deg)


def found_object(sample: ObjectSample) -> ObjectFound | None:
    box = box_of(sample)
    return None if box is None else ObjectFound(sample.frame, box, sample.confidence, sample.lost, sample.reason)
