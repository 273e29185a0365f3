"""Grain of the plate."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.grain import film_grain, strength_at
from tropein.core.raster.picture import Picture


@MEETS.add
class GrainOver(MeetBase):
    """Grain in the frame's own pixels, however large the layer lies in it: that of the plate, where it was measured."""

    title: ClassVar[str] = "Grain"
    kind: Literal["grain"] = "grain"
    amount: AnimatedNumber = control(
        0.02, "Amount", soft=(0, 0.1), hard=(0, 1), step=0.001, help="Standard deviation, as a share of white."
    )
    size: AnimatedNumber = control(0.6, "Size", soft=(0, 3), hard=(0, 40), step=0.05, unit="px")
    colour: AnimatedNumber = control(
        0.4, "Colour", soft=(0, 1), hard=(0, 1), help="At 0 all channels share one grain, at 1 each has its own."
    )
    tones: AnimatedNumber = control(
        0.0, "Middle tones", soft=(0, 1), hard=(0, 1), help="How much more grain they show than black and white."
    )
    seed: AnimatedNumber = control(7.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)

    def over(self, picture: Any, meeting: Meeting) -> Any:
        frame, scale = meeting.frame, meeting.scale
        amount, size, colour, tones, seed = (
            float(sample(v, frame)) for v in (self.amount, self.size, self.colour, self.tones, self.seed)
        )
        if amount <= 0:
            return picture
        seen = strength_at(amount, size, scale)

        def make(p: Picture) -> Picture:
            w = p.window
            if w.empty:
                return p
            return Picture(film_grain(p.pixels, w.x0, w.y0, size * scale, seen, colour, tones, int(seed), frame), w)

        return meeting.step("grain-over", (seen, size, scale, colour, tones, seed, frame), (picture,), make)
