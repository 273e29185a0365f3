"""Mosaic."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    side = max(1, round(values["size"] * scale))
    w = picture.window
    if side == 1 or w.empty:
        return picture
    # whole cells, counted from the shot's own corner, so that they do not crawl when a picture is cropped
    x0, y0 = w.x0 - w.x0 % side, w.y0 - w.y0 % side
    grid = Window(x0, y0, w.x1 + -w.x1 % side, w.y1 + -w.y1 % side)
    cells = (grid.width // side, grid.height // side)
    top, left = w.y0 - grid.y0, w.x0 - grid.x0
    pixels = np.ascontiguousarray(picture.pixels)
    around = cv2.copyMakeBorder(pixels, top, grid.y1 - w.y1, left, grid.x1 - w.x1, cv2.BORDER_REPLICATE)
    small = cv2.resize(around, cells, interpolation=cv2.INTER_AREA)
    large = cv2.resize(small, (grid.width, grid.height), interpolation=cv2.INTER_NEAREST)
    return Picture(np.ascontiguousarray(large[top : top + w.height, left : left + w.width]), w)


@effect(_apply)
class Mosaic(EffectBase):
    """Large square cells of even colour, to hide what is beneath."""

    use: ClassVar[str] = "Break"
    model_config = ConfigDict(title="Mosaic")
    kind: Literal["mosaic"] = "mosaic"
    size: AnimatedNumber = control(16.0, "Cell", soft=(2, 80), hard=(1, 2000), step=1, unit="px")
