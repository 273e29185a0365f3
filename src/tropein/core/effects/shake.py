"""Shake."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import Matrix, rotation, speed_px, translation, warp_blurred

BLUR_PX, MOST_SAMPLES = 2.0, 16


def swing(seed: int, channel: int, t: float) -> float:
    """Smooth noise about -1..1 that passes through a drawn value at every whole t (Catmull-Rom between them)."""
    whole = math.floor(t)
    drawn = [np.random.default_rng((seed, channel, whole + k + 2**20)).uniform(-1, 1) for k in (-1, 0, 1, 2)]
    a, b, c, d = drawn
    s = t - whole
    return float(b + 0.5 * s * (c - a + s * (2 * a - 5 * b + 4 * c - d + s * (3 * (b - c) + d - a))))


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if w.empty or (values["strength"] == 0 and values["turn"] == 0):
        return picture
    middle = ((w.x0 + w.x1) / 2, (w.y0 + w.y1) / 2)
    seed, pace = int(values["seed"]), max(values["pace"], 0.1)

    def shaken(frame: float) -> Matrix:
        x, y, turn = (swing(seed, channel, frame / pace) for channel in range(3))
        shift = translation(middle[0] + x * values["strength"] * scale, middle[1] + y * values["strength"] * scale)
        return shift @ rotation(turn * values["turn"]) @ translation(-middle[0], -middle[1])

    corners = ((w.x0, w.y0), (w.x1, w.y0), (w.x1, w.y1), (w.x0, w.y1))
    half, frame = values["blur"] / 2, values["frame"]
    far = speed_px(shaken(frame - half), shaken(frame + half), corners)
    count = int(min(MOST_SAMPLES, max(1, math.ceil(far / BLUR_PX))))
    times = frame + half * (2 * (np.arange(count) + 0.5) / count - 1)
    return warp_blurred(picture, [shaken(float(t)) for t in times], w, "final", "mirror")


@effect(_apply)
class Shake(EffectBase):
    """Shakes the picture, as a hand or a blow shakes a camera; beyond its edges it goes on mirrored."""

    use: ClassVar[str] = "Bend"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Shake")
    kind: Literal["shake"] = "shake"
    strength: AnimatedNumber = control(6.0, "Strength", soft=(0, 40), hard=(0, 2000), step=0.1, unit="px")
    turn: AnimatedNumber = control(0.3, "Turn", soft=(0, 5), hard=(0, 180), step=0.02, unit="°")
    pace: AnimatedNumber = control(
        3.0, "Pace", soft=(0.5, 24), hard=(0.1, 1000), step=0.1, unit="fr", help="Frames from one swing to the next."
    )
    blur: AnimatedNumber = control(
        0.5, "Motion blur", soft=(0, 1), hard=(0, 2), step=0.01, unit="fr", help="How long the shutter is open."
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
