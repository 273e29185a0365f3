"""Glow: what is bright spreads light around it."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, of_radius
from tropein.core.raster.glow import glowing
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    """Light above the threshold, spread over several scales and added (plus-lighter)."""
    if picture.window.empty or values["amount"] <= 0:
        return picture
    return glowing(
        picture, values["threshold"], values["radius"] * scale, max(1, round(values["scales"])),
        np.array(values["tint"], np.float32), values["amount"],
    )  # fmt: skip


@effect(_apply, reach=of_radius)
class Glow(EffectBase):
    """Lets bright parts spread light around them, over several scales at once."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Glow")
    kind: Literal["glow"] = "glow"
    threshold: AnimatedNumber = control(
        0.6, "Threshold", soft=(0, 2), hard=(0, 100), help="Linear brightness above which light spreads."
    )
    radius: AnimatedNumber = control(30.0, "Radius", soft=(1, 200), hard=(0, 4000), step=0.5, unit="px")
    amount: AnimatedNumber = control(1.0, "Amount", soft=(0, 4), hard=(0, 100))
    tint: AnimatedColour = control((1.0, 1.0, 1.0), "Tint", widget="colour")
    scales: AnimatedNumber = control(
        4.0, "Scales", soft=(1, 7), hard=(1, 8), step=1, help="How many blurs, each half as wide as the one before."
    )
