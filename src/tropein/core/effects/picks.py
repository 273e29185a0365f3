"""Black, grey and white by picking."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import encoded
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.srgb import power
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

LEAST, LEAST_SPAN = 1e-4, 0.02
POWERS = (0.25, 4.0)


def _numbers(values: Values) -> tuple[float, ...]:
    """Of each channel what is taken off, what it is multiplied by, and an exponent: black goes to 0, white to 1 and grey loses its cast."""
    black, grey, white = (encoded(np.array([values[n]], np.float32))[0].astype(float) for n in ("black", "grey", "white"))  # fmt: skip
    span = np.maximum(white - black, LEAST_SPAN)
    share = np.clip((grey - black) / span, LEAST, 1 - LEAST)
    to = float(share @ [0.2126, 0.7152, 0.0722])
    exponent = np.clip(np.log(to) / np.log(share), *POWERS)
    return (*black.tolist(), *(1 / span).tolist(), *exponent.tolist())


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    numbers = np.array(_numbers(values)).reshape(3, 3)

    def change(v: Colours) -> Colours:
        return np.asarray(np.maximum((v - numbers[0]) * numbers[1], 0) ** numbers[2], v.dtype)

    return on_display(picture, change)


def picked(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero, tiny = np.float32(0), np.float32(1e-7)
    r = max((r - n[0]) * n[3], zero)
    g = max((g - n[1]) * n[4], zero)
    b = max((b - n[2]) * n[5], zero)
    r = power(r, n[6]) if r > tiny else zero
    g = power(g, n[7]) if g > tiny else zero
    b = power(b, n[8]) if b > tiny else zero
    return r, g, b


PICKED = Point(picked, domain="display", count=9)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(PICKED, _numbers(values))]


@effect(_apply, _rows, itself)
class Picks(EffectBase):
    """Sets a picture right by three places picked in it: what should be black, what white, and what grey."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Black, grey, white")
    kind: Literal["picks"] = "picks"
    black: AnimatedColour = control((0.0, 0.0, 0.0), "Should be black", soft=(0, 1), widget="colour")
    grey: AnimatedColour = control((0.214, 0.214, 0.214), "Should be grey", soft=(0, 1), widget="colour")
    white: AnimatedColour = control((1.0, 1.0, 1.0), "Should be white", soft=(0, 1), widget="colour")
