"""Fill."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows.points import Point, Use


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    pixels = np.empty_like(picture.pixels)
    pixels[..., :3] = np.float32(values["colour"]) * picture.pixels[..., 3:4]
    pixels[..., 3] = picture.pixels[..., 3]
    return Picture(pixels, picture.window)


def fill(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    return n[0] * a, n[1] * a, n[2] * a


FILL = Point(fill, count=3)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(FILL, values["colour"])]


@effect(_apply, _rows)
class Fill(EffectBase):
    """One colour wherever the picture is."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Fill")
    kind: Literal["fill"] = "fill"
    colour: AnimatedColour = control((0.05, 0.05, 0.05), "Colour", soft=(0, 1), widget="colour")
