"""What every effect in a chain carries, and the list of kinds a document may name."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Protocol

from pydantic import BeforeValidator, SerializeAsAny

from tropein.core.document.animated import AnimatedNumber, AnimatedVec2
from tropein.core.document.base import Id, control
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.matte import Cuts
from tropein.core.document.place import Ride


class Asking(Protocol):
    """What an effect may ask for beside the picture it works on. Pictures and coverage are steps of the plan."""

    @property
    def frame(self) -> float: ...

    def at(self, frame: float) -> Any:
        """The picture it works on as it is at another frame, in its own pixels; None where there is none, or a veil's."""

    def matte(self, matte: str | None) -> Any:
        """A matte's coverage as the picture sees it; None where there is no such matte."""

    def brightness(self, layer: str | None) -> Any:
        """How bright another layer is where it lies, 0..1 as a display shows it, as the picture sees it; None where it shows nothing."""

    def table(self, table: str | None) -> Any:
        """A stored table of colours; None where there is none."""

    def away(self) -> float | None:
        """How far from the camera its layer's place is, in units of the solved scene; None where it has none."""


class EffectBase(Kind):
    """An operation on a layer's picture; its own parameters are the fields its class adds."""

    use: ClassVar[str] = "Other"  # what it is for, as menus sort them
    varies: ClassVar[bool] = False  # changes from frame to frame even where no parameter does

    kind: str
    id: Id
    on: bool = True
    mix: AnimatedNumber = control(1.0, "Mix", soft=(0, 1), hard=(0, 1), help="How much of the effect is laid in.")
    cuts: Cuts = {}

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        """Steps of the plan, numbers or None: what it needs beside its picture. It finds what they make in `values["given"]`."""
        return ()

    @property
    def asks_for_more(self) -> bool:
        return type(self).asks is not EffectBase.asks


class CentredEffect(EffectBase):
    """An effect with a place: `centre` in shot pixels, which may ride on a track (what else is measured in the frame turns,
    grows and leans with it as the ride says)."""

    centre: AnimatedVec2 = control((480.0, 270.0), "Centre", step=0.5, unit="px", widget="vec2")
    ride: Ride | None = None


EFFECTS: Family[EffectBase] = Family("effect", "tropein.core.effects", EffectBase)
AnyEffect = Annotated[SerializeAsAny[EffectBase], BeforeValidator(EFFECTS.read)]
