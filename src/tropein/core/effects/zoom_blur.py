"""Zoom blur."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, CentredEffect, control
from tropein.core.effects.registry import Values, effect, own_centre
from tropein.core.raster.along import averaged
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import Matrix, rotation, scaling, translation


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    growth, turn = values["grow"], values["turn"]
    if w.empty or (growth == 0 and turn == 0):
        return picture
    x, y = own_centre(values)
    rate = math.log1p(max(growth, -0.99))

    def move(t: float) -> Matrix:
        size = math.exp(rate * t)
        return translation(x, y) @ rotation(turn * t) @ scaling(size, size) @ translation(-x, -y)

    reach = max(math.hypot(cx - x, cy - y) for cx in (w.x0, w.x1) for cy in (w.y0, w.y1))
    return averaged(picture, move, reach * (abs(rate) + abs(math.radians(turn))))


@effect(_apply)
class ZoomBlur(CentredEffect):
    """Blurs away from a centre, about it, or both: what rushes towards the lens, what spins."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Zoom and spin")
    kind: Literal["zoom-blur"] = "zoom-blur"
    grow: AnimatedNumber = control(
        0.1, "Growth", soft=(0, 1), hard=(-0.9, 10), step=0.005, help="How much larger the picture gets meanwhile."
    )
    turn: AnimatedNumber = control(0.0, "Turn", soft=(0, 45), hard=(-180, 180), step=0.1, unit="°")
