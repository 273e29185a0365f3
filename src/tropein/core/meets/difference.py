"""Change over time."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.picture import Picture


@MEETS.add
class Difference(MeetBase):
    """Shows of the layer only what has changed since an earlier frame, as light."""

    title: ClassVar[str] = "Change over time"
    kind: Literal["difference"] = "difference"
    back: AnimatedNumber = control(2.0, "Since", soft=(-12, 12), hard=(-1000, 1000), step=1, unit="fr")
    gain: AnimatedNumber = control(2.0, "Gain", soft=(0, 10), hard=(0, 1000), step=0.05)

    def over(self, picture: Any, meeting: Meeting) -> Any:
        back, gain = sample(self.back, meeting.frame), sample(self.gain, meeting.frame)
        there = meeting.layer_at(meeting.frame - back)
        if there is None:
            return picture
        window = meeting.window

        def make(now: Picture, then: Picture) -> Picture:
            out = np.abs(now.fill(window) - then.fill(window))
            out[..., :3] *= np.float32(gain)
            out[..., 3] = np.minimum(out[..., 3] + out[..., :3].max(-1), 1)
            return Picture(out, window)

        return meeting.step("difference", (gain, window), (picture, there), make)
