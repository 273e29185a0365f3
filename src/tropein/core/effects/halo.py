"""Halo."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bolts import halo
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    size = values["size"]
    if picture.window.empty or size <= 0 or values["light"] <= 0:
        return picture
    window = picture.window.grow(math.ceil(3 * size * scale) + 1)
    pixels = picture.fill(window)
    alpha = np.ascontiguousarray(pixels[..., 3])
    spread = np.clip(halo(alpha, size, scale), 0, 1)
    outside = np.clip(2 * spread, 0, 1) ** np.float32(values["hard"]) * (1 - alpha)
    inside = np.clip(2 * (1 - spread), 0, 1) ** np.float32(values["hard"]) * alpha
    level = (outside + np.float32(values["inside"]) * (inside - outside)) * np.float32(values["light"])
    for c in range(3):
        pixels[..., c] += level * np.float32(values["colour"][c])
    return Picture(pixels, window)


@effect(_apply)
class Halo(EffectBase):
    """Light about the outline of what was cut out, or within it: an aura, a rim, what glows from within."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Halo")
    kind: Literal["halo"] = "halo"
    size: AnimatedNumber = control(26.0, "Size", soft=(0, 160), hard=(0, 2000), step=0.5, unit="px")
    light: AnimatedNumber = control(1.2, "Light", soft=(0, 10), hard=(0, 1000), step=0.05)
    colour: AnimatedColour = control((0.45, 0.75, 1.0), "Colour", soft=(0, 1), widget="colour")
    hard: AnimatedNumber = control(
        1.4, "Falloff", soft=(0.3, 4), hard=(0.1, 20), help="Higher keeps it nearer the outline."
    )
    inside: AnimatedNumber = control(0.0, "Inside", soft=(0, 1), hard=(0, 1), help="At 0 it lies around, at 1 within.")
