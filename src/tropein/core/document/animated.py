"""A parameter that is constant or has keyframes."""

from __future__ import annotations

from typing import Annotated, Any, Generic, Literal, TypeVar

from pydantic import Field, model_validator

from tropein.core.document.base import Coordinate, Frame, Id, Model, listed
from tropein.core.document.mover import AnyMover

T = TypeVar("T")

Ease = Literal["hold", "linear", "smooth", "bezier"]
Fraction01 = Annotated[float, Field(ge=0, le=1)]
Overshoot = Annotated[float, Field(ge=-4, le=5)]


class Key(Model, Generic[T]):
    """A value at a frame, and how the value travels from here to the next key.

    `handles` is used by the ease *bezier*: x1, y1, x2, y2 of a cubic curve from (0, 0) to (1, 1), where x is the
    share of the time and y the share of the change.
    """

    frame: Frame
    value: T
    ease: Ease = "smooth"
    handles: tuple[Fraction01, Overshoot, Fraction01, Overshoot] = (0.33, 0.0, 0.67, 1.0)


def _none(value: object) -> bool:
    return not value


class Animated(Model, Generic[T]):
    """A constant, or keys in order of time; `value` is what holds when there are no keys. `movers` change it live, in the order of `moving`;
    both are left out of documents where there are none."""

    value: T
    keys: list[Key[T]] = Field(default_factory=list, max_length=100_000)
    movers: dict[Id, AnyMover] = Field(default_factory=dict, max_length=16, exclude_if=_none)
    moving: list[Id] = Field(default_factory=list, max_length=16, exclude_if=_none)

    @model_validator(mode="after")
    def _keys_in_order(self) -> Animated[T]:
        frames = [key.frame for key in self.keys]
        if any(b <= a for a, b in zip(frames, frames[1:], strict=False)):
            raise ValueError("keys must be in order of time, one a frame")
        if self.movers or self.moving:
            listed(self.movers, self.moving, "the movers of a value")
        return self

    def set_at(self, path: str, frame: int, value: T) -> list[dict[str, Any]]:
        """The JSON Patch that sets it: as a key at the frame where it has keys, which takes the way of the one before it. `path` is where it
        stands in the document."""
        if not self.keys:
            return [{"op": "replace", "path": f"{path}/value", "value": value}]
        here = next((k for k in self.keys if k.frame == frame), None)
        before = next((k for k in reversed(self.keys) if k.frame < frame), None)
        like = here or Key(frame=frame, value=value, ease=before.ease if before else "smooth")
        keys = [k for k in self.keys if k.frame != frame] + [like.model_copy(update={"value": value})]
        plain = [k.model_dump(mode="json") for k in sorted(keys, key=lambda k: k.frame)]
        return [{"op": "replace", "path": f"{path}/keys", "value": plain}]

    @property
    def still(self) -> bool:
        """Whether it is the same at every frame."""
        return not self.keys and not self.moving


Unbounded = Annotated[float, Field(ge=-1e6, le=1e6)]
Vec2 = tuple[Coordinate, Coordinate]
Vec3 = tuple[Coordinate, Coordinate, Coordinate]
Colour = tuple[
    Annotated[float, Field(ge=0, le=64)], Annotated[float, Field(ge=0, le=64)], Annotated[float, Field(ge=0, le=64)]
]
CurvePoint = tuple[Fraction01, Fraction01]


class DrawnCurve(Model):
    """A 0..1 -> 0..1 curve through points, drawn as a monotone cubic."""

    points: list[CurvePoint] = Field(default_factory=lambda: [(0.0, 0.0), (1.0, 1.0)], min_length=2, max_length=32)

    @model_validator(mode="after")
    def _left_to_right(self) -> DrawnCurve:
        xs = [p[0] for p in self.points]
        if any(b - a < 1e-4 for a, b in zip(xs, xs[1:], strict=False)):
            raise ValueError("curve points must run from left to right")
        return self


AnimatedNumber = Animated[Unbounded]
AnimatedCorners = Animated[tuple[Vec2, Vec2, Vec2, Vec2]]
AnimatedVec2 = Animated[Vec2]
AnimatedVec3 = Animated[Vec3]
AnimatedColour = Animated[Colour]
AnimatedCurve = Animated[DrawnCurve]
