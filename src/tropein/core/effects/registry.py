"""Finding and describing effects. An effect is one file in this folder."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeVar

from tropein.core.animate.sample import sample
from tropein.core.document.animated import Animated
from tropein.core.document.effect import EFFECTS, CentredEffect, EffectBase
from tropein.core.document.kinds import Kind
from tropein.core.raster.picture import Picture

Values = dict[str, Any]
Apply = Callable[[Picture, Values, float], Picture]
E = TypeVar("E", bound=EffectBase)
_APPLY: dict[str, Apply] = {}
_OWN = {"kind", "id", "on", "mix", "cuts", "ride"}


@dataclass(frozen=True)
class Described:
    """An effect for the interface: what it is called, what it does, its parameters."""

    kind: str
    title: str
    help: str
    params: list[dict[str, Any]]


def effect(apply: Apply) -> Callable[[type[E]], type[E]]:
    """Class decorator: `apply(picture, values, scale)` is what this kind of effect does.

    values: the parameters sampled at the frame; scale: pixels of the picture per pixel of the shot.
    """

    def decorate(cls: type[E]) -> type[E]:
        EFFECTS.add(cls)
        _APPLY[cls.model_fields["kind"].default] = apply
        return cls

    return decorate


def sampled(parameters: Kind, frame: float) -> Values:
    """All parameters of a thing at a frame, of an effect the mix included; the frame itself where the effect lives by it. `own` takes the
    picture's pixels to those a centre is given in: the planner knows better than that they are the same."""
    values = {}
    for name in _names(type(parameters)):
        value = getattr(parameters, name)
        values[name] = sample(value, frame) if isinstance(value, Animated) else value
    if getattr(parameters, "varies", False):
        values["frame"] = frame
    if isinstance(parameters, CentredEffect):
        values["own"] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    return values


@lru_cache(None)
def _names(cls: type[Kind]) -> tuple[str, ...]:
    return tuple(cls.model_fields)


def run(kind: str, picture: Picture, values: Values, scale: float) -> Picture:
    """The picture after the effect, its mix not yet laid in."""
    if kind not in _APPLY:  # not installed here
        return picture
    return _APPLY[kind](picture, values, scale)


def described() -> list[Described]:
    """All effects with the metadata their sheets are drawn from."""
    out = []
    for kind, cls in EFFECTS.known().items():
        params = [describe_field(cls, name) for name in cls.model_fields if name not in _OWN]
        title = (cls.model_config.get("title") or kind).strip()
        out.append(Described(kind, title, (cls.__doc__ or "").strip().split("\n\n")[0], params))
    return out


def describe_field(cls: type[Any], name: str) -> dict[str, Any]:
    """One parameter: name, title, help, its default, and the metadata given to `control`."""
    field = cls.model_fields[name]
    extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
    default = field.get_default(call_default_factory=True)
    value = default["value"] if isinstance(default, dict) else default
    if hasattr(value, "model_dump"):
        value = value.model_dump(mode="json")
    return {"name": name, "title": field.title or name, "help": field.description or "", "default": value, **extra}
