"""Threshold."""

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


def _numbers(values: Values) -> tuple[float, float]:
    soft = max(values["soft"], 1e-4)
    return values["level"] - soft / 2, 1 / soft


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    low, by = _numbers(values)

    def change(v: Colours) -> Colours:
        t = np.clip(((v @ LUMA) - np.float32(low)) * np.float32(by), 0, 1)
        return np.repeat((t * t * (3 - 2 * t))[..., None], 3, -1)

    return on_display(picture, change)


def threshold(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    luma = np.float32(_WR) * r + np.float32(_WG) * g + np.float32(_WB) * b
    t = min(max((luma - n[0]) * n[1], np.float32(0)), np.float32(1))
    t = t * t * (np.float32(3) - np.float32(2) * t)
    return t, t, t


THRESHOLD = Point(threshold, domain="display", count=2)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(THRESHOLD, _numbers(values))]


@effect(_apply, _rows, itself)
class Threshold(EffectBase):
    """White where it is brighter than a level, black where it is darker."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Threshold")
    kind: Literal["threshold"] = "threshold"
    level: AnimatedNumber = control(0.5, "Level", soft=(0, 1), hard=(-1, 16), step=0.005)
    soft: AnimatedNumber = control(0.1, "Softness", soft=(0, 1), hard=(0, 16), step=0.005)
