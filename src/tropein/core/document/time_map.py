"""How the shot's time (or a group's) becomes a content's own."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tropein.core.document.animated import AnimatedNumber
from tropein.core.document.base import Model, control

Moment = Annotated[float, Field(ge=-1e6, le=1e6)]


class TimeMap(Model):
    """`start` is the frame at which the content's first frame lies, whence it runs at its speed; `position`, where it is set, says
    which frame of the content is shown, and speed and start are not asked."""

    start: Moment = 0.0
    speed: AnimatedNumber = control(
        1.0, "Speed", soft=(0, 4), hard=(-32, 32), step=0.05, unit="x", help="Below 0 it runs backwards."
    )
    position: AnimatedNumber | None = None
    end: Annotated[
        Literal["hold", "loop", "nothing"], Field(description="what is shown beyond the content's own frames")
    ] = "hold"
    between: Annotated[
        Literal["nearest", "mixed", "by motion"], Field(description="what is shown between two of its frames")
    ] = "nearest"

    @property
    def plain(self) -> bool:
        """Whether it leaves time as it is."""
        return self.start == 0 and self.position is None and self.speed.still and self.speed.value == 1
