"""Where a layer is, and the tie that makes it follow a track."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tropein.core.document.animated import AnimatedCorners, AnimatedNumber, AnimatedVec2, AnimatedVec3
from tropein.core.document.base import Frame, Id, Model, control
from tropein.core.document.references import Ref

Part = Literal["position", "rotation", "scale", "perspective"]


class Ride(Model):
    """Follow a track from its reference frame on; what is keyed by hand is added on top.

    `parts` says what is followed (perspective takes in the others); `spot` what of a face, or x,y,z of a place in a solved
    scene; `steady` is the standard deviation in frames of a Gaussian over the followed path; `gaps` says what happens in
    frames where the track is lost: straight on, on with the speed it had, held, or hidden.
    """

    track: Annotated[Id, Ref("tracks", "rides on", on_delete="drop")]
    reference_frame: Frame = 0
    parts: Annotated[list[Part], Field(max_length=4)] = ["position"]
    spot: Annotated[str, Field(max_length=80)] = ""
    steady: Annotated[float, Field(ge=0, le=48)] = 0.0
    gaps: Literal["bridge", "coast", "hold", "hide"] = "bridge"


class Hang(Model):
    """Hang from another layer: go where it goes, from the reference frame on, where nothing jumps."""

    layer: Annotated[
        Id,
        Ref(
            "layers",
            "hangs from",
            what="a layer with a place",
            having="has_place",
            on_delete="drop",
            sees="place",
        ),
    ]
    reference_frame: Frame = 0


class Steady(Model):
    """Hold what a track follows still. `smooth` 0 holds it where it is in the reference frame, above it leaves a smooth
    move (its standard deviation in frames); `edge` says what is shown where the picture no longer reaches."""

    track: Annotated[Id, Ref("tracks", "is held by", on_delete="drop")]
    reference_frame: Frame = 0
    parts: Annotated[list[Part], Field(max_length=3)] = ["position"]
    spot: Annotated[str, Field(max_length=80)] = ""
    strength: Annotated[float, Field(ge=0, le=1)] = 1.0
    smooth: Annotated[float, Field(ge=0, le=120)] = 0.0
    edge: Literal["zoom", "mirror", "repeat", "nothing"] = "zoom"


class Depth(Model):
    """A place in depth. With a camera track it lies in the solved scene, in that scene's units; without one it is seen by
    a camera that stands before the frame: units are shot pixels, x right, y down, z away, and at z 0 things are as large
    as they are. What hangs from a layer in depth is placed relative to it."""

    track: (
        Annotated[
            Id,
            Ref(
                "tracks",
                "lies in the scene of",
                what="a camera track",
                kinds=("camera",),
                on_delete="clear",
            ),
        ]
        | None
    ) = None
    position: AnimatedVec3 = control((0.0, 0.0, 0.0), "Place", step=1, widget="vec3")
    rotation: AnimatedVec3 = control((0.0, 0.0, 0.0), "Turn", step=0.5, unit="°", widget="vec3")
    width: AnimatedNumber = control(200.0, "Width", soft=(1, 1000), hard=(1e-6, 1e6), step=1)
    facing: Literal["own", "camera"] = "own"


TRANSFORM = ("position", "scale", "rotation", "pivot")


class Place(Model):
    """A layer's transform: pivot (in footage pixels from its centre) goes to position, turned and scaled about it."""

    position: AnimatedVec2 = control((0.0, 0.0), "Position", step=0.5, unit="px", widget="vec2")
    scale: AnimatedVec2 = control((1.0, 1.0), "Scale", soft=(0, 3), hard=(-50, 50), widget="scale")
    rotation: AnimatedNumber = control(0.0, "Rotation", soft=(-180, 180), step=0.5, unit="°")
    pivot: AnimatedVec2 = control((0.0, 0.0), "Pivot", step=0.5, unit="px", widget="vec2")
    corners: Annotated[
        AnimatedCorners | None,
        Field(description="four-corner placement in shot pixels, clockwise from top left; replaces the rest"),
    ] = None
    depth: Depth | None = None
    ride: Ride | None = None
    pivot_ride: Annotated[
        Ride | None, Field(description="turn and scale happen about a place that goes along, the layer itself does not")
    ] = None
    hang: Hang | None = None
    steady: Steady | None = None
    motion_blur: bool = False

    @property
    def moving(self) -> bool:
        """Whether movers change its transform."""
        return any(getattr(self, name).moving for name in TRANSFORM)

    def as_keyed(self) -> Place:
        """The same without movers."""
        still: dict[str, object] = {"movers": {}, "moving": []}
        return self.model_copy(update={name: getattr(self, name).model_copy(update=still) for name in TRANSFORM})
