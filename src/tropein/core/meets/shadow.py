"""Shadow of a layer on what lies beneath."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.blur import gaussian
from tropein.core.raster.picture import Picture, Window, nothing

LEAST = 0.02  # of coverage


@MEETS.add
class Shadow(MeetBase):
    """A shadow of the layer as it was cut, on all that lies beneath: behind it, leaning over the ground from its foot, or only where it stands."""

    title: ClassVar[str] = "Shadow"
    kind: Literal["shadow"] = "shadow"
    offset: AnimatedVec2 = control((12.0, 10.0), "Aside", step=0.5, unit="px", widget="vec2")
    height: AnimatedNumber = control(
        1.0, "Height", soft=(-1, 1.5), hard=(-20, 20), help="Of the shadow by the layer's, from its foot: 0.3 lies flat on the ground, below 0 it falls towards the lens."
    )  # fmt: skip
    lean: AnimatedNumber = control(
        0.0, "Lean", soft=(-3, 3), hard=(-50, 50), help="How far its top goes aside, by the layer's height."
    )
    foot: AnimatedNumber = control(
        1.0, "Of its height", soft=(0.02, 1), hard=(0.005, 1), help="How much of it throws a shadow, from its foot up: a little is the dark under what stands."
    )  # fmt: skip
    soft: AnimatedNumber = control(12.0, "Softness", soft=(0, 120), hard=(0, 2000), step=0.25, unit="px")
    opacity: AnimatedNumber = control(0.55, "Opacity", soft=(0, 1), hard=(0, 1))
    colour: AnimatedColour = control((0.0, 0.0, 0.0), "Colour", soft=(0, 1), widget="colour")

    def before(self, meeting: Meeting) -> Any:
        frame, scale, window = meeting.frame, meeting.scale, meeting.window
        own = meeting.layer_at(frame)
        x, y = sample(self.offset, frame)
        height, lean, foot, soft, opacity = (
            float(sample(v, frame)) for v in (self.height, self.lean, self.foot, self.soft, self.opacity)
        )
        colour = [float(c) for c in sample(self.colour, frame)]
        if own is None or opacity <= 0:
            return None
        numbers = (x * scale, y * scale, height, lean, foot, soft * scale, opacity, colour, window)
        return meeting.step("shadow", numbers, (own,), lambda p: _thrown(p, *numbers))


def _thrown(
    picture: Picture, x: float, y: float, height: float, lean: float, foot: float, soft: float, opacity: float, colour: list[float], window: Window
) -> Picture:  # fmt: skip
    alpha = np.ascontiguousarray(picture.pixels[..., 3]) if not picture.window.empty else np.zeros((1, 1), np.float32)
    rows = np.flatnonzero((alpha > LEAST).any(1))
    if not rows.size:
        return nothing()
    top, bottom = int(rows[0]), int(rows[-1]) + 1
    if foot < 1:  # what is above fades out over as much again
        share = (np.arange(alpha.shape[0]) + 0.5 - bottom) / max((bottom - top) * foot, 1e-3)
        alpha = alpha * np.clip(2 + share, 0, 1).astype(np.float32)[:, None]
    left, ground = picture.window.x0, picture.window.y0 + bottom
    # from the foot's line up: as high as it is, and aside with its height
    move = np.array([[1, -lean, x + lean * ground], [0, height, y + ground * (1 - height)], [0, 0, 1]], float)
    corners = move @ np.array(
        [[left, left, left + alpha.shape[1], left + alpha.shape[1]], [ground - bottom + top, ground] * 2, [1] * 4],
        float,
    )
    room = math.ceil(3 * soft) + 2
    low, high = np.floor(corners[:2].min(1)).astype(int) - room, np.ceil(corners[:2].max(1)).astype(int) + room
    at = Window(*(int(v) for v in low), *(int(v) for v in high)).meet(window.grow(room))
    if at.empty:
        return nothing()
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    own = np.linalg.inv(half) @ np.array([[1, 0, -at.x0], [0, 1, -at.y0], [0, 0, 1.0]]) @ move
    own = own @ np.array([[1, 0, left], [0, 1, picture.window.y0], [0, 0, 1.0]]) @ half
    pixels = np.zeros((at.height, at.width, 4), np.float32)
    pixels[..., 3] = cv2.warpAffine(alpha, own[:2], (at.width, at.height), flags=cv2.INTER_LINEAR) * np.float32(opacity)
    for c in range(3):
        pixels[..., c] = pixels[..., 3] * np.float32(colour[c])
    return gaussian(Picture(pixels, at), soft)
