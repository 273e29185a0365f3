"""Levels."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.srgb import power
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

LEAST = 1e-3


def _numbers(values: Values) -> tuple[float, float, float, float, float]:
    """Black and one by what it is multiplied, an exponent, what black becomes and how far white is from that."""
    low, out = values["black"], values["black_out"]
    return low, 1 / max(values["white"] - low, LEAST), 1 / max(values["middle"], LEAST), out, values["white_out"] - out


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    low, by, exponent, out, span = _numbers(values)

    def change(v: Colours) -> Colours:
        return np.maximum((v - low) * by, 0) ** exponent * span + out

    return on_display(picture, change)


def levels(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero, tiny = np.float32(0), np.float32(1e-7)
    r = max((r - n[0]) * n[1], zero)
    g = max((g - n[0]) * n[1], zero)
    b = max((b - n[0]) * n[1], zero)
    r = power(r, n[2]) if r > tiny else zero
    g = power(g, n[2]) if g > tiny else zero
    b = power(b, n[2]) if b > tiny else zero
    return r * n[4] + n[3], g * n[4] + n[3], b * n[4] + n[3]


LEVELS = Point(levels, domain="display", count=5)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(LEVELS, _numbers(values))]


@effect(_apply, _rows, itself)
class Levels(EffectBase):
    """Where black, middle and white lie, as the display shows them, and what they become."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Levels")
    kind: Literal["levels"] = "levels"
    black: AnimatedNumber = control(0.0, "Black at", soft=(0, 1), hard=(-4, 4), step=0.005)
    white: AnimatedNumber = control(1.0, "White at", soft=(0, 1), hard=(-4, 16), step=0.005)
    middle: AnimatedNumber = control(
        1.0, "Middle", soft=(0.2, 4), hard=(0.01, 100), help="Above 1 the middle gets lighter."
    )
    black_out: AnimatedNumber = control(0.0, "Black becomes", soft=(0, 1), hard=(-4, 4), step=0.005)
    white_out: AnimatedNumber = control(1.0, "White becomes", soft=(0, 1), hard=(-4, 16), step=0.005)
