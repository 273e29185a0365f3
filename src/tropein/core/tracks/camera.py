"""The camera."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from tropein.core.document import TRACKS, TrackBase
from tropein.core.media.grey import GreyFrames
from tropein.core.track.camera import Known, solve_camera
from tropein.core.track.forms.camera import CameraFile, CameraSample, SolveFacts
from tropein.core.track.job import Heard, Job, Measured


@TRACKS.add
class CameraTrack(TrackBase):
    """The camera itself, solved from how the picture moves. `focal_px` is the focal length where it is known; `lens` by what share of
    its way from the middle the picture's corner is seen too far out (0: straight lines stay straight), where that is known; `world`
    (4x4, row by row) turns, shifts and scales what was solved to a floor at y = 0 (y down) and the user's own units."""

    title: ClassVar[str] = "The camera"
    begins: ClassVar[str] = "at once"
    directed: ClassVar[bool] = False
    kind: Literal["camera"] = "camera"
    focal_px: Annotated[float, Field(gt=1, le=1e6)] | None = None
    lens: Annotated[float, Field(ge=-0.3, le=0.3)] | None = None
    world: Annotated[list[float], Field(min_length=16, max_length=16)] | None = None

    @model_validator(mode="after")
    def _world_is_a_place(self) -> CameraTrack:
        if self.world is not None:
            m = np.array(self.world).reshape(4, 4)
            size = np.cbrt(np.linalg.det(m[:3, :3]))
            turned = size > 1e-9 and np.allclose(m[:3, :3] @ m[:3, :3].T / size**2, np.eye(3), atol=1e-3)
            if not turned or not np.allclose(m[3], [0, 0, 0, 1]):
                raise ValueError(f"the world of the track {self.name} must turn, shift and scale, and nothing else")
        return self

    @property
    def scene_world(self) -> list[float] | None:
        return self.world

    def measure(self, job: Job) -> Measured:
        """A camera is solved as a whole: what was there before is replaced, and a cancelled run leaves it."""
        frames = GreyFrames(job.store, job.footage.media)
        w, h = job.footage.size
        try:
            solve = solve_camera(
                frames,
                job.span,
                Known(self.focal_px, self.lens),
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
