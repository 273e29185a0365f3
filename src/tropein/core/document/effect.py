"""What every effect in a chain carries, and the list of kinds a document may name."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from pydantic import BeforeValidator, SerializeAsAny

from tropein.core.document.animated import AnimatedNumber, AnimatedVec2
from tropein.core.document.base import Id, Model, control
from tropein.core.document.matte import Cuts
from tropein.core.document.place import Ride

KINDS: dict[str, type[EffectBase]] = {}


class EffectBase(Model):
    """An operation on a layer's picture; its own parameters are the fields its class adds."""

    lives: ClassVar[bool] = False  # changes from frame to frame even where no parameter does

    kind: str
    id: Id
    on: bool = True
    mix: AnimatedNumber = control(1.0, "Mix", soft=(0, 1), hard=(0, 1), help="How much of the effect is laid in.")
    cut: Cuts = []


class CentredEffect(EffectBase):
    """An effect with a place: `centre` in shot pixels, which may ride on a track (what else is measured in the frame turns,
    grows and leans with it as the ride says)."""

    centre: AnimatedVec2 = control((480.0, 270.0), "Centre", step=0.5, unit="px", widget="vec2")
    ride: Ride | None = None


def register(cls: type[EffectBase]) -> type[EffectBase]:
    """Make a kind of effect known to documents; its `kind` field's default names it."""
    KINDS[cls.model_fields["kind"].default] = cls
    return cls


def _by_kind(value: Any) -> Any:
    if isinstance(value, EffectBase):
        return value
    if not isinstance(value, dict):
        raise ValueError("an effect is an object with a kind")
    cls = KINDS.get(str(value.get("kind")))
    if cls is None:
        raise ValueError(f"there is no effect of the kind {value.get('kind')!r}")
    return cls.model_validate(value)


AnyEffect = Annotated[SerializeAsAny[EffectBase], BeforeValidator(_by_kind)]
