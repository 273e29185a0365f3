"""Curves: drawn curves for luma and each channel."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.animate.drawn import Points, curve_values, points_of
from tropein.core.document import AnimatedCurve, DrawnCurve, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import DISPLAY, GRID, WORKING, convert, table
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.tone import tone
from tropein.core.rows import tones
from tropein.core.rows.points import Use

_COARSE = convert(np.repeat(tones.GRID[:, None], 3, 1), WORKING, DISPLAY)[:, 0].astype(np.float64)


@lru_cache(64)
def _through(points: Points, fine: bool) -> NDArray[np.float32]:
    """Linear value -> display value -> curve -> linear value."""
    display = table(WORKING, DISPLAY).astype(np.float64) if fine else _COARSE
    bent = np.clip(curve_values(points, display), 0, 1e4).astype(np.float32)
    return np.ascontiguousarray(convert(np.repeat(bent[:, None], 3, 1), DISPLAY, WORKING)[:, 0])


def _tables(values: Values, fine: bool) -> tuple[list[NDArray[np.float32]], NDArray[np.float32] | None]:
    """A table of each channel, and of a gain by luma where there is one."""

    channels = [_through(points_of(values[name]), fine) for name in ("red", "green", "blue")]
    luma = points_of(values["luma"])
    if luma == ((0.0, 0.0), (1.0, 1.0)):
        return channels, None
    return channels, (_through(luma, fine) / np.maximum(GRID if fine else tones.GRID, 1e-6)).astype(np.float32)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    channels, gain = _tables(values, True)
    return tone(picture, np.stack(channels), 1.0, gain)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    channels, gain = _tables(values, False)
    return [tones.toned(channels, 1.0, gain)]


@effect(_apply, _rows, itself)
class Curves(EffectBase):
    """Drawn curves: luma keeps hue and saturation, red, green and blue bend one channel each."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Curves")
    kind: Literal["curves"] = "curves"
    luma: AnimatedCurve = control(DrawnCurve(), "Luma", widget="curve")
    red: AnimatedCurve = control(DrawnCurve(), "Red", widget="curve")
    green: AnimatedCurve = control(DrawnCurve(), "Green", widget="curve")
    blue: AnimatedCurve = control(DrawnCurve(), "Blue", widget="curve")
