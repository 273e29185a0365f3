"""Displace."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, AnimatedVec2, EffectBase, Id, control
from tropein.core.document.base import chosen_layer
from tropein.core.document.effect import Asking
from tropein.core.document.references import Ref
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bend import bent, bent_window
from tropein.core.raster.colour import encoded
from tropein.core.raster.coverage import over
from tropein.core.raster.hashed import of_cells
from tropein.core.raster.picture import Picture, Window

FRAMES = 24.0


def _field(values: Values, scale: float, window: Window) -> NDArray[np.float32]:
    """(h, w) -1..1: what pushes at each pixel. Cells with a value of their own each, between which it goes over softly or at once."""
    wide, high = max(values["width"] * scale, 1.0), max(values["height"] * scale, 1.0)
    soft = values["soft"]
    at = values["boil"] * values["frame"] / FRAMES
    before = math.floor(at)
    t = at - before
    t = t * t * (3 - 2 * t)

    def along(first: int, last: int, size: float) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
        u = (np.arange(first, last) + 0.5) / size - 0.5
        cell = np.floor(u)
        inside = u - cell
        # over a share `soft` of the way from one cell's middle to the next's
        way = np.clip((inside - 0.5) / max(soft, 1e-6) + 0.5, 0, 1)
        return cell.astype(np.int64), (way * way * (3 - 2 * way)).astype(np.float32)

    (rows, down), (columns, across) = along(window.y0, window.y1, high), along(window.x0, window.x1, wide)
    r, c = np.arange(rows[0], rows[-1] + 2), np.arange(columns[0], columns[-1] + 2)
    seed = int(values["seed"])
    cells = (1 - t) * of_cells(seed, before, 0, r, c) + t * of_cells(seed, before + 1, 0, r, c)
    cells = np.clip((2 * cells - 1) * values["contrast"], -1, 1).astype(np.float32)
    i, j = rows - rows[0], columns - columns[0]
    lines = cells[:, j] + (cells[:, j + 1] - cells[:, j]) * across
    return np.ascontiguousarray(lines[i] + (lines[i + 1] - lines[i]) * down[:, None], np.float32)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    x, y = (v * scale for v in values["far"])
    if picture.window.empty or (x == 0 and y == 0):
        return picture
    window = bent_window(picture, max(abs(x), abs(y)))
    by = values["given"][0] if "given" in values else None
    if by is not None:  # grey, as a display shows it, leaves things where they are
        push = (2 * encoded(over(by, window)) - 1) * np.float32(values["contrast"])
    elif values["layer"]:
        return picture
    else:
        push = _field(values, scale, window)
    blur = values["melt"] * scale
    if blur >= 0.3:
        push = cv2.GaussianBlur(push, (0, 0), blur)
    return bent(picture, window, push * np.float32(x), push * np.float32(y))


@effect(_apply)
class Displace(EffectBase):
    """Pushes the picture aside by cells of noise, or by how bright another layer is: wide flat cells tear it like a broken signal, soft ones bend it like old glass."""

    use: ClassVar[str] = "Bend"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Displace")
    kind: Literal["displace"] = "displace"
    far: AnimatedVec2 = control(
        (40.0, 0.0),
        "How far",
        step=0.5,
        unit="px",
        widget="vec2",
        help="To the right and down, where the noise is full.",
    )
    width: AnimatedNumber = control(400.0, "Cell width", soft=(4, 960), hard=(1, 20_000), step=1, unit="px")
    height: AnimatedNumber = control(24.0, "Cell height", soft=(2, 540), hard=(1, 20_000), step=1, unit="px")
    contrast: AnimatedNumber = control(
        1.6, "Contrast", soft=(0, 8), hard=(0, 1000), help="High ones push all the way, or not at all."
    )
    soft: AnimatedNumber = control(
        0.05, "Softness", soft=(0, 1), hard=(0, 1), help="How softly one cell goes over into the next."
    )
    melt: AnimatedNumber = control(0.0, "Melts", soft=(0, 30), hard=(0, 400), step=0.1, unit="px")
    boil: AnimatedNumber = control(
        4.0, "Boil", soft=(0, 24), hard=(-200, 200), help="How often it changes in 24 frames."
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
    layer: Annotated[Id, Ref("layers", "is displaced by", having="has_picture", on_delete="clear", sees="picture")] | None = chosen_layer(
        "By a layer", "In place of noise: white pushes all the way, black the other way, grey not at all."
    )  # fmt: skip

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        return (asking.brightness(self.layer),)
