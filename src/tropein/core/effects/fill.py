"""Fill."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    pixels = np.empty_like(picture.pixels)
    pixels[..., :3] = np.float32(values["colour"]) * picture.pixels[..., 3:4]
    pixels[..., 3] = picture.pixels[..., 3]
    return Picture(pixels, picture.window)


@effect(_apply)
class Fill(EffectBase):
    """One colour wherever the picture is."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Fill")
    kind: Literal["fill"] = "fill"
    colour: AnimatedColour = control((0.05, 0.05, 0.05), "Colour", soft=(0, 1), widget="colour")
