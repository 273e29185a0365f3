"""Another layer."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, Id, PieceBase
from tropein.core.document.references import Ref
from tropein.core.raster import coverage as cov
from tropein.core.raster.colour import LUMA
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture, Window


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
        made, window = on.pictures.layer(on.shot.layers[self.layer], frame), on.window
        if made is None:
            return None
        if self.channel == "alpha":
            return step("coverage", window, (made,), lambda p: cov.of_picture(p, window))
        return step("luminance", window, (made,), lambda p: _luminance(p, window))


def _luminance(picture: Picture, window: Window) -> Coverage:
    return Coverage(np.clip(picture.fill(window)[..., :3] @ LUMA, 0, 1).astype(np.float32), window)
