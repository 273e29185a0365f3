"""Saturation by brightness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

_WR, _WG, _WB = (float(v) for v in LUMA)


def _numbers(values: Values) -> tuple[float, ...]:
    return values["dark"], values["middle"], values["light"], values["pale"]


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    dark, middle, light, pale = _numbers(values)

    def change(v: Colours) -> Colours:
        luma = (v @ LUMA)[..., None]
        t = np.clip(luma, 0, 1)
        low, high = (1 - t) ** 2, t**2
        gain = dark * low + light * high + middle * (1 - low - high)
        chroma = v.max(-1, keepdims=True) - v.min(-1, keepdims=True)
        gain = gain + gain * (pale * np.clip(1 - 2 * chroma, 0, 1))
        return luma + (v - luma) * np.float32(1) * gain

    return on_display(picture, change)


def saturated(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero, one = np.float32(0), np.float32(1)
    luma = np.float32(_WR) * r + np.float32(_WG) * g + np.float32(_WB) * b
    t = min(max(luma, zero), one)
    low, high = (one - t) * (one - t), t * t
    gain = n[0] * low + n[2] * high + n[1] * (one - low - high)
    chroma = max(r, max(g, b)) - min(r, min(g, b))
    gain += gain * n[3] * min(max(one - np.float32(2) * chroma, zero), one)
    return luma + (r - luma) * gain, luma + (g - luma) * gain, luma + (b - luma) * gain


SATURATED = Point(saturated, domain="display", count=4)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(SATURATED, _numbers(values))]


@effect(_apply, _rows, itself)
class Saturation(EffectBase):
    """How strong colours are, apart for dark, middle and light ones; pale ones may be raised more than those that are strong."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Colour by brightness")
    kind: Literal["saturation"] = "saturation"
    dark: AnimatedNumber = control(1.0, "In the dark", soft=(0, 2), hard=(0, 20))
    middle: AnimatedNumber = control(1.0, "In the middle", soft=(0, 2), hard=(0, 20))
    light: AnimatedNumber = control(1.0, "In the light", soft=(0, 2), hard=(0, 20))
    pale: AnimatedNumber = control(0.0, "Pale ones more", soft=(-1, 2), hard=(-1, 10))
