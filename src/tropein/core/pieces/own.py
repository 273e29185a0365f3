"""What pieces share that look at a layer's own footage: the layer, an empty picture of the place, the way into the frame."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step
from tropein.core.document import Layer, PieceBase, Shot
from tropein.core.document.base import Frame, Id
from tropein.core.document.references import Ref
from tropein.core.pieces import keying

SPREAD_FRAMES = 15


class OwnPiece(PieceBase):
    """Told from a layer's own footage, before anything was done to it."""

    layer: Annotated[
        Id, Ref("layers", "looks at", what="a layer with footage", having="footage", on_delete="drop", sees="own")
    ]

    @property
    def looks_at(self) -> Id | None:
        return self.layer

    def coverage(self, on: Mattes, frame: float) -> Step | None:
        layer = on.shot.layers[self.layer]
        own = on.pictures.own_picture(layer, frame)
        made = None if own is None else self.told(on, layer, *own, frame)
        return None if own is None or made is None else on.in_frame(layer, made, own[1], frame)

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        """Coverage of the layer's own `picture`, which has `working` pixels per pixel of its footage; None for nothing."""
        raise NotImplementedError


class AgainstEmpty(OwnPiece):
    """Compares with a picture that shows the place empty."""

    clean_frame: Annotated[
        Frame | None,
        Field(description="the frame that shows the place empty; none of another clip: the same frame as the layer's"),
    ] = None
    clean_footage: Annotated[
        Annotated[Id, Ref("footage", "takes its empty place from", on_delete="clear")] | None,
        Field(description="the clip that frame is of; none means the layer's own footage, as far as a frame is named"),
    ] = None

    def problems(self, shot: Shot) -> list[str]:
        if self.clean_footage is None:
            return []
        empty, seen = shot.footage[self.clean_footage], shot.footage[shot.layers[self.layer].footage or ""]
        if abs(empty.size[0] * seen.size[1] - empty.size[1] * seen.size[0]) > max(seen.size):
            return [f"takes its empty place from {empty.name}, whose picture has another shape"]
        return []

    def empty(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        """The frame that shows the place without the subject, as large as `picture`; None where none is named."""
        if self.clean_frame is None and self.clean_footage is None:
            return None
        footage, pictures = on.shot.footage, on.pictures
        seen, other = footage[layer.footage or ""], footage[self.clean_footage or layer.footage or ""]
        index = self.clean_frame if self.clean_frame is not None else pictures.footage_frame(layer, frame)
        shown = min(max(index or 0, 0), other.frames - 1)
        made = pictures.frame_of(other.id, shown, working * seen.size[0] / other.size[0])
        return made if other.id == seen.id else keying.as_large(made, picture)


def spread(on: Mattes, layer: Layer, working: float) -> tuple[Step, ...]:
    """Some frames of a layer's own footage, from its first to its last."""
    last = on.shot.footage[layer.footage or ""].frames - 1
    every = sorted({round(i) for i in np.linspace(0, last, SPREAD_FRAMES)})
    return tuple(on.pictures.frame_of(layer.footage or "", i, working) for i in every)
