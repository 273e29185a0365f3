"""Scan lines."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows.points import Point, Use

FRAMES = 24.0
FINEST_PX = 2.0  # lines that lie nearer than twice this fade: they would only make patterns


def _numbers(values: Values, scale: float) -> tuple[float, float, float]:
    """Turns a pixel, where they begin, and how dark: none where they are too fine to be seen."""
    every = max(values["every"] * scale, 1e-3)
    fades = min(max(every / FINEST_PX - 1, 0.0), 1.0)
    return 2 * math.pi / every, 2 * math.pi * values["roll"] * values["frame"] / FRAMES, values["dark"] * fades / 2


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    rate, begin, dark = _numbers(values, scale)
    y = np.arange(picture.window.y0, picture.window.y1, dtype=np.float64) + 0.5
    gain = (1 - dark + dark * np.cos(y * rate - begin)).astype(np.float32)
    pixels = picture.pixels.copy()
    pixels[..., :3] *= gain[:, None, None]
    return Picture(pixels, picture.window)


def scan_lines(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    gain = np.float32(1) - n[2] + n[2] * np.float32(math.cos(y * n[0] - n[1]))
    return r * gain, g * gain, b * gain


SCAN_LINES = Point(scan_lines, count=3)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    rate, begin, dark = _numbers(values, scale)
    return [Use(SCAN_LINES, (rate, math.fmod(begin, 2 * math.pi), dark))] if dark > 0 else []


@effect(_apply, _rows)
class ScanLines(EffectBase):
    """Dark lines across the picture, as displays have them; they may roll."""

    use: ClassVar[str] = "Break"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Scan lines")
    kind: Literal["scan-lines"] = "scan-lines"
    every: AnimatedNumber = control(4.0, "Every", soft=(2, 24), hard=(0.5, 2000), step=0.1, unit="px")
    dark: AnimatedNumber = control(0.5, "Darkness", soft=(0, 1), hard=(0, 1))
    roll: AnimatedNumber = control(
        0.0, "Roll", soft=(-4, 4), hard=(-100, 100), help="How many lines they move in 24 frames."
    )
