"""Smear."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.along import averaged
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import translation


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    length, angle = values["length"] * scale, math.radians(values["angle"])
    x, y = length * math.cos(angle), length * math.sin(angle)
    return averaged(picture, lambda t: translation(t * x, t * y), length)


def _reach(values: Values, scale: float) -> float:
    return float(values["length"]) * scale + 2


@effect(_apply, reach=_reach)
class Smear(EffectBase):
    """Blurs along one direction, as what rushes past is blurred; light is kept."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Smear")
    kind: Literal["smear"] = "smear"
    length: AnimatedNumber = control(40.0, "Length", soft=(0, 300), hard=(0, 4000), step=0.5, unit="px")
    angle: AnimatedNumber = control(
        0.0, "Angle", soft=(-180, 180), step=0.5, unit="°", help="0 is to the right, 90 down."
    )
