"""Movers: live modifiers of a value, one of the kinds in core/movers, in order; what is keyed stays what it is."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Protocol

from pydantic import BeforeValidator, Field, SerializeAsAny

from tropein.core.document.base import Id
from tropein.core.document.kinds import Family, Kind

Numbers = tuple[float, ...]


class Sampling(Protocol):
    """What a mover may ask for: the value of other parameters at the frame (animate.sampler.Sampler)."""

    def at(self, address: str) -> Any:
        """The value of the parameter at an address such as "layers/ab3/opacity". BadInput where following it would go round in a circle."""


class MoverBase(Kind):
    """What all movers share. `words` is how the sheet says it, with the names of settings in braces."""

    title: ClassVar[str] = ""
    words: ClassVar[str] = ""

    kind: str
    id: Id
    on: bool = True

    def moved(self, numbers: Numbers, frame: float, sampler: Sampling | None) -> Numbers:
        """The value's numbers after the mover, as many as before."""
        return numbers


def setting(
    default: float, title: str, *, soft: tuple[float, float] | None = None, hard: tuple[float, float] = (-1e6, 1e6), step: float = 0.01, unit: str = ""
) -> Any:  # fmt: skip
    """A plain number of a mover: settings are not keyed."""
    extra: dict[str, Any] = {"step": step, "unit": unit, "widget": "number", "hard": list(hard)}
    if soft is not None:
        extra["soft"] = list(soft)
    return Field(default=default, ge=hard[0], le=hard[1], title=title, json_schema_extra=extra)


MOVERS: Family[MoverBase] = Family("mover", "tropein.core.movers", MoverBase)
AnyMover = Annotated[SerializeAsAny[MoverBase], BeforeValidator(MOVERS.read)]
