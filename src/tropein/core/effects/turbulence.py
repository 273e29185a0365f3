"""Turbulence."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bend import Aside, bent, bent_window
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture

FRAMES = 24.0  # speed 1 boils once in so many frames
COARSE_FROM_PX = 12.0  # the finest clouds from which a quarter of the pixels show them as well


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    far, size = values["amount"] * scale, max(values["size"] * scale, 1.0)
    if picture.window.empty or far == 0:
        return picture
    detail, seed = round(values["detail"]), int(values["seed"])
    drift = values["speed"] * values["frame"] / FRAMES
    rise = round(values["rise"] * scale * values["frame"] / FRAMES)
    window = bent_window(picture, abs(far))
    step = 4 if size / 2 ** (detail - 1) >= COARSE_FROM_PX else 1
    across, down = -(-window.width // step) + 1, -(-window.height // step) + 1

    def aside(which: int) -> Aside:
        clouds = fractal(
            across, down, size / step, x0=window.x0 // step, y0=(window.y0 + rise) // step, drift=drift, seed=seed * 2 + which,
            octaves=detail,
        )  # fmt: skip
        if step > 1:
            clouds = cv2.resize(clouds, (across * step, down * step), interpolation=cv2.INTER_LINEAR)
        return clouds[: window.height, : window.width] * (2 * far)

    return bent(picture, window, aside(0), aside(1))


@effect(_apply)
class Turbulence(EffectBase):
    """Bends the picture by drifting, boiling clouds: hot air, water, cloth. Fine and rising it shimmers."""

    use: ClassVar[str] = "Bend"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Turbulence")
    kind: Literal["turbulence"] = "turbulence"
    amount: AnimatedNumber = control(6.0, "Amount", soft=(0, 60), hard=(-2000, 2000), step=0.1, unit="px")
    size: AnimatedNumber = control(80.0, "Size", soft=(4, 600), hard=(1, 8000), step=1, unit="px")
    detail: AnimatedNumber = control(2.0, "Detail", soft=(1, 6), hard=(1, 9), step=1)
    speed: AnimatedNumber = control(1.0, "Speed", soft=(0, 4), hard=(-50, 50), help="How fast it boils.")
    rise: AnimatedNumber = control(
        0.0,
        "Rise",
        soft=(-300, 300),
        hard=(-20_000, 20_000),
        step=1,
        unit="px/s",
        help="How fast it goes up, per 24 frames.",
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
