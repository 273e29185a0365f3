"""Light wrap."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.wrap import wrapped


@MEETS.add
class LightWrap(MeetBase):
    """Lets light of what lies beneath in over the edge."""

    title: ClassVar[str] = "Light wrap"
    kind: Literal["wrap"] = "wrap"
    amount: AnimatedNumber = control(
        0.3, "Light wrap", soft=(0, 1), hard=(0, 1), help="How much light of what lies behind comes in over the edge."
    )
    width: AnimatedNumber = control(12.0, "Wrap width", soft=(1, 60), hard=(0.5, 400), step=0.5, unit="px")

    def over(self, picture: Any, meeting: Meeting) -> Any:
        amount = sample(self.amount, meeting.frame)
        width = sample(self.width, meeting.frame) * meeting.scale
        if amount <= 0:
            return picture
        return meeting.step(
            "wrap",
            (round(amount, 6), round(width, 6)),
            (picture, meeting.under),
            lambda p, u: wrapped(p, u, amount, width),
        )
