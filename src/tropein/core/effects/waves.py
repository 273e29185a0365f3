"""Waves."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bend import bent, bent_window
from tropein.core.raster.picture import Picture

FRAMES = 24.0  # speed 1 passes one wave in so many frames


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    far, length = values["height"] * scale, max(values["length"] * scale, 1e-3)
    if picture.window.empty or far == 0:
        return picture
    angle, steps = math.radians(values["angle"]), round(values["steps"])
    window = bent_window(picture, abs(far))
    xs, ys = (
        np.arange(a, b, dtype=np.float32) + np.float32(0.5) for a, b in ((window.x0, window.x1), (window.y0, window.y1))
    )
    # of waves along a side, one column or row tells all
    sideways, down = np.float32(-math.sin(angle)), np.float32(math.cos(angle))
    across = ys[:, None] * down if abs(sideways) < 1e-6 else xs[None] * sideways
    if abs(sideways) >= 1e-6 and abs(down) >= 1e-6:
        across = across + ys[:, None] * down
    turn = across / np.float32(length) + np.float32(values["speed"] * values["frame"] / FRAMES % 1.0)
    if steps > 1:
        turn = np.floor(turn * steps) / steps
    swing = np.float32(far) * np.sin(np.float32(2 * math.pi) * turn)
    return bent(picture, window, swing * np.float32(math.cos(angle)), swing * np.float32(math.sin(angle)))


@effect(_apply)
class Waves(EffectBase):
    """Pushes the picture to and fro in waves that run across it, smooth or in steps."""

    use: ClassVar[str] = "Bend"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Waves")
    kind: Literal["waves"] = "waves"
    height: AnimatedNumber = control(8.0, "Height", soft=(0, 80), hard=(-4000, 4000), step=0.25, unit="px")
    length: AnimatedNumber = control(60.0, "Length", soft=(4, 400), hard=(0.5, 20_000), step=1, unit="px")
    angle: AnimatedNumber = control(
        0.0,
        "Angle",
        soft=(-180, 180),
        step=0.5,
        unit="°",
        help="The way it is pushed: 0 is to the right; waves run across that.",
    )
    speed: AnimatedNumber = control(0.5, "Speed", soft=(-4, 4), hard=(-100, 100), help="Waves that pass in 24 frames.")
    steps: AnimatedNumber = control(
        0.0, "Steps", soft=(0, 24), hard=(0, 400), step=1, help="From 2 on, each wave is cut into so many steps."
    )
