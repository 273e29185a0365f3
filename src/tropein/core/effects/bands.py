"""Dark, middle and light."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, AnimatedVec3, EffectBase, control
from tropein.core.effects.grade import balance
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.colour import LUMA, encoded
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.srgb import exp2, shown
from tropein.core.rows.points import Point, Use

_WR, _WG, _WB = (float(v) for v in LUMA)
NAMES = ("dark", "middle", "light")
LEAST = 1e-3


def _numbers(values: Values) -> tuple[float, ...]:
    """Where the bands begin to give way to each other and how fast, and of each the log2 of its gains."""
    low, high = values["low"], max(values["high"], values["low"] + LEAST)
    over = max(values["overlap"], LEAST)
    gains = []
    for name in NAMES:
        warm, tint, stops = values[name]
        gains += (np.log2(balance(warm, tint)) + stops).tolist()
    return low - over / 2, high - over / 2, 1 / over, *gains


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty:
        return picture
    low, high, by, *gains = _numbers(values)
    alpha = np.maximum(picture.pixels[..., 3:], 1e-6)
    luma = encoded(np.ascontiguousarray((picture.pixels[..., :3] / alpha) @ LUMA, np.float32))
    a, b = (np.clip((luma - start) * by, 0, 1) for start in (low, high))
    a, b = a * a * (3 - 2 * a), b * b * (3 - 2 * b)
    shares = np.stack([1 - a, a * (1 - b), a * b], -1)
    pixels = picture.pixels.copy()
    pixels[..., :3] *= np.exp2(shares @ np.array(gains).reshape(3, 3)).astype(np.float32)
    return Picture(pixels, w)


def banded(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero, one, two, three = np.float32(0), np.float32(1), np.float32(2), np.float32(3)
    luma = shown(max(np.float32(_WR) * r + np.float32(_WG) * g + np.float32(_WB) * b, zero))
    t = min(max((luma - n[0]) * n[2], zero), one)
    u = min(max((luma - n[1]) * n[2], zero), one)
    t = t * t * (three - two * t)
    u = u * u * (three - two * u)
    dark, middle, light = one - t, t * (one - u), t * u
    return (
        r * exp2(dark * n[3] + middle * n[6] + light * n[9]), g * exp2(dark * n[4] + middle * n[7] + light * n[10]),
        b * exp2(dark * n[5] + middle * n[8] + light * n[11]),
    )  # fmt: skip


BANDED = Point(banded, domain="linear", count=12)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(BANDED, _numbers(values))]


def _band(title: str) -> AnimatedVec3:
    made: AnimatedVec3 = control((0.0, 0.0, 0.0), title, soft=(-4, 4), step=0.02, widget="chip", help="Warmer, more magenta, and stops lighter; below 0 cooler, greener, darker.")  # fmt: skip
    return made


@effect(_apply, _rows)
class Bands(EffectBase):
    """The dark, the middle and the light of a picture, each warmed, tinted and lit by itself; they go over into each other between two bounds."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Dark, middle, light")
    kind: Literal["bands"] = "bands"
    dark: AnimatedVec3 = _band("Dark")
    middle: AnimatedVec3 = _band("Middle")
    light: AnimatedVec3 = _band("Light")
    low: AnimatedNumber = control(
        0.3, "Dark up to", soft=(0, 1), hard=(-1, 4), step=0.005, help="Brightness as a display shows it."
    )
    high: AnimatedNumber = control(0.65, "Light from", soft=(0, 1), hard=(-1, 4), step=0.005)
    overlap: AnimatedNumber = control(
        0.3, "Overlap", soft=(0.02, 1), hard=(0.001, 4), step=0.005, help="How softly one goes over into the next."
    )
