"""What a layer shows: its content, one of the kinds in core/contents."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Protocol

from pydantic import BeforeValidator, SerializeAsAny

from tropein.core.document.kinds import Family, Kind

if TYPE_CHECKING:
    from tropein.core.document.shot import Shot


DRAWN_FOR = (960, 540)  # the frame that lengths of defaults and starts are meant in
RIDE = "_ride"  # ends the name of the field that says what a point of a content rides on


class Context(Protocol):
    """What a content may ask for while its picture is planned. Pictures are steps of the plan, in the content's own pixels."""

    @property
    def shot(self) -> Shot: ...
    @property
    def frame(self) -> float:
        """The content's own frame, counted from its first."""

    @property
    def scale(self) -> float:
        """Pixels of the picture that is made per pixel of the content's size."""

    def footage(self, footage: str, index: int) -> Any:
        """A frame of footage."""

    def stack(self, stack: list[str]) -> Any:
        """Layers laid over each other, in a frame of the shot's size."""

    def finished(self, layer: str, frame: float | None = None, scale: float | None = None) -> Any:
        """Another layer's picture with its effects and cuts, in that layer's own pixels; None where it shows nothing. At the context's frame and scale
        where no other is said."""

    def drawn(self, content: ContentBase) -> Any:
        """What the content's own `draw` makes of its parameters at the frame, points where their rides take them; None where a ride hides one."""

    def values(self, content: ContentBase, frame: float) -> dict[str, Any] | None:
        """The content's parameters at a frame, in the same way."""

    def carried(self, content: ContentBase, name: str, frame: float) -> Any:
        """What the ride beside a parameter does at a frame, to a point or to all: a 3x3 matrix of the content's pixels, None where it hides it."""

    @property
    def in_depth(self) -> bool:
        """Whether its layer has a place in depth."""

    def view(self, frame: float) -> Any:
        """What sees a layer in depth at a frame (compose.places.View); None where it is hidden or no camera is known."""

    @property
    def part(self) -> tuple[float, float] | None:
        """Of what fills the space about its place: only what lies between these distances from the camera, far and near; None for all."""

    def matte(self, matte: str, frame: float, scale: float = 0.0) -> tuple[Any, Any]:
        """(the step of a matte's coverage of the frame, the 3x3 matrix from the content's own pixels to that coverage's), at `scale` pixels per pixel of the
        shot, the plan's own where it is 0; (None, None) where there is no such matte, or the layer lies nowhere."""

    def font(self, font: str) -> str | None:
        """Where a stored font's file lies; None where it is missing."""

    def step(self, op: str, parameters: object, inputs: tuple[Any, ...], make: Any) -> Any:
        """A step of the plan, named by what goes into it."""

    def made(
        self, op: str, parameters: object, size: tuple[int, int], make: Callable[..., Any], inputs: tuple[Any, ...] = ()
    ) -> Any:
        """The step of a picture: `make` is given its window, and what the inputs make."""


@dataclass(frozen=True)
class Life:
    """The parameters that say how one of many changes from its birth to its end: drawn curves, and the colours it goes through."""

    curves: tuple[str, ...]
    colours: tuple[str, ...]


class ContentBase(Kind):
    """What all contents share: whether they have a place in the frame, and pixels of their own."""

    title: ClassVar[str] = ""
    has_place: ClassVar[bool] = True
    has_picture: ClassVar[bool] = True
    takes_looks: ClassVar[bool] = True  # there is something that effects, mattes and opacity act on
    fills_depth: ClassVar[bool] = (
        False  # in depth it fills the space about its place, and draws itself as the camera sees it
    )
    in_shot_time: ClassVar[bool] = (
        True  # its frames are the shot's; else it says itself how many it has, and at what rate
    )

    lives: ClassVar[Life | None] = None  # it makes many that are born, change and end
    starts: ClassVar[dict[str, dict[str, Any]]] = {}  # named sets of values to begin with

    @classmethod
    def points(cls) -> tuple[str, ...]:
        """Parameters that are places in its picture and may ride on tracks, by a field for that beside them."""
        return _points_of(cls)

    @classmethod
    def begun(cls, start: str, size: tuple[int, int]) -> dict[str, Any]:
        """The values of one of its starts, "" for those it has by itself, as they look in a frame of this size: they are given for one of
        DRAWN_FOR. KeyError where there is no such start."""
        out: dict[str, Any] = {}
        across, down = (there / here for there, here in zip(size, DRAWN_FOR, strict=True))
        given = cls.starts[start] if start else {}
        for name, field in cls.model_fields.items():
            about = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
            default = field.get_default(call_default_factory=True)
            value = given.get(name, default)
            if about and isinstance(value, dict) and str(about.get("unit", "")).startswith("px"):
                plain = value["value"]
                point = about.get("widget") == "point"
                plain = (
                    (plain[0] * across, plain[1] * (down if point else across))
                    if isinstance(plain, tuple)
                    else plain * across
                )
                out[name] = {"value": plain}
            elif name in given:
                out[name] = value
        return out

    def size(self, shot: Shot) -> tuple[int, int]:
        """Width and height of its picture in its own pixels; the shot's where nothing else is said."""
        return shot.size

    def picture(self, context: Context) -> Any:
        """The step that makes its picture at the context's frame, or None where it shows nothing; what it draws itself, where it does."""
        return None

    def aged(self, values: dict[str, Any], ages: Any, side: int) -> Any:
        """(side, side * n, 4) pixels of one of the many it makes, at ages 0..1 of its life, for contents that `lives`."""
        raise NotImplementedError

    def draw(self, values: dict[str, Any], window: Any, scale: float) -> Any:
        """For contents that are made from their parameters alone (see `Context.drawn`): a Picture of the window, `scale` pixels per pixel of
        the content's size; `values` are the parameters at the frame."""
        raise NotImplementedError


@cache
def _points_of(cls: type[ContentBase]) -> tuple[str, ...]:
    fields = {n: f.json_schema_extra for n, f in cls.model_fields.items() if isinstance(f.json_schema_extra, dict)}
    return tuple(n for n, e in fields.items() if e.get("widget") == "point" and n + RIDE in cls.model_fields)


def starting(**values: Any) -> dict[str, Any]:
    """One of the starts of a content: constants by the names of its parameters, words and choices as they are."""
    return {name: value if isinstance(value, str) else {"value": value} for name, value in values.items()}


CONTENTS: Family[ContentBase] = Family("content", "tropein.core.contents", ContentBase)
AnyContent = Annotated[SerializeAsAny[ContentBase], BeforeValidator(CONTENTS.read)]
