"""Flip."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture

AXES = {(True, False): 0, (False, True): 1, (True, True): -1}  # up, across: as cv2 has them


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    up, across = values["up"] >= 0.5, values["across"] >= 0.5
    if picture.window.empty or not (up or across):
        return picture
    return Picture(cv2.flip(np.ascontiguousarray(picture.pixels), AXES[up, across]), picture.window)


@effect(_apply)
class Flip(EffectBase):
    """Left and right, top and bottom change places: a reflection, a face that looks the other way."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Flip")
    kind: Literal["flip"] = "flip"
    across: AnimatedNumber = control(1.0, "Left and right", soft=(0, 1), hard=(0, 1), step=1)
    up: AnimatedNumber = control(0.0, "Top and bottom", soft=(0, 1), hard=(0, 1), step=1)
