"""From a track as the document has it to its samples: what the page, the command line and the demo all call."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from tropein.core.document import (
    BodyTrack,
    CameraTrack,
    FaceTrack,
    ObjectTrack,
    PictureTrack,
    PlaneTrack,
    PointTrack,
    Track,
)
from tropein.core.document.footage import Footage
from tropein.core.document.track import BoxAt
from tropein.core.errors import BadInput, Cancelled
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.grey import GreyFrames
from tropein.core.media.record import MediaStore
from tropein.core.raster.warp import apply
from tropein.core.track import face_mesh as fm
from tropein.core.track.body import follow_body
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.camera import Known, solve_camera
from tropein.core.track.cuts import Cuts
from tropein.core.track.face import FaceFound, follow_face
from tropein.core.track.file import (
    AnyFile,
    CameraFile,
    CameraSample,
    FaceFile,
    FaceSample,
    FileBase,
    Irises,
    ObjectFile,
    PlaneFile,
    PointFile,
    PointSample,
    Sides,
    SolveFacts,
)  # fmt: skip
from tropein.core.track.follow import Direction, Wish, follow, follow_object, follow_plane
from tropein.core.track.frames import Frames
from tropein.core.track.masked import Ignore, MaskedColours, MaskedFrames
from tropein.core.track.motion import MotionBetween
from tropein.core.track.patches import Matching
from tropein.core.track.picture import follow_picture
from tropein.core.track.plane import PlaneAnchor, PlaneFound
from tropein.core.track.point import Anchor, Found
from tropein.core.track.samples import found_object, found_plane, found_point, object_sample, plane_sample, point_sample
from tropein.core.track.shutter import ShutterGuess


@dataclass(frozen=True)
class Heard:
    """One frame as it comes, for progress: the middle of what is tracked, and its corners if it has any."""

    frame: int
    xy: tuple[float, float]
    confidence: float
    lost: bool
    corners: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Job:
    """What is to be measured. `known` are earlier samples, kept where this run does not go; `ignore`
    (h, w) is True where the picture does not count (a face is found by itself)."""

    store: MediaStore
    footage: Footage
    track: Track
    span: tuple[int, int]
    direction: Direction = "both"
    known: FileBase | None = None
    report: Callable[[Heard], None] = lambda heard: None
    ignore: Ignore | None = None

    def frames(self, grey: GreyFrames) -> Frames:
        return MaskedFrames(grey, self.ignore) if self.ignore else grey

    def head(self, stopped: str) -> dict[str, Any]:
        return {
            "source": self.footage.name, "size": self.footage.size, "rate": self.footage.rate,
            "reference_frame": self.track.reference_frame, "stopped": stopped,
        }  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """The samples, and whether the user stopped the run (what was done is kept)."""

    file: AnyFile
    cancelled: bool = False


def measure(job: Job) -> Measured:
    """Track. Raises BadInput when it cannot begin."""
    if isinstance(job.track, PointTrack):
        return _points(job, job.track)
    if isinstance(job.track, PlaneTrack):
        return _plane(job, job.track)
    if isinstance(job.track, ObjectTrack):
        return _object(job, job.track)
    if isinstance(job.track, BodyTrack):
        return _body(job, job.track)
    if isinstance(job.track, PictureTrack):
        return _picture(job)
    if isinstance(job.track, CameraTrack):
        return _camera(job, job.track)
    return _face(job, job.track)


def _kept(job: Job, frame: int) -> bool:
    """Whether an earlier result of a frame stays."""
    return not job.span[0] <= frame <= job.span[1] or job.direction != "both"


def _points(job: Job, track: PointTrack) -> Measured:
    frames = GreyFrames(job.store, job.footage.media)
    motion, shutter = MotionBetween(), ShutterGuess()
    how = Matching(track.pattern_px, track.reach_px, track.match_light, track.match_turn, track.match_blur)
    cuts = Cuts(frames.frame)
    earlier = job.known.frames if isinstance(job.known, PointFile) else []
    found: list[dict[int, Found]] = []
    stopped, cancelled = "", False
    try:
        for k, place in enumerate(track.points):
            before = {s.frame: p for s in earlier if _kept(job, s.frame) and (p := found_point(s, k)) is not None}
            seen = dict(before)
            found.append(seen)

            def hear(f: Found, seen: dict[int, Found] = seen) -> None:
                seen[f.frame] = f
                job.report(Heard(f.frame, f.xy, f.confidence, f.lost))

            hand = [Anchor(h.frame, h.position) for h in track.hand_set if h.point == k]
            wish = Wish(job.span, job.direction, hear, cuts)
            reference = Anchor(track.reference_frame, place)
            _, why = follow(job.frames(frames), reference, hand, wish, how, before, motion, shutter)
            stopped = stopped or why
    except Cancelled:
        cancelled = True
    finally:
        frames.close()
    every = sorted(set().union(*found))
    rows = [point_sample(f, [p.get(f) for p in found]) for f in every]
    degrees = round(360 * shutter.share, 1) if shutter.known else None
    return Measured(PointFile(**job.head(stopped), frames=rows, shutter_deg=degrees), cancelled)


def _plane(job: Job, track: PlaneTrack) -> Measured:
    frames = GreyFrames(job.store, job.footage.media)
    earlier = job.known.frames if isinstance(job.known, PlaneFile) else []
    before = {s.frame: p for s in earlier if _kept(job, s.frame) and (p := found_plane(s)) is not None}
    seen, stopped, cancelled = dict(before), "", False

    def hear(f: PlaneFound) -> None:
        seen[f.frame] = f
        corners = tuple((float(x), float(y)) for x, y in f.corners)
        middle = (float(f.corners[:, 0].mean()), float(f.corners[:, 1].mean()))
        job.report(Heard(f.frame, middle, f.confidence, f.lost, corners))

    reference = np.array(track.corners)
    try:
        hand = [PlaneAnchor(h.frame, np.array(h.corners)) for h in track.hand_set]
        wish = Wish(job.span, job.direction, hear)
        seen, stopped = follow_plane(
            job.frames(frames), PlaneAnchor(track.reference_frame, reference), hand, wish, before
        )
    except Cancelled:
        cancelled = True
    finally:
        frames.close()
    rows = [plane_sample(seen[f], reference) for f in sorted(seen)]
    return Measured(PlaneFile(**job.head(stopped), frames=rows), cancelled)


def _object(job: Job, track: ObjectTrack) -> Measured:
    pictures = ColourFrames(job.store, job.footage.media)
    earlier = job.known.frames if isinstance(job.known, ObjectFile) else []
    seen = {s.frame: p for s in earlier if _kept(job, s.frame) and (p := found_object(s)) is not None}
    stopped, cancelled = "", False

    def hear(f: ObjectFound) -> None:
        seen[f.frame] = f
        edges = apply(f.box.matrix(), np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])) + 0.5
        corners = tuple((float(x), float(y)) for x, y in edges)
        job.report(Heard(f.frame, (float(f.box.centre[0]), float(f.box.centre[1])), f.confidence, f.lost, corners))

    def anchor(frame: int, box: BoxAt) -> ObjectAnchor:
        return ObjectAnchor(frame, Box(np.array(box.centre), np.array(box.sides), box.angle_deg))

    try:
        wish = Wish(job.span, job.direction, hear)
        frames = MaskedColours(pictures, job.ignore) if job.ignore else pictures
        hand = [anchor(h.frame, h.box) for h in track.hand_set]
        found, stopped = follow_object(frames, anchor(track.reference_frame, track.box), hand, wish, seen)
        seen.update(found)
    except Cancelled:
        cancelled = True
    finally:
        pictures.close()
    rows = [object_sample(seen[f]) for f in sorted(seen)]
    return Measured(ObjectFile(**job.head(stopped), frames=rows), cancelled)


def _face(job: Job, track: FaceTrack) -> Measured:
    pictures = ColourFrames(job.store, job.footage.media)
    heard: dict[int, FaceFound] = {}

    def hear(f: FaceFound) -> None:
        heard[f.frame] = f
        x, y = (0.0, 0.0) if f.mesh is None else f.mesh[:, :2].mean(0)
        job.report(Heard(f.frame, (float(x), float(y)), f.confidence, f.lost))

    try:
        found, cancelled = follow_face(pictures, track.reference_frame, job.span, track.near, hear), False
    except Cancelled:
        found, cancelled = heard, True
    finally:
        pictures.close()
    earlier = job.known.frames if isinstance(job.known, FaceFile) else []
    rows = {s.frame: s for s in earlier if s.frame not in found} | {f: face_sample(found[f]) for f in found}
    return Measured(FaceFile(**job.head(""), frames=[rows[f] for f in sorted(rows)]), cancelled)


def _body(job: Job, track: BodyTrack) -> Measured:
    pictures = ColourFrames(job.store, job.footage.media)
    heard: dict[int, Found] = {}

    def hear(f: Found) -> None:
        heard[f.frame] = f
        job.report(Heard(f.frame, f.xy, f.confidence, f.lost))

    hand = [Anchor(h.frame, h.position) for h in track.hand_set]
    try:
        found = follow_body(pictures, track.part, track.reference_frame, job.span, track.near, hand, hear)
        cancelled = False
    except Cancelled:
        found, cancelled = heard, True
    finally:
        pictures.close()
    earlier = job.known.frames if isinstance(job.known, PointFile) else []
    rows = {s.frame: s for s in earlier if s.frame not in found} | {f: point_sample(f, [found[f]]) for f in found}
    return Measured(PointFile(**job.head(""), frames=[rows[f] for f in sorted(rows)]), cancelled)


def _picture(job: Job) -> Measured:
    """Two places near the middle, carried by the motion of the whole: they say how it shifts, turns and grows."""
    frames = GreyFrames(job.store, job.footage.media)
    middle = (job.footage.size[0] / 2, job.footage.size[1] / 2)
    try:
        found = follow_picture(
            job.frames(frames), job.span, lambda f, lost: job.report(Heard(f, middle, 0.0 if lost else 1.0, lost))
        )
    finally:
        frames.close()
    rows = [
        PointSample(
            frame=f, confidence=0.0 if lost else 1.0, lost=lost, reason="no motion is shared by the picture: a cut?" if lost else "",
            points=[(round(float(x), 4), round(float(y), 4)) for x, y in points], point_confidence=[0.0 if lost else 1.0] * 2,
        )
        for f, points, lost in found
    ]  # fmt: skip
    return Measured(PointFile(**job.head(""), frames=rows))


def _camera(job: Job, track: CameraTrack) -> Measured:
    """A camera is solved as a whole: what was there before is replaced, and a cancelled run leaves it."""
    frames = GreyFrames(job.store, job.footage.media)
    w, h = job.footage.size
    try:
        solve = solve_camera(
            frames,
            job.span,
            Known(track.focal_px, track.lens),
            job.ignore or (lambda frame: None),
            lambda f: job.report(Heard(f, (w / 2, h / 2), 0.0, False)),
        )
    finally:
        frames.close()
    rows = []
    for i, (pose, error, sure) in enumerate(zip(solve.poses, solve.errors, solve.sure, strict=True)):
        lost = bool(np.isnan(pose).any())
        rows.append(
            CameraSample(
                frame=solve.first + i, confidence=0.0 if lost else round(float(sure), 4), lost=lost, reason="not enough points agree" if lost else "",
                world_to_camera=None if lost else [float(f"{v:.10g}") for v in pose.ravel()],
                reprojection_px=None if np.isnan(error) else round(float(error), 4),
            )
        )  # fmt: skip
    facts = SolveFacts(
        kind=solve.kind,
        reprojection_px=round(float(np.nanmean(solve.errors)), 4),
        parallax_deg=round(solve.checks.parallax_deg, 3),
        focal_sd_px=round(solve.focal_sd, 3),
        halves_apart=round(solve.checks.halves_apart, 5),
        spread=round(solve.checks.spread, 3),
        doubts=solve.checks.doubts,
    )
    cloud = [(round(x, 5), round(y, 5), round(z, 5)) for x, y, z in solve.points.tolist()]
    file = CameraFile(
        **job.head(" ".join(solve.notes)), focal_px=round(solve.optics.focal, 4), principal_point=(w / 2, h / 2),
        radial=float(f"{solve.optics.radial:.7g}"), points3d=cloud, point_errors_px=np.round(solve.point_errors, 3).tolist(),
        solve=facts, frames=rows,
    )  # fmt: skip
    return Measured(file)


def face_sample(found: FaceFound) -> FaceSample:
    """One frame of a face track."""
    common: dict[str, Any] = {"frame": found.frame, "lost": found.lost, "reason": found.reason}
    if found.mesh is None:
        return FaceSample(**common, confidence=0.0, landmarks=None)
    pose = np.eye(4)
    pose[:3, :3] = fm.axes(found.mesh)
    pose[:3, 3] = found.mesh[list(fm.RIGID)].mean(0) * (fm.OUTER_EYES_CM / fm.width_px(found.mesh))
    left, right = (fm.iris(found.mesh, i) for i in (fm.LEFT_IRIS, fm.RIGHT_IRIS))
    rounded = np.round(found.mesh, 3).tolist()
    return FaceSample(
        **common, confidence=round(found.confidence, 4), landmarks=[(p[0], p[1], p[2]) for p in rounded],
        iris=Irises(left=left, right=right), eye_open=Sides(left=found.eye_open[0], right=found.eye_open[1]),
        mouth_open=found.mouth_open, pose=[float(f"{v:.8g}") for v in pose.ravel()],
    )  # fmt: skip


def note_on(file: AnyFile) -> str:
    """What a person should know of the result, in one sentence or two; "" when all is well."""
    if isinstance(file, CameraFile):
        return file.stopped
    lost = [s for s in sorted(file.frames, key=lambda s: s.frame) if s.lost]
    if not lost:
        return ""
    if len(lost) == len(file.frames):
        raise BadInput(f"Nothing could be followed: {lost[0].reason or 'nothing was found'}.")
    where = f"Lost {'from' if len(lost) > 1 else 'at'} frame {lost[0].frame}: {lost[0].reason}."
    rest = "It stopped there." if file.stopped else f"{len(lost)} frames are lost in all."
    if isinstance(file, FaceFile):
        return f"{where} {rest} What rides on it bridges the gap, or hides there if you say so."
    return f"{where} {rest} Set it by hand at a later frame to bridge the gap, or end the ride before it."
