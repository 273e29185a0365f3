"""Blocks."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.hashed import of_cells
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    moment = math.floor(values["frame"] / max(values["hold"], 1))
    seed, none = int(values["seed"]), np.zeros(1, np.int64)
    if w.empty or values["torn"] <= 0 or of_cells(seed, moment, 0, none, none)[0, 0] >= values["often"]:
        return picture
    height, width = max(values["height"] * scale, 1.0), max(values["width"] * scale, 1.0)
    ys, xs = np.arange(w.y0, w.y1), np.arange(w.x0, w.x1)
    rows, columns = np.floor((ys + 0.5) / height).astype(np.int64), np.floor((xs + 0.5) / width).astype(np.int64)
    r, c = np.arange(rows[0], rows[-1] + 1), np.arange(columns[0], columns[-1] + 1)
    torn = of_cells(seed, moment, 1, r, c) < values["torn"]
    far = np.where(torn, (of_cells(seed, moment, 2, r, c) * 2 - 1) * values["far"] * scale, 0)
    shift = np.rint(far).astype(np.int64)
    out = picture.pixels.copy()
    begins = np.searchsorted(rows, np.arange(rows[0], rows[-1] + 2))
    for i in np.flatnonzero(shift.any(1)):  # a row of blocks at a time
        strip = slice(begins[i], begins[i + 1])
        at = np.clip(xs - w.x0 - shift[i][columns - columns[0]], 0, w.width - 1)
        np.take(picture.pixels[strip], at, axis=1, out=out[strip])
    return Picture(out, w)


@effect(_apply)
class Blocks(EffectBase):
    """Tears patches of the picture aside, in bursts: a signal that breaks. What they show stays for some frames."""

    use: ClassVar[str] = "Break"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Blocks")
    kind: Literal["blocks"] = "blocks"
    often: AnimatedNumber = control(
        0.4, "How often", soft=(0, 1), hard=(0, 1), help="The share of moments in which there is a burst."
    )
    torn: AnimatedNumber = control(
        0.3, "Torn", soft=(0, 1), hard=(0, 1), help="The share of blocks that a burst moves."
    )
    far: AnimatedNumber = control(60.0, "How far", soft=(0, 400), hard=(0, 20_000), step=1, unit="px")
    width: AnimatedNumber = control(160.0, "Width", soft=(4, 960), hard=(1, 20_000), step=1, unit="px")
    height: AnimatedNumber = control(18.0, "Height", soft=(1, 200), hard=(1, 20_000), step=1, unit="px")
    hold: AnimatedNumber = control(2.0, "Hold", soft=(1, 12), hard=(1, 1000), step=1, unit="fr")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
