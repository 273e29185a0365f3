"""Blur."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, of_radius
from tropein.core.raster.blur import gaussian
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    return gaussian(picture, values["radius"] * scale)


@effect(_apply, reach=of_radius)
class Blur(EffectBase):
    """Softens the picture evenly, in linear light; a picture without transparency keeps its edges."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Blur")
    kind: Literal["blur"] = "blur"
    radius: AnimatedNumber = control(
        6.0, "Radius", soft=(0, 80), hard=(0, 2000), step=0.1, unit="px", help="Standard deviation of the blur."
    )
