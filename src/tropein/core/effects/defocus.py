"""Defocus."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.aperture import defocused
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    radius = values["radius"] * scale
    if picture.window.empty or radius < 0.5:
        return picture
    opaque = picture.opaque
    window = picture.window if opaque else picture.window.grow(math.ceil(radius) + 1)
    pixels = picture.pixels if opaque else picture.fill(window)
    if values["bloom"] > 0:  # what was clipped was brighter than it shows
        luma = pixels[..., :3] @ LUMA
        gain = 1 + np.float32(values["bloom"]) * np.clip((luma - np.float32(values["from_light"])) / 0.3, 0, 1) ** 2
        pixels = pixels.copy()
        pixels[..., :3] *= gain[..., None]
    border = cv2.BORDER_REPLICATE if opaque else cv2.BORDER_CONSTANT
    out = defocused(
        np.ascontiguousarray(pixels), radius, round(values["blades"]), values["roundness"], values["turn"], border
    )
    return Picture(out, window)


@effect(_apply)
class Defocus(EffectBase):
    """Out of focus as a lens has it: bright points open into the shape of the aperture."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Defocus")
    kind: Literal["defocus"] = "defocus"
    radius: AnimatedNumber = control(12.0, "Radius", soft=(0, 60), hard=(0, 200), step=0.1, unit="px")
    blades: AnimatedNumber = control(6.0, "Blades", soft=(0, 12), hard=(0, 24), step=1, help="Below 3 it is a disc.")
    roundness: AnimatedNumber = control(0.5, "Roundness", soft=(0, 1), hard=(0, 1))
    turn: AnimatedNumber = control(0.0, "Turn", soft=(0, 90), hard=(-360, 360), step=0.5, unit="°")
    bloom: AnimatedNumber = control(
        1.5, "Bloom", soft=(0, 8), hard=(0, 100), help="How much brighter bright points are taken to be than they show."
    )
    from_light: AnimatedNumber = control(0.7, "Bloom from", soft=(0, 2), hard=(0, 100))
