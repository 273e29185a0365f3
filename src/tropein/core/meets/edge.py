"""Edge."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.edge import Edging, edged


@MEETS.add
class Edge(MeetBase):
    """Softens the edge of what was cut, and sets its light and colour right, while the inside stays as it is."""

    title: ClassVar[str] = "Edge"
    kind: Literal["edge"] = "edge"
    soften: AnimatedNumber = control(
        0.0, "Soft edge", soft=(0, 6), hard=(0, 100), step=0.05, unit="px", help="Blurs the edge alone, and its coverage with it."
    )  # fmt: skip
    width: AnimatedNumber = control(
        4.0, "Edge width", soft=(0.5, 30), hard=(0.25, 400), step=0.25, unit="px", help="How far in from its outline counts as edge."
    )  # fmt: skip
    exposure: AnimatedNumber = control(0.0, "Edge light", soft=(-2, 2), hard=(-10, 10), step=0.02, unit="stops")
    saturation: AnimatedNumber = control(1.0, "Edge colour", soft=(0, 2), hard=(0, 8), step=0.02)

    def over(self, picture: Any, meeting: Meeting) -> Any:
        values = [sample(v, meeting.frame) for v in (self.soften, self.width, self.exposure, self.saturation)]
        how = Edging(values[0] * meeting.scale, values[1] * meeting.scale, values[2], values[3])
        window = meeting.window
        if how.idle:
            return picture
        return meeting.step("edge", (how, window), (picture,), lambda p: edged(p, how, window))
