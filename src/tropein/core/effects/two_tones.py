"""Map dark and bright."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use


def _ends(values: Values) -> Colours:
    """(2, 3) what black and white become, as the display shows them."""
    ends: Colours = convert(np.array([values["dark"], values["bright"]], np.float32), WORKING, DISPLAY)
    return ends


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    dark, bright = _ends(values)
    keep = np.float32(values["keep"])

    def change(v: Colours) -> Colours:
        luma = (v @ LUMA)[..., None]
        return dark + (luma + keep * (v - luma)) * (bright - dark)

    return on_display(picture, change)


def two_tones(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    luma = n[0] * r + n[1] * g + n[2] * b
    r, g, b = luma + n[3] * (r - luma), luma + n[3] * (g - luma), luma + n[3] * (b - luma)
    return n[4] + r * n[7], n[5] + g * n[8], n[6] + b * n[9]


TWO_TONES = Point(two_tones, domain="display", count=10)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    dark, bright = _ends(values)
    return [Use(TWO_TONES, (*LUMA.tolist(), values["keep"], *dark.tolist(), *(bright - dark).tolist()))]


@effect(_apply, _rows, itself)
class TwoTones(EffectBase):
    """Black becomes one colour and white another, what lies between goes from one to the other: haze and water have no black."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Map dark and bright")
    kind: Literal["two-tones"] = "two-tones"
    dark: AnimatedColour = control((0.012, 0.02, 0.035), "Dark becomes", soft=(0, 1), widget="colour")
    bright: AnimatedColour = control((0.85, 0.82, 0.75), "Bright becomes", soft=(0, 1), widget="colour")
    keep: AnimatedNumber = control(
        1.0,
        "Own colour",
        soft=(0, 1),
        hard=(0, 4),
        help="How much of its own colour is kept; at 0 only its brightness counts.",
    )
