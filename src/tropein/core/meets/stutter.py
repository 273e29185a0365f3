"""Stutter."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.hashed import of_cells


@MEETS.add
class Stutter(MeetBase):
    """Holds the layer's picture, and where it lies, for some frames at a time, always or in bursts."""

    title: ClassVar[str] = "Stutter"
    kind: Literal["stutter"] = "stutter"
    hold: AnimatedNumber = control(4.0, "Holds", soft=(1, 24), hard=(1, 10_000), step=1, unit="fr")
    often: AnimatedNumber = control(
        1.0, "How often", soft=(0, 1), hard=(0, 1), help="The share of moments in which it is held; else it runs."
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)

    def over(self, picture: Any, meeting: Meeting) -> Any:
        hold, often, seed = (sample(v, meeting.frame) for v in (self.hold, self.often, self.seed))
        moment = math.floor(meeting.frame / max(round(hold), 1))
        none = np.zeros(1, np.int64)
        held = moment * max(round(hold), 1)
        if held == meeting.frame or of_cells(int(seed), moment, 5, none, none)[0, 0] >= often:
            return picture
        there = meeting.layer_at(held)
        return picture if there is None else there
