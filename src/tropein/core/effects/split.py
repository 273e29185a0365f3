"""Channel split."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, AnimatedVec2, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import product, scaling, translation


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    apart = [tuple(v * scale for v in values[name]) for name in ("red", "green", "blue")]
    if w.empty or (all(a == (0, 0) for a in apart) and values["spread"] == 0):
        return picture
    opaque = picture.opaque
    far = max(abs(v) for a in apart for v in a) + abs(values["spread"]) * max(w.width, w.height) / 2
    window = w if opaque else w.grow(int(np.ceil(far)) + 1)
    pixels = picture.pixels if opaque else picture.fill(window)
    mx, my = window.width / 2 - 0.5, window.height / 2 - 0.5
    border = cv2.BORDER_REPLICATE if opaque else cv2.BORDER_CONSTANT
    planes = cv2.split(pixels)
    size_px, seen = (window.width, window.height), []
    alpha = planes[3].copy() if opaque else np.zeros_like(planes[3])
    for c, (x, y) in enumerate(apart):
        size = 1 + values["spread"] * (1 - c)  # red outwards, blue inwards
        matrix = product(translation(mx + x, my + y), scaling(size, size), translation(-mx, -my))[:2]
        seen.append(cv2.warpAffine(planes[c], matrix, size_px, flags=cv2.INTER_LINEAR, borderMode=border))
        if not opaque:
            np.maximum(alpha, cv2.warpAffine(planes[3], matrix, size_px, flags=cv2.INTER_LINEAR), out=alpha)
    return Picture(cv2.merge([*seen, alpha]), window)


@effect(_apply)
class Split(EffectBase):
    """Pulls the three colours apart, as a broken signal or a poor lens does."""

    use: ClassVar[str] = "Break"
    model_config = ConfigDict(title="Channel split")
    kind: Literal["split"] = "split"
    red: AnimatedVec2 = control((-4.0, 0.0), "Red", step=0.25, unit="px", widget="vec2")
    green: AnimatedVec2 = control((0.0, 0.0), "Green", step=0.25, unit="px", widget="vec2")
    blue: AnimatedVec2 = control((4.0, 0.0), "Blue", step=0.25, unit="px", widget="vec2")
    spread: AnimatedNumber = control(
        0.0,
        "Spread",
        soft=(0, 0.05),
        hard=(-0.5, 0.5),
        step=0.001,
        help="How much larger red is seen, and smaller blue.",
    )
