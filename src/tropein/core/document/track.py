"""Tracks: motion measured from footage. Samples are artefacts, referred to by hash."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Discriminator, Field, Tag, model_validator

from tropein.core.document.animated import Vec2
from tropein.core.document.base import ContentHash, Frame, Id, Model, Name
from tropein.core.document.body import BodyPart
from tropein.core.document.references import Ref, Stored

Corners = tuple[Vec2, Vec2, Vec2, Vec2]


class TrackBase(Model):
    """What all tracks share. `samples` is the stored result; none until it was tracked. What lies on `ignore_side` of the
    matte `ignore` does not count when it is tracked; where it is lost, `bridge` is the track whose motion fills the gap."""

    id: Id
    name: Name
    footage: Annotated[Id, Ref("footage", "was made from")]
    reference_frame: Frame = 0
    samples: Annotated[ContentHash, Stored("track")] | None = None
    lost_frames: Annotated[int, Field(ge=0)] = 0
    note: Annotated[str, Field(max_length=400)] = ""
    ignore: Annotated[Id, Ref("mattes", "ignores", on_delete="clear")] | None = None
    ignore_side: Literal["inside", "outside"] = "inside"
    bridge: Annotated[Id, Ref("tracks", "is bridged by", on_delete="clear")] | None = None


class HandSet(Model):
    """A position the user put right; tracking treats it as a constraint. `point` counts from the first, 0."""

    frame: Frame
    position: Vec2
    point: Annotated[int, Field(ge=0, le=63)] = 0


class PointTrack(TrackBase):
    """One or more features followed through footage; from two on they also give rotation and scale.

    `pattern_px` is half the side of the small reference patch, `reach_px` how far a frame's search goes. `more` are
    further points, in the reference frame as `position` is. `match_...`: what may differ from the reference: light, turn and size,
    motion blur.
    """

    kind: Literal["point"] = "point"
    position: Vec2 = (0.0, 0.0)
    more: list[Vec2] = Field(default_factory=list, max_length=63)
    pattern_px: Annotated[int, Field(ge=7, le=60)] = 15
    reach_px: Annotated[int, Field(ge=8, le=200)] = 40
    match_light: bool = True
    match_turn: bool = True
    match_blur: bool = True
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)

    @property
    def points(self) -> list[Vec2]:
        return [self.position, *self.more]


class HandSetCorners(Model):
    """Corners the user put right."""

    frame: Frame
    corners: Corners


class PlaneTrack(TrackBase):
    """A flat thing followed by its four corners, clockwise from top left, in full-size footage pixels."""

    kind: Literal["plane"] = "plane"
    corners: Corners
    hand_set: list[HandSetCorners] = Field(default_factory=list, max_length=10_000)


class BoxAt(Model):
    """A box in full-size footage pixels: centre and sides, and how far it is turned, clockwise."""

    centre: Vec2
    sides: tuple[Annotated[float, Field(ge=1, le=1e5)], Annotated[float, Field(ge=1, le=1e5)]]
    angle_deg: Annotated[float, Field(ge=-3600, le=3600)] = 0.0


class HandSetBox(Model):
    """A box the user put right."""

    frame: Frame
    box: BoxAt


class ObjectTrack(TrackBase):
    """A thing followed by a box around it, while it turns, comes nearer and changes shape."""

    kind: Literal["object"] = "object"
    box: BoxAt
    hand_set: list[HandSetBox] = Field(default_factory=list, max_length=10_000)


class FaceTrack(TrackBase):
    """A face: its mesh, irises, eye and mouth opening, and pose in every frame. `near` is a place on the face that is
    meant, in the reference frame; none means the largest."""

    kind: Literal["face"] = "face"
    near: Vec2 | None = None


class BodyTrack(TrackBase):
    """A part of a body, found by itself in every frame: of whoever has it nearest to `near` in the reference frame, else of
    the largest. Its samples are those of one point."""

    kind: Literal["body"] = "body"
    part: BodyPart = "right index fingertip"
    near: Vec2 | None = None
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)


class CameraTrack(TrackBase):
    """The camera itself, solved from how the picture moves. `focal_px` is the focal length where it is known; `lens` by what share of
    its way from the middle the picture's corner is seen too far out (0: straight lines stay straight), where that is known; `world`
    (4x4, row by row) turns, shifts and scales what was solved to a floor at y = 0 (y down) and the user's own units."""

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


class PictureTrack(TrackBase):
    """The picture as a whole: how most of it shifts, turns and grows, for holding it still."""

    kind: Literal["picture"] = "picture"


Track = Annotated[
    Annotated[PointTrack, Tag("point")]
    | Annotated[PlaneTrack, Tag("plane")]
    | Annotated[ObjectTrack, Tag("object")]
    | Annotated[FaceTrack, Tag("face")]
    | Annotated[BodyTrack, Tag("body")]
    | Annotated[CameraTrack, Tag("camera")]
    | Annotated[PictureTrack, Tag("picture")],
    Discriminator("kind"),
]
