"""What every effect in a chain carries, and the list of kinds a document may name."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import BeforeValidator, SerializeAsAny

from tropein.core.document.animated import AnimatedNumber, AnimatedVec2
from tropein.core.document.base import Id, control
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.matte import Cuts
from tropein.core.document.place import Ride


class EffectBase(Kind):
    """An operation on a layer's picture; its own parameters are the fields its class adds."""

    use: ClassVar[str] = "Other"  # what it is for, as menus sort them
    varies: ClassVar[bool] = False  # changes from frame to frame even where no parameter does

    kind: str
    id: Id
    on: bool = True
    mix: AnimatedNumber = control(1.0, "Mix", soft=(0, 1), hard=(0, 1), help="How much of the effect is laid in.")
    cuts: Cuts = {}


class CentredEffect(EffectBase):
    """An effect with a place: `centre` in shot pixels, which may ride on a track (what else is measured in the frame turns,
    grows and leans with it as the ride says)."""

    centre: AnimatedVec2 = control((480.0, 270.0), "Centre", step=0.5, unit="px", widget="vec2")
    ride: Ride | None = None


EFFECTS: Family[EffectBase] = Family("effect", "tropein.core.effects", EffectBase)
AnyEffect = Annotated[SerializeAsAny[EffectBase], BeforeValidator(EFFECTS.read)]
