"""Sharpen."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, of_radius
from tropein.core.raster.blur import gaussian
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    amount = values["amount"]
    if picture.window.empty or amount == 0 or values["radius"] <= 0:
        return picture
    soft = gaussian(picture, values["radius"] * scale).fill(picture.window)
    own = picture.pixels
    detail = own - soft
    if values["threshold"] > 0:
        # below the threshold, as a share of the light there, it is grain
        size = np.abs(detail[..., :3] @ LUMA) / np.maximum(soft[..., :3] @ LUMA, 1e-3)
        detail *= np.clip(size / np.float32(values["threshold"]) - 0.5, 0, 1)[..., None]
    out = own + np.float32(amount) * detail
    np.maximum(out, 0, out=out)
    out[..., 3] = own[..., 3]
    return Picture(out, picture.window)


@effect(_apply, reach=of_radius)
class Sharpen(EffectBase):
    """Brings out fine detail, or below 0 takes it back."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Sharpen")
    kind: Literal["sharpen"] = "sharpen"
    radius: AnimatedNumber = control(1.5, "Radius", soft=(0.3, 8), hard=(0, 200), step=0.05, unit="px")
    amount: AnimatedNumber = control(0.6, "Amount", soft=(-1, 3), hard=(-1, 20))
    threshold: AnimatedNumber = control(
        0.0,
        "Threshold",
        soft=(0, 0.5),
        hard=(0, 10),
        help="How much detail must differ, as a share of the light there: leaves grain alone.",
    )
