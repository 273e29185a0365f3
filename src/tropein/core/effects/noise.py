"""Noise: drifting, boiling clouds of light."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.grain import cloud_light, fractal
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows import grains
from tropein.core.rows.points import Use

HALVED_FROM_PX = 6.0  # the finest clouds from which half the pixels show them as well
FRAMES = 24.0  # speed 1 boils once in so many frames


def _clouds(values: Values, scale: float, w: Window) -> tuple[NDArray[np.float32], int]:
    """Clouds over a window, and how many of its pixels across each of their values stands for."""
    detail = int(round(values["detail"]))
    size = max(values["size"] * scale, 1.0)
    step = 2 if size / 2 ** (detail - 1) >= HALVED_FROM_PX else 1
    drift = values["speed"] * values["frame"] / FRAMES
    across, down = -(-w.width // step), -(-w.height // step)
    x0, y0, seed = w.x0 // step, w.y0 // step, int(values["seed"])
    return fractal(across, down, size / step, x0=x0, y0=y0, drift=drift, seed=seed, octaves=detail), step


def _gains(values: Values) -> NDArray[np.float32]:
    return np.array(values["colour"], np.float32) * np.float32(values["amount"])


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty or values["amount"] == 0:
        return picture
    clouds, step = _clouds(values, scale, w)
    lit = cloud_light(picture.pixels, clouds, step, values["contrast"], 0.5 + values["level"], _gains(values))
    return Picture(lit, w)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    if window.empty or values["amount"] == 0:
        return []
    clouds, step = _clouds(values, scale, window)
    numbers = (values["contrast"], 0.5 + values["level"], *_gains(values).tolist())
    h, w = clouds.shape
    return [Use(grains.clouds, numbers, (w, h, window.x0, window.y0, step), (clouds,))]


@effect(_apply, _rows)
class Noise(EffectBase):
    """Adds the light of drifting clouds where the picture is."""

    use: ClassVar[str] = "Grain"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Noise")
    kind: Literal["noise"] = "noise"
    amount: AnimatedNumber = control(0.2, "Amount", soft=(0, 1), hard=(0, 20))
    size: AnimatedNumber = control(120.0, "Size", soft=(4, 600), hard=(1, 8000), step=1, unit="px")
    detail: AnimatedNumber = control(
        5.0, "Detail", soft=(1, 8), hard=(1, 9), step=1, help="How many finer clouds lie on the large ones."
    )
    contrast: AnimatedNumber = control(1.5, "Contrast", soft=(0, 4), hard=(0, 40))
    level: AnimatedNumber = control(-0.3, "Level", soft=(-1, 1), hard=(-20, 20))
    speed: AnimatedNumber = control(0.5, "Speed", soft=(0, 4), hard=(-50, 50), help="How fast they boil.")
    colour: AnimatedColour = control((1.0, 1.0, 1.0), "Colour", soft=(0, 2), widget="colour")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
