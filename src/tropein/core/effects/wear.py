"""Wear."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture

FRAMES = 24.0
SPREAD = 1.6  # of five octaves: how far the noise reaches to either side, nearly


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w, gone = picture.window, values["gone"]
    if w.empty or gone <= 0:
        return picture
    second = values["frame"] / FRAMES
    noise = fractal(
        w.width, w.height, max(values["cell"] * scale, 1.0), x0=w.x0, y0=w.y0 + round(values["rise"] * scale * second),
        drift=values["boil"] * second, seed=int(values["seed"]), octaves=round(values["detail"]),
    )  # fmt: skip
    soft = max(values["soft"], 1e-3)
    rim = max(values["rim"], 0.0)
    # from where nothing is gone to where all is: noise, softness and rim all lie on the way
    level = np.clip(0.5 + noise / np.float32(SPREAD), 0, 1)
    left = level - np.float32(gone * (1 + soft + rim) - soft - rim)
    keep = np.clip(left / np.float32(soft), 0, 1)
    keep = keep * keep * (3 - 2 * keep)
    out = picture.pixels * keep[..., None]
    if values["light"] > 0:
        glow = np.clip(1 - left / np.float32(soft + rim), 0, 1) ** 1.5 * out[..., 3] * np.float32(values["light"])
        for c in range(3):
            out[..., c] += glow * np.float32(values["colour"][c])
    return Picture(out, w)


@effect(_apply)
class Wear(EffectBase):
    """Eaten away by clouds until nothing is left, with an edge that may glow: burning, dissolving, old paint."""

    use: ClassVar[str] = "Break"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Wear")
    kind: Literal["wear"] = "wear"
    gone: AnimatedNumber = control(0.4, "Gone", soft=(0, 1), hard=(0, 1), help="At 1 nothing is left.")
    cell: AnimatedNumber = control(90.0, "Size", soft=(4, 600), hard=(1, 8000), step=1, unit="px")
    detail: AnimatedNumber = control(5.0, "Detail", soft=(1, 8), hard=(1, 9), step=1)
    soft: AnimatedNumber = control(0.06, "Softness", soft=(0, 0.5), hard=(0, 4), step=0.005)
    rim: AnimatedNumber = control(0.06, "Edge width", soft=(0, 0.5), hard=(0, 4), step=0.005)
    colour: AnimatedColour = control((1.0, 0.42, 0.1), "Edge colour", soft=(0, 1), widget="colour")
    light: AnimatedNumber = control(3.0, "Edge light", soft=(0, 12), hard=(0, 1000), step=0.05)
    boil: AnimatedNumber = control(0.0, "Boil", soft=(0, 4), hard=(-50, 50))
    rise: AnimatedNumber = control(0.0, "Rise", soft=(-300, 300), hard=(-20_000, 20_000), step=1, unit="px/s")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
