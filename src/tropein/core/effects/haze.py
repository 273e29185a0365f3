"""Haze."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.srgb import exp2
from tropein.core.rows.points import Point, Use


def _numbers(values: Values, scale: float) -> tuple[float, ...]:
    """Where the haze begins and how it grows towards its side (in the frame's pixels), its most and its colour."""
    angle = math.radians(values["angle"])
    by = 1 / max(values["over"] * scale, 1e-3)
    thick = values["thick"] / math.log(2)
    return (
        math.cos(angle) * by,
        math.sin(angle) * by,
        values["begin"] * scale * by,
        thick,
        *values["colour"],
        values["all"] / math.log(2),
    )


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty:
        return picture
    across, down, begin, thick, r, g, b, everywhere = _numbers(values, scale)
    x, y = np.arange(w.x0, w.x1) + 0.5, np.arange(w.y0, w.y1) + 0.5
    t = np.clip(x[None] * across + y[:, None] * down - begin, 0, 1)
    clear = np.exp2(-(thick * t * t * (3 - 2 * t) + everywhere)).astype(np.float32)[..., None]
    pixels = picture.pixels.copy()
    alpha = pixels[..., 3:]
    pixels[..., :3] = pixels[..., :3] * clear + np.array([r, g, b], np.float32) * (alpha * (1 - clear))
    return Picture(pixels, w)


def haze(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    one = np.float32(1)
    t = min(max(x * n[0] + y * n[1] - n[2], np.float32(0)), one)
    clear = exp2(-(n[3] * t * t * (np.float32(3) - np.float32(2) * t) + n[7]))
    veil = a * (one - clear)
    return r * clear + n[4] * veil, g * clear + n[5] * veil, b * clear + n[6] * veil


HAZE = Point(haze, count=8)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(HAZE, _numbers(values, scale))]


@effect(_apply, _rows)
class Haze(EffectBase):
    """Air between the lens and the picture: what is far loses its blacks to the air's light, more towards one side, or everywhere."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Haze")
    kind: Literal["haze"] = "haze"
    all: AnimatedNumber = control(
        0.08, "Everywhere", soft=(0, 2), hard=(0, 50), help="Optical thickness: at 0.7 half of the light is the air's."
    )
    thick: AnimatedNumber = control(0.45, "Towards the side", soft=(0, 3), hard=(0, 50))
    angle: AnimatedNumber = control(
        -90.0, "Side", soft=(-180, 180), hard=(-3600, 3600), step=0.5, unit="°", help="0 is right, 90 down, -90 up."
    )
    begin: AnimatedNumber = control(
        -400.0,
        "Begins at",
        soft=(-1000, 1000),
        hard=(-1e6, 1e6),
        step=1,
        unit="px",
        help="Along that way, from the frame's corner.",
    )
    over: AnimatedNumber = control(400.0, "Grows over", soft=(10, 1000), hard=(1, 1e6), step=1, unit="px")
    colour: AnimatedColour = control((0.55, 0.6, 0.66), "Colour", soft=(0, 1), widget="colour")
