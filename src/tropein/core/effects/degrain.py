"""Take grain out."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.document.effect import Asking
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.colour import decoded, encoded
from tropein.core.raster.moving import LEAST_SIDE, flow, grey, grid, seen
from tropein.core.raster.picture import Picture

REACH = (-2, -1, 1, 2)  # frames that are looked at besides
LEAST = 0.002  # of white: no grain is finer
CODES = 255.0
Plane = NDArray[np.float32]


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    others = [o for o in values.get("given", ()) if o is not None]
    w = picture.window
    if values["strength"] <= 0 or not others or min(w.width, w.height) < LEAST_SIDE:
        return picture
    # looked at softly, the flow does not follow the grain
    here = cv2.GaussianBlur(grey(picture.pixels), (0, 0), 1.2)
    own, at = encoded(picture.pixels[..., :3]), grid(w.height, w.width)
    moved = []
    for other in others:
        there = other.fill(w)
        way = flow(here, cv2.GaussianBlur(grey(there), (0, 0), 1.2))
        moved.append(seen(encoded(there[..., :3]), at + way))
    grain = max(min(_grain(own - m) for m in moved), LEAST)
    total, weight = own.copy(), np.ones(own.shape[:2], np.float32)
    for m in moved:
        k = _alike(own - m, grain * values["strength"])
        total += m * k[..., None]
        weight += k
    total /= weight[..., None]
    pixels = np.dstack([decoded(total), picture.pixels[..., 3:]])
    return Picture(np.ascontiguousarray(pixels, np.float32), w)


def _grain(off: Plane) -> float:
    """How strong grain is, from the difference of two frames: a robust standard deviation of the one."""
    middle = off[::3, ::3].mean(-1)
    return float(np.median(np.abs(middle - np.median(middle))) * 1.4826 / np.sqrt(2))


def _alike(off: Plane, grain: float) -> Plane:
    """1 where two frames differ by no more than their grain does over a few pixels, towards 0 where they show different things."""
    near = cv2.GaussianBlur((off**2).mean(-1), (0, 0), 2.0)
    expected = 2 * grain**2 * 2.2  # of three channels, which are stronger each than their mean
    return np.asarray(np.exp(-np.maximum(near / expected - 1, 0)), np.float32)


@effect(_apply)
class TakeGrainOut(EffectBase):
    """Averages each thing with itself in the frames around, where it is the same there, so that grain goes and detail stays."""

    use: ClassVar[str] = "Grain"
    model_config = ConfigDict(title="Take grain out")
    kind: Literal["degrain"] = "degrain"
    strength: AnimatedNumber = control(
        1.0,
        "Strength",
        soft=(0, 3),
        hard=(0, 20),
        help="How different two frames may be, by how strong their grain is.",
    )

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        return tuple(asking.at(asking.frame + by) for by in REACH)
