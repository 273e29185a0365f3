"""Channels and their opposites."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use


def _numbers(values: Values) -> tuple[float, ...]:
    return (*values["red"], *values["green"], *values["blue"], values["invert"])


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    numbers = np.array(_numbers(values), np.float32)

    def change(v: Colours) -> Colours:
        mixed = v @ numbers[:9].reshape(3, 3).T
        return mixed + numbers[9] * (1 - 2 * mixed)

    return on_display(picture, change)


def channels(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    one, two = np.float32(1), np.float32(2)
    p = n[0] * r + n[1] * g + n[2] * b
    q = n[3] * r + n[4] * g + n[5] * b
    s = n[6] * r + n[7] * g + n[8] * b
    return p + n[9] * (one - two * p), q + n[9] * (one - two * q), s + n[9] * (one - two * s)


CHANNELS = Point(channels, domain="display", count=10)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(CHANNELS, _numbers(values))]


@effect(_apply, _rows, itself)
class Channels(EffectBase):
    """What of red, green and blue each channel is made of; or the opposite of it all."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Mix channels")
    kind: Literal["channels"] = "channels"
    red: AnimatedColour = control((1.0, 0.0, 0.0), "Red is of", soft=(0, 2), widget="triple")
    green: AnimatedColour = control((0.0, 1.0, 0.0), "Green is of", soft=(0, 2), widget="triple")
    blue: AnimatedColour = control((0.0, 0.0, 1.0), "Blue is of", soft=(0, 2), widget="triple")
    invert: AnimatedNumber = control(
        0.0, "Opposite", soft=(0, 1), hard=(0, 1), help="At 1 light is dark and dark is light."
    )
