"""Faces."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.document import TRACKS, TrackBase, Vec2
from tropein.core.errors import Cancelled
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.track.face import FaceFound, follow_face
from tropein.core.track.forms.face import FaceFile, face_sample
from tropein.core.track.job import Heard, Job, Measured


@TRACKS.add
class FaceTrack(TrackBase):
    """A face: its mesh, irises, eye and mouth opening, and pose in every frame. `near` is a place on the face that is
    meant, in the reference frame; none means the largest."""

    title: ClassVar[str] = "A face"
    begins: ClassVar[str] = "click"
    directed: ClassVar[bool] = False
    first_spot: ClassVar[str] = "head"
    kind: Literal["face"] = "face"
    near: Vec2 | None = None

    def measure(self, job: Job) -> Measured:
        pictures = ColourFrames(job.store, job.footage.media)
        heard: dict[int, FaceFound] = {}

        def hear(f: FaceFound) -> None:
            heard[f.frame] = f
            x, y = (0.0, 0.0) if f.mesh is None else f.mesh[:, :2].mean(0)
            job.report(Heard(f.frame, (float(x), float(y)), f.confidence, f.lost))

        try:
            found, cancelled = follow_face(pictures, self.reference_frame, job.span, self.near, hear), False
        except Cancelled:
            found, cancelled = heard, True
        finally:
            pictures.close()
        earlier = job.known.frames if isinstance(job.known, FaceFile) else []
        rows = {s.frame: s for s in earlier if s.frame not in found} | {f: face_sample(found[f]) for f in found}
        return Measured(FaceFile(**job.head(""), frames=[rows[f] for f in sorted(rows)]), cancelled)
