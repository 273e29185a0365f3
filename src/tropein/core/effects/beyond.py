"""Beyond the edges."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture

MOST_TIMES = 4.0


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty:
        return picture
    sides = []
    for name, most in (("left", w.width), ("right", w.width), ("top", w.height), ("bottom", w.height)):
        sides.append(math.ceil(min(max(values[name] * scale, 0.0), MOST_TIMES * most)))
    left, right, top, bottom = sides
    if not any(sides):
        return picture
    window = type(w)(w.x0 - left, w.y0 - top, w.x1 + right, w.y1 + bottom)
    border = cv2.BORDER_REFLECT if values["tiled"] < 0.5 else cv2.BORDER_WRAP
    pixels = cv2.copyMakeBorder(np.ascontiguousarray(picture.pixels), top, bottom, left, right, border)
    return Picture(pixels, window)


@effect(_apply)
class Beyond(EffectBase):
    """Goes on beyond the picture's edges, mirrored or tiled, so that what moves, bends or blurs it opens no gap."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Mirror and tile")
    kind: Literal["beyond"] = "beyond"
    left: AnimatedNumber = control(120.0, "Left", soft=(0, 960), hard=(0, 1e5), step=1, unit="px")
    right: AnimatedNumber = control(120.0, "Right", soft=(0, 960), hard=(0, 1e5), step=1, unit="px")
    top: AnimatedNumber = control(120.0, "Top", soft=(0, 540), hard=(0, 1e5), step=1, unit="px")
    bottom: AnimatedNumber = control(120.0, "Bottom", soft=(0, 540), hard=(0, 1e5), step=1, unit="px")
    tiled: AnimatedNumber = control(0.0, "Tiled", soft=(0, 1), hard=(0, 1), step=1, help="At 0 it is mirrored.")
