"""What a measure is: a number for how an insert differs from what lies around it, from where on that shows, and an edit that mends it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import BaseModel

from tropein.core.compose.render import Renderer
from tropein.core.document import Layer, Shot
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.scope import group_of
from tropein.core.errors import BadInput, NotFound
from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert
from tropein.core.raster.picture import Pixels


@dataclass(frozen=True)
class Seen:
    """An insert in its shot, and what draws them."""

    renderer: Renderer
    shot: Shot
    layer: Layer


@dataclass(frozen=True)
class Laid:
    """An insert as it is laid, (h, w, 4) linear premultiplied, and what lies beneath it, (h, w, 3) linear; pixels per pixel of the shot."""

    insert: Pixels
    under: Pixels
    scale: float


HALF = 0.5  # of coverage: from there on it counts as the insert
WHOLE = 0.95  # and from there on it hides what lies behind


def laid(seen: Seen, frame: int, widest: int = 1920) -> Laid:
    """An insert and what it is laid over, apart. BadInput in words where it is not seen."""
    shot, renderer, layer = seen.shot, seen.renderer, seen.layer
    scale = min(1.0, widest / shot.size[0])
    plain = layer.model_copy(update={"visible": True})
    groups, top = group_of(shot), layer.id
    while top in groups:
        top = groups[top]
    below = shot.stack[shot.stack.index(top) + 1 :]
    planner = renderer.planner(
        shot.model_copy(update={"layers": {**shot.layers, layer.id: plain}, "stack": below}), scale
    )
    window = planner.frame_window
    step = planner.layer(plain, frame)
    pixels = None if step is None else renderer.run(step).fill(window)
    if pixels is None or pixels[..., 3].max() < HALF:
        raise BadInput(f"{layer.name} shows nothing at frame {frame}: go to a frame in which it is seen.")
    under = renderer.run(planner.plan(frame)).fill(window)[..., :3]
    return Laid(pixels, np.ascontiguousarray(under), scale)


def brightness(light: Pixels) -> Pixels:
    """(h, w) of linear (h, w, 3) as the display shows it."""
    display = convert(np.ascontiguousarray(np.maximum(light, 0), np.float32), WORKING, DISPLAY)
    return np.ascontiguousarray(display @ LUMA, np.float32)


def added(layer: Layer, family: Literal["effects", "meets"], made: Kind) -> list[dict[str, Any]]:
    """A patch that lays a thing in at the end of a layer's chain of such."""
    at, thing = f"/layers/{layer.id}", made.model_dump(mode="json")
    return [
        {"op": "add", "path": f"{at}/{family}/{thing['id']}", "value": thing},
        {"op": "add", "path": f"{at}/{ORDER[family]}/-", "value": thing["id"]},
    ]


ORDER = {"effects": "chain", "meets": "meeting"}


class Fix(BaseModel):
    """An ordinary edit: its label, and a JSON Patch of the shot."""

    label: str
    patch: list[dict[str, Any]]


class Reading(BaseModel):
    """One frame. `off` is how far the insert is from what lies around it, in the measure's unit, with a sign; `visible` whether that shows;
    `words` say it; `fix` would mend it, where anything can."""

    measure: str
    frame: int
    off: float
    visible: bool
    words: str
    fix: Fix | None = None


class MeasureBase(Kind):
    """What all measures share. `act` is what its fix does, as a person would ask for it."""

    title: ClassVar[str] = ""
    act: ClassVar[str] = ""
    unit: ClassVar[str] = ""
    visible_from: ClassVar[float] = 0.0

    kind: str

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        """(how far off, in words). BadInput in words where nothing can be told."""
        raise NotImplementedError

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        """The edit that mends what was measured."""
        return None


MEASURES: Family[MeasureBase] = Family("measure", "tropein.core.match", MeasureBase)


def read(renderer: Renderer, shot: Shot, layer_id: str, measure: str, frame: int) -> Reading:
    """Measures an insert at a frame. NotFound where there is no such insert or measure, BadInput where nothing can be told."""
    layer = shot.layers.get(layer_id)
    if layer is None or not layer.content.has_picture or layer_id == shot.plate:
        raise NotFound("There is no such insert in the shot.")
    if measure not in MEASURES.known():
        raise NotFound(f"There is no measure {measure!r}.")
    by, seen = MEASURES.of(measure)(kind=measure), Seen(renderer, shot, layer)
    off, words = by.measure(seen, frame)
    return Reading(
        measure=measure,
        frame=frame,
        off=round(off, 4),
        visible=abs(off) >= by.visible_from,
        words=words,
        fix=by.fix(seen, frame, off),
    )
