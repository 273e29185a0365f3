"""Trails."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedColour, AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.blend import Laying, stack
from tropein.core.raster.picture import Picture, nothing

MOST, LEAST_OPACITY = 60, 0.004


@MEETS.add
class Trails(MeetBase):
    """Earlier pictures of the layer lie behind it where it lay then, ever fainter, the newest in front of the older ones."""

    title: ClassVar[str] = "Trails"
    kind: Literal["trails"] = "trails"
    count: AnimatedNumber = control(8.0, "Pictures", soft=(1, 30), hard=(0, MOST), step=1)
    every: AnimatedNumber = control(
        2.0,
        "Every",
        soft=(-6, 12),
        hard=(-1000, 1000),
        step=0.5,
        unit="fr",
        help="How far apart they are; below 0 they are later ones.",
    )
    first: AnimatedNumber = control(0.6, "First", soft=(0, 1), hard=(0, 1), help="Opacity of the newest of them.")
    keep: AnimatedNumber = control(
        0.75, "Keeps", soft=(0, 1), hard=(0, 1), help="What each has of the opacity of the one before."
    )
    tint: AnimatedColour = control(
        (1.0, 1.0, 1.0), "Tint", soft=(0, 1), widget="colour", help="Multiplied once more with every picture."
    )
    adds: AnimatedNumber = control(
        0.0, "Adds light", soft=(0, 1), hard=(0, 1), step=1, help="At 1 they are added, as light is."
    )

    def before(self, meeting: Meeting) -> Any:
        def at(value: Any) -> Any:
            return sample(value, meeting.frame)

        every, opacity, mode = at(self.every), at(self.first), "add" if at(self.adds) >= 0.5 else "normal"
        pictures, layings, tints = [], [], []
        for k in range(1, min(MOST, round(at(self.count))) + 1):
            if every == 0 or opacity < LEAST_OPACITY:
                break
            picture = meeting.layer_at(meeting.frame - k * every)
            if picture is not None:
                pictures.append(picture)
                layings.append(Laying(mode, opacity))
                tints.append([float(c) ** k for c in at(self.tint)])
            opacity *= at(self.keep)
        if not pictures:
            return None
        window = meeting.window

        def make(*earlier: Picture) -> Picture:
            tinted = [p if t == [1.0, 1.0, 1.0] else _tinted(p, t) for p, t in zip(earlier, tints, strict=True)]
            return stack(nothing(), tinted[::-1], layings[::-1], window)

        return meeting.step("trails", (layings, tints, window), tuple(pictures), make)


def _tinted(picture: Picture, tint: list[float]) -> Picture:
    return Picture(picture.pixels * np.array([*tint, 1.0], np.float32), picture.window)
