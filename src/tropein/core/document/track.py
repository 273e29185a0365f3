"""Tracks: motion measured from footage. Samples are artefacts, referred to by hash."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tropein.core.document.animated import Vec2
from tropein.core.document.base import ContentHash, Frame, Id, Model, Name


class HandSet(Model):
    """A position the user put right; tracking treats it as a constraint."""

    frame: Frame
    position: Vec2


class PointTrack(Model):
    """One feature followed through footage.

    `pattern_px` is half the side of the small reference patch, `reach_px` how far a frame's search goes. `samples`
    is the stored result; none until it was tracked.
    """

    kind: Literal["point"] = "point"
    id: Id
    name: Name
    footage: Id
    reference_frame: Frame = 0
    position: Vec2 = (0.0, 0.0)
    pattern_px: Annotated[int, Field(ge=7, le=60)] = 15
    reach_px: Annotated[int, Field(ge=8, le=200)] = 40
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)
    samples: ContentHash | None = None
    lost_frames: Annotated[int, Field(ge=0)] = 0
    note: Annotated[str, Field(max_length=400)] = ""


Track = PointTrack
