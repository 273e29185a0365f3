"""Whether a matte hides a face: at every frame it must cover the face's oval and a margin round it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.render import Renderer
from tropein.core.document import Matte, Shot
from tropein.core.errors import NotFound
from tropein.core.pieces.face import FacePiece
from tropein.core.raster.coverage import grown
from tropein.core.track.forms.face import LOOP
from tropein.core.tracks.face import FaceTrack

COVERED = 0.98  # what is covered less than this shows
SLIVER_PX = 2.0  # of the checked picture: less is the edges' own rounding
CHECKED_WIDTH = 640


class Guarded(BaseModel):
    """One frame: hidden, or how much of the face shows (0..1), or unsure where the face itself was lost."""

    frame: int
    state: Literal["hidden", "shows", "unsure"]
    shows: float = 0.0


def guard(renderer: Renderer, shot: Shot, matte: str, track: str, frame: int, margin: float = 0.08) -> Guarded:
    """Checks a frame. margin: as a share of the oval's own width."""
    face = shot.tracks.get(track)
    if matte not in shot.mattes or not isinstance(face, FaceTrack):
        raise NotFound("There is no such matte or face track in the shot.")
    path = renderer.paths(face.samples or "", LOOP + "oval")
    if path is None:
        return Guarded(frame=frame, state="unsure")
    near = int(np.argmin(np.abs(path.frames - frame)))
    if path.frames[near] != frame or not path.good[near]:
        return Guarded(frame=frame, state="unsure")
    scale = min(1.0, CHECKED_WIDTH / shot.size[0])
    planner = renderer.planner(shot, scale)
    piece = FacePiece(id="oval", name="oval", track=track, part="oval")
    oval = Matte(id="guard", name="guard", pieces={"oval": piece}, order=["oval"])
    width = float(np.ptp(path.points[near][:, 0])) * scale
    must = grown(renderer.run(Mattes(planner).matte(oval, frame)), margin * width)
    have = renderer.run(planner.matte(matte, frame))
    bare = (must.plane > 0.5) & (have.plane < COVERED)
    if bare.sum() <= SLIVER_PX:
        return Guarded(frame=frame, state="hidden")
    return Guarded(frame=frame, state="shows", shows=round(float(bare.sum() / max((must.plane > 0.5).sum(), 1)), 4))
