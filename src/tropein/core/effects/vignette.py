"""Vignette."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.srgb import exp2
from tropein.core.rows.points import Point, Use


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty or values["stops"] == 0:
        return picture
    # from the middle, 1 at the middle of the sides when round is 0, in the corners of a square when it is 1
    half = np.array([w.width, w.height], np.float32) / 2
    half += (half.mean() - half) * np.float32(values["round"])
    x = (np.arange(w.width, dtype=np.float32) + np.float32(0.5 - w.width / 2)) / half[0]
    y = (np.arange(w.height, dtype=np.float32) + np.float32(0.5 - w.height / 2)) / half[1]
    away = np.sqrt(x[None] ** 2 + y[:, None] ** 2)
    t = np.clip((away - np.float32(values["size"])) / np.float32(max(values["soft"], 1e-3)), 0, 1)
    gain = np.exp2(-np.float32(values["stops"]) * t * t * (3 - 2 * t))
    pixels = picture.pixels.copy()
    pixels[..., :3] *= gain[..., None]
    return Picture(pixels, w)


def vignette(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    across, down = (x - n[0]) * n[2], (y - n[1]) * n[3]
    t = min(max((np.sqrt(across * across + down * down) - n[4]) * n[5], np.float32(0)), np.float32(1))
    gain = exp2(n[6] * t * t * (np.float32(3) - np.float32(2) * t))
    return r * gain, g * gain, b * gain


VIGNETTE = Point(vignette, count=7)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    if window.empty or values["stops"] == 0:
        return []
    w, h = window.width / 2, window.height / 2
    mean = (w + h) / 2
    across, down = (side + (mean - side) * values["round"] for side in (w, h))
    numbers = (
        window.x0 + w, window.y0 + h, 1 / across, 1 / down, values["size"], 1 / max(values["soft"], 1e-3), -values["stops"],
    )  # fmt: skip
    return [Use(VIGNETTE, numbers)]


@effect(_apply, _rows)
class Vignette(EffectBase):
    """Darkens towards the edges, in stops of light; below 0 it brightens them."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Vignette")
    kind: Literal["vignette"] = "vignette"
    stops: AnimatedNumber = control(1.0, "Darker by", soft=(0, 4), hard=(-8, 16), step=0.02, unit="stops")
    size: AnimatedNumber = control(
        0.5, "Clear within", soft=(0, 1.5), hard=(0, 10), step=0.01, help="1 is the middle of the picture's sides."
    )
    soft: AnimatedNumber = control(0.8, "Softness", soft=(0.05, 2), hard=(0, 20), step=0.01)
    round: AnimatedNumber = control(0.0, "Roundness", soft=(0, 1), hard=(0, 1), help="At 1 it is a circle.")
