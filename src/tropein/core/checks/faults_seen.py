"""How many holes and crumbs a matte has at a frame."""

from __future__ import annotations

from pydantic import BaseModel

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.errors import NotFound
from tropein.core.matte.solid import faults, largest_px

CHECKED_WIDTH = 1280


class FaultsSeen(BaseModel):
    """One frame: how many there are, and how large the largest is, in shot pixels across."""

    frame: int
    holes: int
    crumbs: int
    largest_hole_px: float
    largest_crumb_px: float


def faults_seen(renderer: Renderer, shot: Shot, matte: str, frame: int) -> FaultsSeen:
    """Raises NotFound where there is no such matte."""
    if matte not in shot.mattes:
        raise NotFound("There is no such matte in the shot.")
    scale = min(1.0, CHECKED_WIDTH / shot.size[0])
    plane = renderer.run(renderer.planner(shot, scale).matte(matte, frame)).plane
    most = largest_px(plane.shape[1], plane.shape[0])
    found = faults(plane, most, most)
    return FaultsSeen(
        frame=frame, holes=len(found.hole_sizes), crumbs=len(found.crumb_sizes),
        largest_hole_px=round(float(max(found.hole_sizes, default=0)) / scale, 1),
        largest_crumb_px=round(float(max(found.crumb_sizes, default=0)) / scale, 1),
    )  # fmt: skip
