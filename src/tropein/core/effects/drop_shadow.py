"""Cast shadow behind a cut-out."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.blur import softened
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import product, scaling, translation


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    x, y = (v * scale for v in values["offset"])
    size, opacity = max(values["size"], 0.0), values["opacity"]
    if w.empty or opacity <= 0 or size == 0:
        return picture
    mx, my = (w.x0 + w.x1) / 2, (w.y0 + w.y1) / 2
    move = product(translation(mx + x, my + y), scaling(size, size), translation(-mx, -my))
    corners = move @ np.array([[w.x0, w.x1], [w.y0, w.y1], [1.0, 1.0]])
    (x0, y0), (x1, y1) = np.floor(corners[:2, 0]).astype(int) - 1, np.ceil(corners[:2, 1]).astype(int) + 1
    soft = values["soft"] * scale
    window = Window(int(x0), int(y0), int(x1), int(y1)).grow(math.ceil(3 * soft) + 1).join(w)
    own = product(translation(-window.x0 - 0.5, -window.y0 - 0.5), move, translation(w.x0 + 0.5, w.y0 + 0.5))[:2]
    alpha = cv2.warpAffine(
        np.ascontiguousarray(picture.pixels[..., 3]), own, (window.width, window.height), flags=cv2.INTER_LINEAR
    )
    out = picture.fill(window)
    seen = softened(alpha, soft) * (np.float32(opacity) * (1 - out[..., 3]))
    for c, level in enumerate(values["colour"]):
        if level:
            out[..., c] += seen * np.float32(level)
    out[..., 3] += seen
    return Picture(out, window)


@effect(_apply)
class DropShadow(EffectBase):
    """A shadow of what was cut out lies behind it, moved aside, softened, larger or smaller."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Shadow behind")
    kind: Literal["drop-shadow"] = "drop-shadow"
    offset: AnimatedVec2 = control((14.0, 18.0), "Aside", step=0.5, unit="px", widget="vec2")
    soft: AnimatedNumber = control(14.0, "Softness", soft=(0, 120), hard=(0, 2000), step=0.25, unit="px")
    size: AnimatedNumber = control(1.0, "Size", soft=(0.5, 2), hard=(0, 20), step=0.005)
    opacity: AnimatedNumber = control(0.6, "Opacity", soft=(0, 1), hard=(0, 1))
    colour: AnimatedColour = control((0.0, 0.0, 0.0), "Colour", soft=(0, 1), widget="colour")
