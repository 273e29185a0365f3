"""Trimmed edges."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture


def _side(first: int, last: int, before: float, after: float, soft: float) -> NDArray[np.float32]:
    """Coverage 0..1 along a side: exact where an edge crosses a pixel, over `soft` pixels where it is soft (inwards)."""
    at = np.arange(first, last, dtype=np.float64) + 0.5
    near = np.minimum(at - (first + before), (last - after) - at)
    if soft < 1:
        return np.clip(near + 0.5, 0, 1).astype(np.float32)
    t = np.clip(near / soft, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty:
        return picture
    left, right, top, bottom, soft = (values[n] * scale for n in ("left", "right", "top", "bottom", "soft"))
    if max(left, right, top, bottom, soft) <= 0:
        return picture
    across, down = _side(w.x0, w.x1, left, right, soft), _side(w.y0, w.y1, top, bottom, soft)
    return Picture(picture.pixels * (down[:, None] * across[None])[..., None], w)


@effect(_apply)
class Crop(EffectBase):
    """Takes away from the picture's sides, with a hard edge or a soft one."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Trim the sides")
    kind: Literal["crop"] = "crop"
    left: AnimatedNumber = control(0.0, "Left", soft=(0, 960), hard=(0, 1e5), step=1, unit="px")
    right: AnimatedNumber = control(0.0, "Right", soft=(0, 960), hard=(0, 1e5), step=1, unit="px")
    top: AnimatedNumber = control(0.0, "Top", soft=(0, 540), hard=(0, 1e5), step=1, unit="px")
    bottom: AnimatedNumber = control(0.0, "Bottom", soft=(0, 540), hard=(0, 1e5), step=1, unit="px")
    soft: AnimatedNumber = control(24.0, "Softness", soft=(0, 200), hard=(0, 1e5), step=0.5, unit="px")
