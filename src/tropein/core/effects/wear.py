"""Wear."""

from __future__ import annotations

from typing import ClassVar, Literal

import numba as nb
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
    out = np.empty_like(picture.pixels)
    light = np.array(values["colour"], np.float32) * np.float32(values["light"])
    numbers = np.array([gone * (1 + soft + rim) - soft - rim, soft, soft + rim, 1 / SPREAD], np.float32)
    _worn(np.ascontiguousarray(picture.pixels), noise, numbers, light, out)
    return Picture(out, w)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _worn(pixels, noise, numbers, light, out):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    edge, soft, reach, spread = numbers[0], numbers[1], numbers[2], numbers[3]
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            left = min(max(np.float32(0.5) + noise[y, x] * spread, zero), one) - edge
            keep = min(max(left / soft, zero), one)
            keep = keep * keep * (np.float32(3) - np.float32(2) * keep)
            rim = min(max(one - left / reach, zero), one)
            a = pixels[y, x, 3] * keep
            glow = rim * np.sqrt(rim) * a
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] * keep + glow * light[c]
            out[y, x, 3] = a


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
