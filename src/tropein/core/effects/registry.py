"""Finding and describing effects. An effect is one file in this folder."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document.animated import Animated
from tropein.core.document.effect import EFFECTS, CentredEffect, EffectBase
from tropein.core.document.kept import Kept
from tropein.core.document.kinds import Kind
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows.points import Use

Values = dict[str, Any]
Apply = Callable[[Picture, Values, float], Picture]
Rows = Callable[[Values, float, Window], list[Use]]
Reach = Callable[[Values, float], float]
E = TypeVar("E", bound=EffectBase)
USES = ("Colour", "Light", "Blur", "Bend", "Break", "Grain")  # in the order menus have them
_APPLY: dict[str, Apply] = {}
_ROWS: dict[str, Rows] = {}
_REACH: dict[str, Reach] = {}
_BESIDE = {"kind", "id", "on", "cuts", "ride"}  # no parameters
_OWN = {*_BESIDE, "mix"}


@dataclass(frozen=True)
class Described:
    """An effect for the interface: what it is called, what it does, its parameters."""

    kind: str
    title: str
    use: str
    help: str
    params: list[dict[str, Any]]


def effect(apply: Apply, rows: Rows | None = None, reach: Reach | None = None) -> Callable[[type[E]], type[E]]:
    """Class decorator: `apply(picture, values, scale)` is what this kind of effect does.

    values: the parameters sampled at the frame; scale: pixels of the picture per pixel of the shot. An effect that changes each pixel by
    itself says so with `rows(values, scale, window)`, the point operations that do the same to a picture of that window: such
    effects are done while pixels are at hand anyway (see rows/points.py). One that looks only so many pixels about each, wherever the picture
    ends, says how many with `reach(values, scale)`: where it is limited to a part, no more than that part is made.
    """

    def decorate(cls: type[E]) -> type[E]:
        EFFECTS.add(cls)
        kind = cls.model_fields["kind"].default
        _APPLY[kind] = apply
        if rows is not None:
            _ROWS[kind] = rows
        if reach is not None:
            _REACH[kind] = reach
        return cls

    return decorate


def sampled(parameters: Kind, frame: float) -> Values:
    """All parameters of a thing at a frame, of an effect the mix included; the frame itself where the effect lives by it. `own` takes the
    picture's pixels to those a centre is given in: the planner knows better than that they are the same."""
    still, moving = _parts.of(parameters)
    values = dict(still)
    for name, value in moving:
        values[name] = sample(value, frame)
    if getattr(parameters, "varies", False):
        values["frame"] = frame
    return values


def _parted(parameters: Kind) -> tuple[Values, list[tuple[str, Animated[Any]]]]:
    """The parameters that are the same at every frame, by their values, and the others."""
    fields = [(name, getattr(parameters, name)) for name in type(parameters).model_fields if name not in _BESIDE]
    moving = [(name, value) for name, value in fields if isinstance(value, Animated) and not value.still]
    there = {name for name, _ in moving}
    still = {n: v.value if isinstance(v, Animated) else v for n, v in fields if n not in there}
    if isinstance(parameters, CentredEffect):
        still["own"] = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    return still, moving


_parts = Kept(_parted)


def own_centre(values: Values) -> tuple[float, float]:
    """The centre of an effect that has one, in its picture's own pixels."""
    x, y, d = np.linalg.inv(np.array(values["own"])) @ [*values["centre"], 1.0]
    return float(x / d), float(y / d)


def same_always(effect: EffectBase) -> bool:
    """Whether an effect does the same at every frame."""
    return not (effect.varies or effect.asks_for_more or isinstance(effect, CentredEffect)) and not _parts.of(effect)[1]


def run(kind: str, picture: Picture, values: Values, scale: float) -> Picture:
    """The picture after the effect, its mix not yet laid in."""
    if kind not in _APPLY:
        EFFECTS.known()  # not looked for yet
    if kind not in _APPLY:  # not installed here
        return picture
    return _APPLY[kind](picture, values, scale)


def by_points(kind: str) -> Rows | None:
    """The point operations of an effect, where it consists of such."""
    return _ROWS.get(kind)


def reach_of(effect: EffectBase, values: Values, scale: float) -> float | None:
    """How many pixels about each an effect looks at; None where that is not known."""
    known = _REACH.get(effect.kind)
    return None if known is None or effect.asks_for_more else known(values, scale)


def of_radius(values: Values, scale: float) -> float:
    """The reach of an effect that blurs by a Gaussian of its radius."""
    return 3 * float(values["radius"]) * scale + 2


def itself(values: Values, scale: float) -> float:
    """The reach of an effect on each pixel by itself, which need not know where the picture ends."""
    return 0.0


def described() -> list[Described]:
    """All effects with the metadata their sheets are drawn from."""
    out = []
    for kind, cls in EFFECTS.known().items():
        params = [describe_field(cls, name) for name in cls.model_fields if name not in _OWN]
        title = (cls.model_config.get("title") or kind).strip()
        out.append(Described(kind, title, cls.use, (cls.__doc__ or "").strip().split("\n\n")[0], params))
    return sorted(out, key=lambda d: (USES.index(d.use) if d.use in USES else len(USES), d.title))


def describe_field(cls: type[Any], name: str) -> dict[str, Any]:
    """One parameter: name, title, help, its default, and the metadata given to `control`."""
    field = cls.model_fields[name]
    extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
    default = field.get_default(call_default_factory=True)
    value = default["value"] if isinstance(default, dict) else default
    if hasattr(value, "model_dump"):
        value = value.model_dump(mode="json")
    return {"name": name, "title": field.title or name, "help": field.description or "", "default": value, **extra}
