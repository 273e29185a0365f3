"""Bulge."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, CentredEffect, control
from tropein.core.effects.registry import Values, effect, own_centre
from tropein.core.raster.bend import bent
from tropein.core.raster.picture import Picture

STEEPEST = 0.95


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    amount = min(max(values["amount"], -STEEPEST), STEEPEST)
    turn = math.radians(values["turn"])
    w = picture.window
    if w.empty or values["radius"] <= 0 or (amount == 0 and turn == 0):
        return picture
    x, y = own_centre(values)
    # the radius is given where the centre is; own takes the picture's pixels there
    own = np.array(values["own"])
    reach = values["radius"] / max(math.sqrt(abs(np.linalg.det(own[:2, :2]))), 1e-9)
    dx = np.arange(w.x0, w.x1, dtype=np.float32)[None] + np.float32(0.5 - x)
    dy = np.arange(w.y0, w.y1, dtype=np.float32)[:, None] + np.float32(0.5 - y)
    left = np.maximum(1 - (dx * dx + dy * dy) / np.float32(reach * reach), 0)
    # what lies at r is fetched from r (1 - amount (1 - r^2)^2), turned by as much: smooth at the rim, and one to one
    share = left * left
    size, angle = 1 - np.float32(amount) * share, np.float32(-turn) * share
    c, s = np.cos(angle) * size, np.sin(angle) * size
    return bent(picture, w, dx * c - dy * s - dx, dx * s + dy * c - dy)


@effect(_apply)
class Bulge(CentredEffect):
    """Swells what lies about a place, or pinches it, and twists it: an eye, a lens of air, something under the skin."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Bulge")
    kind: Literal["bulge"] = "bulge"
    radius: AnimatedNumber = control(120.0, "Radius", soft=(0, 500), hard=(0, 1e5), step=0.5, unit="px")
    amount: AnimatedNumber = control(
        0.35, "Amount", soft=(-0.9, 0.9), hard=(-STEEPEST, STEEPEST), help="Below 0 it pinches."
    )
    turn: AnimatedNumber = control(0.0, "Twist", soft=(-180, 180), hard=(-3600, 3600), step=0.5, unit="°")
