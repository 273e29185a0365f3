"""Tracks: motion measured from footage. Samples are artefacts, referred to by hash."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator, Field, SerializeAsAny

from tropein.core.document.animated import Vec2
from tropein.core.document.base import ContentHash, Frame, Id, Model, Name
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.references import Ref, Stored
from tropein.core.errors import BadInput

Corners = tuple[Vec2, Vec2, Vec2, Vec2]


class TrackBase(Kind):
    """What all tracks share. `samples` is the stored result; none until it was tracked. What lies on `ignore_side` of the
    matte `ignore` does not count when it is tracked; where it is lost, `bridge` is the track whose motion fills the gap."""

    title: ClassVar[str] = ""
    begins: ClassVar[str] = "at once"  # the gesture in the picture: "click", "corners", "box", or none
    first_spot: ClassVar[str] = ""  # at which of its places what is tied to it follows it at first
    directed: ClassVar[bool] = True  # it is followed from its reference frame, one way or both

    kind: str
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

    @property
    def parts(self) -> tuple[str, ...]:
        """What of its motion is followed by what is tied to it, at first."""
        return ("position", "rotation", "scale")

    @property
    def passes(self) -> int:
        """How often the footage is gone through when it is measured."""
        return 1

    @property
    def scene_world(self) -> list[float] | None:
        """What turns a solved scene to the user's own (4x4, row by row)."""
        return None

    def part_of(self, file: Any) -> Any:
        """What of a file that was measured still belongs to the track as it is now."""
        return file

    def measure(self, job: Any) -> Any:
        """Measure it from footage (track.job.Job, Measured). BadInput when it cannot begin."""
        raise BadInput(f"Tracks of the kind {self.kind} cannot be followed here: it is not installed.")


class HandSet(Model):
    """A position the user put right; tracking treats it as a constraint."""

    frame: Frame
    position: Vec2


class HandSetCorners(Model):
    """Corners the user put right."""

    frame: Frame
    corners: Corners


class BoxAt(Model):
    """A box in full-size footage pixels: centre and sides, and how far it is turned, clockwise."""

    centre: Vec2
    sides: tuple[Annotated[float, Field(ge=1, le=1e5)], Annotated[float, Field(ge=1, le=1e5)]]
    angle_deg: Annotated[float, Field(ge=-3600, le=3600)] = 0.0


class HandSetBox(Model):
    """A box the user put right."""

    frame: Frame
    box: BoxAt


TRACKS: Family[TrackBase] = Family("track", "tropein.core.tracks", TrackBase)
Track = Annotated[SerializeAsAny[TrackBase], BeforeValidator(TRACKS.read)]
