"""Lens bend."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.document.base import setting
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.bend import bent
from tropein.core.raster.lens import Lens
from tropein.core.raster.picture import Picture

STEP = 8  # px


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    share, w = values["bend"] / 100, picture.window
    if abs(share) < 1e-5 or w.empty:
        return picture
    lens = Lens.of_corner(share, (w.width, w.height))
    # so smooth that it is worked out at every eighth pixel
    y, x = np.mgrid[0 : w.height + STEP : STEP, 0 : w.width + STEP : STEP].astype(np.float64) + 0.5
    at = np.stack([x, y], -1)
    come = lens.seen(at) if values["way"] == "straighten" else lens.straight(at)
    away = ((come - at) / values["zoom"] + (1 / values["zoom"] - 1) * (at - lens.centre)).astype(np.float32)
    between = np.array([[1 / STEP, 0, 0], [0, 1 / STEP, 0]])
    fine = cv2.warpAffine(away, between, (w.width, w.height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    return bent(picture, w, *cv2.split(fine))


@effect(_apply)
class LensBend(EffectBase):
    """Bends straight lines as a lens does, or straightens what a lens has bent."""

    use: ClassVar[str] = "Bend"
    model_config = ConfigDict(title="Lens bend")
    kind: Literal["lens"] = "lens"
    bend: AnimatedNumber = control(
        -6.0, "Bend", soft=(-30, 30), hard=(-90, 300), step=0.1, unit="%", help="How far the corner is seen too far out; below 0 too far in, as wide lenses have it."
    )  # fmt: skip
    way: Literal["bend", "straighten"] = setting(
        "bend", "What it does", widget="choice", options={"bend": "bends the picture", "straighten": "straightens it"}
    )
    zoom: AnimatedNumber = control(1.0, "Size", soft=(0.8, 1.3), hard=(0.1, 10), step=0.002)
