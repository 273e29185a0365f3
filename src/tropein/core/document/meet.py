"""How a layer meets what lies beneath it: a list of steps between its own picture and the laying, one of the kinds in core/meets."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Protocol

from pydantic import BeforeValidator, SerializeAsAny

from tropein.core.document.base import Id
from tropein.core.document.kinds import Family, Kind


class Meeting(Protocol):
    """What a meeting may ask for. Pictures are steps of the plan, in the frame at the plan's scale."""

    @property
    def scale(self) -> float:
        """Pixels of the frame per pixel of the shot."""

    @property
    def frame(self) -> float: ...
    @property
    def window(self) -> Any:
        """The frame, as a window."""

    @property
    def under(self) -> Any:
        """What lies beneath, laid together."""

    def layer_at(self, frame: float) -> Any:
        """The layer's own picture as it lies at another frame, before it meets anything; None where it shows nothing then."""

    def step(self, op: str, parameters: object, inputs: tuple[Any, ...], make: Any, rows: Any = None) -> Any:
        """A step of the plan, named by what goes into it. `rows`: what it does to each pixel of its one input by itself, as operations (rows.points.Use)
        on a window."""

    def foot(self) -> Any:
        """Where the layer stands over the floor of its solved scene (compose.places.Foot); None where it does not."""


class MeetBase(Kind):
    """What all meetings share."""

    title: ClassVar[str] = ""

    kind: str
    id: Id
    on: bool = True

    def over(self, picture: Any, meeting: Meeting) -> Any:
        """The layer's picture as it is to be laid."""
        return picture

    def before(self, meeting: Meeting) -> Any:
        """A picture that is laid before the layer itself, with its opacity; None for nothing."""
        return None


MEETS: Family[MeetBase] = Family("meeting", "tropein.core.meets", MeetBase)
AnyMeet = Annotated[SerializeAsAny[MeetBase], BeforeValidator(MEETS.read)]
