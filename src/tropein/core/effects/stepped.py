"""Steps of brightness."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

# an ordered pattern of 8 x 8 thresholds by its closed form (Bayer 1973): the bits of x xor y and y, from low to high
_SIDE = 8


def _thresholds() -> np.ndarray:  # type: ignore[type-arg]
    m = np.zeros((1, 1))
    while len(m) < _SIDE:
        m = np.block([[4 * m, 4 * m + 2], [4 * m + 3, 4 * m + 1]])
    return ((m + 0.5) / m.size - 0.5).astype(np.float32)


PATTERN = _thresholds()


def _numbers(values: Values) -> tuple[float, float]:
    return float(max(round(values["steps"]), 2) - 1), values["dither"]


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    last, dither = _numbers(values)
    w = picture.window
    ys, xs = np.arange(w.y0, w.y1) % _SIDE, np.arange(w.x0, w.x1) % _SIDE
    push = PATTERN[ys][:, xs][..., None] * np.float32(dither)

    def change(v: Colours) -> Colours:
        return np.floor(np.maximum(v, 0) * np.float32(last) + np.float32(0.5) + push) / np.float32(last)

    return on_display(picture, change)


def stepped(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    half = np.float32(0.5)
    i, j = np.int64(np.floor(y)) & 7, np.int64(np.floor(x)) & 7
    k = i ^ j
    mixed = ((k & 1) << 5) | ((i & 1) << 4) | ((k & 2) << 2) | ((i & 2) << 1) | ((k & 4) >> 1) | ((i & 4) >> 2)
    push = half + ((np.float32(mixed) + half) * np.float32(1 / 64) - half) * n[1]
    return np.floor(r * n[0] + push) / n[0], np.floor(g * n[0] + push) / n[0], np.floor(b * n[0] + push) / n[0]


STEPPED = Point(stepped, domain="display", count=2)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(STEPPED, _numbers(values))]


@effect(_apply, _rows)
class Stepped(EffectBase):
    """Few steps of brightness in each channel, hard or dithered: a poor display, a print."""

    use: ClassVar[str] = "Break"
    model_config = ConfigDict(title="Few steps")
    kind: Literal["stepped"] = "stepped"
    steps: AnimatedNumber = control(5.0, "Steps", soft=(2, 32), hard=(2, 4096), step=1)
    dither: AnimatedNumber = control(
        0.0, "Dither", soft=(0, 1), hard=(0, 4), help="At 1 a fine pattern stands in for what lies between two steps."
    )
