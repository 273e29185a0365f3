"""Pool of light."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, CentredEffect, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture
from tropein.core.raster.pool import pool_of_light


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    light = tuple(values["strength"] * c for c in values["colour"])
    return pool_of_light(
        picture, np.array(values["own"]), values["centre"], values["inner"], values["outer"], light, 1 - values["dim"],
        values["aim"], values["cone"], values["cone_soft"],
    )  # fmt: skip


@effect(_apply)
class PoolOfLight(CentredEffect):
    """Coloured light that falls on the picture from a place: round, or a cone. It brightens what is there, as light does."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Pool of light")
    kind: Literal["light"] = "light"
    colour: AnimatedColour = control((1.0, 0.72, 0.4), "Colour", soft=(0, 1), step=0.01, widget="colour")
    strength: AnimatedNumber = control(1.0, "Strength", soft=(0, 4), hard=(0, 64), step=0.02)
    inner: AnimatedNumber = control(40.0, "Full within", soft=(0, 600), hard=(0, 1e5), step=1, unit="px")
    outer: AnimatedNumber = control(260.0, "Gone beyond", soft=(1, 1500), hard=(1, 1e5), step=1, unit="px")
    aim: AnimatedNumber = control(
        90.0, "Aim", soft=(-180, 180), step=0.5, unit="°", help="Where a cone points: 0 is to the right, 90 down."
    )
    cone: AnimatedNumber = control(
        360.0, "Cone", soft=(5, 360), hard=(0, 360), step=1, unit="°", help="How wide it shines; at 360 all round."
    )
    cone_soft: AnimatedNumber = control(20.0, "Cone's edge", soft=(0, 90), hard=(0, 180), step=0.5, unit="°")
    dim: AnimatedNumber = control(
        0.0, "Dim the rest", soft=(0, 1), hard=(0, 1), help="How much of the light that was there is taken away."
    )
