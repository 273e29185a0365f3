"""Shimmer."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bend import bent
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture

FRAMES = 24.0
OCTAVES = 3


def _ramp(first: int, last: int, window: tuple[int, int], fade: float) -> NDArray[np.float32]:
    """0 at both ends of a side, 1 from a share `fade` of it inwards."""
    at = (np.arange(*window, dtype=np.float32) + np.float32(0.5) - first) / np.float32(max(last - first, 1))
    t = np.clip(np.minimum(at, 1 - at) / np.float32(max(fade / 2, 1e-6)), 0, 1)
    return t * t * (3 - 2 * t)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    far, cell = values["amount"] * scale, max(values["cell"] * scale, 1.0)
    if picture.window.empty or far == 0:
        return picture
    w = picture.window
    grown = w.grow(math.ceil(2 * abs(far)) + 1)
    window = w if picture.opaque else grown
    second = values["frame"] / FRAMES
    rise = round(values["rise"] * scale * second)

    def aside(which: int) -> NDArray[np.float32]:
        return fractal(
            window.width, window.height, cell, x0=window.x0, y0=window.y0 + rise, drift=values["boil"] * second,
            seed=int(values["seed"]) * 2 + which, octaves=OCTAVES,
        )  # fmt: skip

    fade = values["fade"]
    share = _ramp(w.y0, w.y1, (window.y0, window.y1), fade)[:, None] * _ramp(w.x0, w.x1, (window.x0, window.x1), fade)
    push = share * np.float32(2 * far)
    return bent(picture, window, aside(0) * push, aside(1) * push / 2)


@effect(_apply)
class Shimmer(EffectBase):
    """Hot air: fine and rising, stronger sideways than up, fading to the edges of the picture it bends."""

    use: ClassVar[str] = "Bend"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Shimmer")
    kind: Literal["shimmer"] = "shimmer"
    amount: AnimatedNumber = control(2.6, "Amount", soft=(0, 20), hard=(-400, 400), step=0.05, unit="px")
    cell: AnimatedNumber = control(17.0, "Size", soft=(4, 120), hard=(1, 4000), step=0.5, unit="px")
    rise: AnimatedNumber = control(
        120.0,
        "Rise",
        soft=(-300, 400),
        hard=(-20_000, 20_000),
        step=1,
        unit="px/s",
        help="How fast it goes up, per 24 frames.",
    )
    boil: AnimatedNumber = control(1.2, "Boil", soft=(0, 4), hard=(-50, 50), help="How fast it changes on its way.")
    fade: AnimatedNumber = control(
        0.4, "Fades within", soft=(0, 1), hard=(0, 1), help="How much of the picture's sides it takes to come up."
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
