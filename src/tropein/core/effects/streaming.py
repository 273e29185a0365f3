"""Draw out light."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, CentredEffect, control
from tropein.core.effects.registry import Values, effect, own_centre
from tropein.core.raster.colour import LUMA
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture
from tropein.core.raster.streaming import HALF, enlarged, halved, streaming

MOST_PX = 1200


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty or values["amount"] <= 0 or values["length"] <= 0:
        return picture
    x, y = own_centre(values)
    window = w
    if not picture.opaque:
        far = max(math.hypot(cx - x, cy - y) for cx in (w.x0, w.x1) for cy in (w.y0, w.y1))
        window = w.grow(min(math.ceil(far * values["length"]), round(MOST_PX * scale)))
    pixels = picture.pixels if window == w else picture.fill(window)
    h, wide = pixels.shape[:2]
    small = halved(pixels)
    luma = small[..., :3] @ LUMA
    part = np.maximum(luma - np.float32(values["threshold"]) * small[..., 3], 0) / np.maximum(luma, 1e-6)
    if values["shafts"] > 0:
        cell = max(values["grain"] * scale / HALF, 2.0)
        noise = fractal(
            small.shape[1], small.shape[0], cell, drift=values["boil"] * values["frame"] / 24, seed=3, octaves=2
        )
        part *= np.clip(1 + np.float32(2.4 * values["shafts"]) * noise, 0, 4)
    light = small[..., :3] * part[..., None] * (np.array(values["tint"], np.float32) * np.float32(values["amount"]))
    drawn = streaming(light, ((x - window.x0) / HALF, (y - window.y0) / HALF), values["length"], values["decay"])
    added = enlarged(drawn, h, wide)
    out = np.array(pixels, np.float32)
    out[..., :3] += added
    return Picture(out, window)


@effect(_apply)
class DrawOutLight(CentredEffect):
    """Lets bright parts stream away from a place, as light does through haze."""

    use: ClassVar[str] = "Light"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Draw out light")
    kind: Literal["draw-out"] = "draw-out"
    threshold: AnimatedNumber = control(
        0.5, "Threshold", soft=(0, 2), hard=(0, 100), help="Linear brightness above which light streams."
    )
    length: AnimatedNumber = control(
        0.6, "Length", soft=(0, 0.95), hard=(0, 0.98), help="How far, as a share of the way to the place."
    )
    decay: AnimatedNumber = control(0.7, "Decay", soft=(0, 1), hard=(0, 1))
    amount: AnimatedNumber = control(4.0, "Amount", soft=(0, 12), hard=(0, 100))
    tint: AnimatedColour = control((1.0, 1.0, 1.0), "Tint", widget="colour")
    shafts: AnimatedNumber = control(
        0.6, "Shafts", soft=(0, 1), hard=(0, 1), help="How uneven the light is that comes through."
    )
    grain: AnimatedNumber = control(40.0, "Shafts' size", soft=(4, 200), hard=(1, 2000), step=1, unit="px")
    boil: AnimatedNumber = control(0.5, "Boil", soft=(0, 4), hard=(-50, 50))
