"""Dropouts."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.hashed import of_cells
from tropein.core.raster.picture import Picture

TALLEST = 4096  # lines of a picture that may each lose something


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    moment = math.floor(values["frame"] / max(values["hold"], 1))
    line = max(values["line"] * scale, 0.25)
    if w.empty or values["often"] <= 0:
        return picture
    first, last = math.floor(w.y0 / line), math.ceil(w.y1 / line)
    if last - first > TALLEST:
        return picture
    seed, rows = int(values["seed"]), np.arange(first, last)

    def drawn(attribute: int) -> np.ndarray:  # type: ignore[type-arg]
        return of_cells(seed, moment, attribute, rows, np.zeros(1, np.int64))[:, 0]

    lost = np.flatnonzero(drawn(0) < values["often"])
    if not len(lost):
        return picture
    begin = w.x0 / scale + drawn(1)[lost] * (w.width / scale) * 1.2 - 0.2 * w.width / scale
    long = values["long"] * (0.2 + 1.6 * drawn(2)[lost] ** 2)
    bright = np.where(drawn(3)[lost] < values["bright"], 1.0, 0.0)
    xs = np.arange(w.x0, w.x1, dtype=np.float64) + 0.5
    pixels = picture.pixels.copy()
    for row, x, length, white in zip(rows[lost], begin * scale, long * scale, bright, strict=True):
        cover_x = np.clip(np.minimum(xs - x, (x + length - xs) / 3) + 0.5, 0, 1) * np.clip(
            (x + length - xs) / max(length, 1) * 3, 0, 1
        )
        for y in range(max(math.floor(row * line), w.y0), min(math.ceil((row + 1) * line), w.y1)):
            share = min((row + 1) * line, y + 1) - max(row * line, y)
            amount = (cover_x * max(share, 0.0) * values["strength"]).astype(np.float32)[:, None]
            at = pixels[y - w.y0]
            at[:, :3] += amount * (np.float32(white) * at[:, 3:] - at[:, :3])
    return Picture(pixels, w)


@effect(_apply)
class Dropouts(EffectBase):
    """Streaks along the lines of a picture where nothing came through, white or black, fading along their way."""

    use: ClassVar[str] = "Break"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Dropouts")
    kind: Literal["dropouts"] = "dropouts"
    often: AnimatedNumber = control(
        0.04, "How often", soft=(0, 0.5), hard=(0, 1), help="The share of lines that lose something at a time."
    )
    long: AnimatedNumber = control(160.0, "Length", soft=(4, 960), hard=(1, 1e5), step=1, unit="px")
    line: AnimatedNumber = control(2.0, "Line", soft=(1, 12), hard=(0.5, 400), step=0.5, unit="px")
    bright: AnimatedNumber = control(0.7, "White ones", soft=(0, 1), hard=(0, 1))
    strength: AnimatedNumber = control(0.8, "Strength", soft=(0, 1), hard=(0, 1))
    hold: AnimatedNumber = control(1.0, "Hold", soft=(1, 12), hard=(1, 1000), step=1, unit="fr")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
