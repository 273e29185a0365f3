"""Flip."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    ways = (-1 if values["up"] >= 0.5 else 1), (-1 if values["across"] >= 0.5 else 1)
    if ways == (1, 1):
        return picture
    return Picture(np.ascontiguousarray(picture.pixels[:: ways[0], :: ways[1]]), picture.window)


@effect(_apply)
class Flip(EffectBase):
    """Left and right, top and bottom change places: a reflection, a face that looks the other way."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Flip")
    kind: Literal["flip"] = "flip"
    across: AnimatedNumber = control(1.0, "Left and right", soft=(0, 1), hard=(0, 1), step=1)
    up: AnimatedNumber = control(0.0, "Top and bottom", soft=(0, 1), hard=(0, 1), step=1)
