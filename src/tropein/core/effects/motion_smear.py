"""Motion smear."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.document.effect import Asking
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.moving import LEAST_SIDE, flow, grey, smeared
from tropein.core.raster.picture import Picture

TURN = 360.0


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    before, after = values.get("given", (None, None))
    w, share = picture.window, values["shutter"] / TURN
    if share <= 0 or min(w.width, w.height) < LEAST_SIDE or (before is None and after is None):
        return picture
    here = grey(picture.pixels)
    ways = [sign * flow(here, grey(other.fill(w))) for other, sign in ((before, -1), (after, 1)) if other is not None]
    way = np.mean(ways, 0) * np.float32(share)
    return Picture(smeared(picture.pixels, np.ascontiguousarray(way, np.float32)), w)


@effect(_apply)
class MotionSmear(EffectBase):
    """Blurs each thing along its own motion, found from frame to frame: for clips without the blur a camera would have given them."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Motion smear")
    kind: Literal["motion-smear"] = "motion-smear"
    shutter: AnimatedNumber = control(
        180.0, "Shutter", soft=(0, 360), hard=(0, 1440), step=1, unit="°", help="How much of a frame's time it is open: 360 is all of it."
    )  # fmt: skip

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        return asking.at(asking.frame - 1), asking.at(asking.frame + 1)
