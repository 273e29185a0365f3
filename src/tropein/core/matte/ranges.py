"""Coverage from ranges of brightness and colour, on display-encoded values, where they match what the eye sees."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert

Plane = NDArray[np.float32]


@dataclass(frozen=True)
class ColourRange:
    """Hue and its whole width in degrees; saturation 0..1 from; lightness from and to; softness 0..1 of each range."""

    hue: float
    hue_width: float
    saturation: float
    dark: float
    light: float
    softness: float


def _step(values: Plane, at: float, softness: float) -> Plane:
    """0 below, 1 above, a smooth ramp of `softness` ending at `at`."""
    if softness < 1e-4:
        return (values >= at).astype(np.float32)
    t = np.clip((values - (at - softness)) / softness, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def luma(rgb: NDArray[np.float32], low: float, high: float, softness: float) -> Plane:
    """(h, w) coverage of (h, w, 3) linear light whose display luma lies between low and high."""
    values = convert(np.ascontiguousarray(rgb), WORKING, DISPLAY) @ LUMA
    return _step(values, low, softness) * (1 - _step(values, high + softness, softness))


def colour(rgb: NDArray[np.float32], r: ColourRange) -> Plane:
    """(h, w) coverage of (h, w, 3) linear light by hue, saturation and lightness (HSV's hue and saturation)."""
    shown = np.clip(convert(np.ascontiguousarray(rgb), WORKING, DISPLAY), 0, None)
    top, bottom = shown.max(-1), shown.min(-1)
    chroma = top - bottom
    safe = np.maximum(chroma, 1e-6)
    red, green, blue = np.moveaxis(shown, -1, 0)
    hue = np.where(
        top == red, (green - blue) / safe, np.where(top == green, 2 + (blue - red) / safe, 4 + (red - green) / safe)
    )
    away = np.abs((hue * 60 - r.hue + 180) % 360 - 180)
    half = r.hue_width / 2
    by_hue = 1 - _step(away, half * (1 + r.softness) + 1e-3, half * r.softness) if r.hue_width < 360 else 1.0
    by_saturation = _step(chroma / np.maximum(top, 1e-6), r.saturation, r.softness * max(r.saturation, 0.05))
    soft = r.softness * 0.5 * min(1.0, max(r.light - r.dark, 0.05))
    by_light = _step(top, r.dark, soft) * (1 - _step(top, r.light + soft, soft))
    # grey has no hue: it fades out as its colour does
    return (by_hue * by_saturation * by_light * np.clip(chroma / 0.02, 0, 1)).astype(np.float32)
