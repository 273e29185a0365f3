"""Another layer."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, Id, PieceBase
from tropein.core.document.references import Ref
from tropein.core.raster import coverage as cov


@PIECES.add
class LayerPiece(PieceBase):
    """Another layer's alpha or luminance, as it lies in the shot."""

    title: ClassVar[str] = "Layer"
    kind: Literal["layer"] = "layer"
    layer: Annotated[
        Id,
        Ref(
            "layers",
            "looks at",
            what="a layer with a picture",
            having="has_picture",
            on_delete="drop",
            sees="picture",
        ),
    ]
    channel: Literal["alpha", "luminance"] = "alpha"

    def coverage(self, on: Mattes, frame: float) -> Step | None:
        layer, window = on.shot.layers[self.layer], on.window
        if self.channel == "luminance":
            return on.brightness(layer, frame)
        made = on.pictures.layer(layer, frame)
        return None if made is None else step("coverage", window, (made,), lambda p: cov.of_picture(p, window))
