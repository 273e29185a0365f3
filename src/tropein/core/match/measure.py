"""What a measure is: a number for how an insert differs from what lies around it, from where on that shows, and an edit that mends it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from tropein.core.compose.making import MeetingOf
from tropein.core.compose.plan import Planner
from tropein.core.compose.render import Renderer
from tropein.core.compose.step import Step
from tropein.core.compose.step import step as made_step
from tropein.core.document import Layer, Shot
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.scope import group_of
from tropein.core.errors import BadInput, NotFound
from tropein.core.raster.colour import LUMA, decoded, encoded
from tropein.core.raster.picture import Picture, Pixels


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
CLEAR = 0.02  # below this it is not there
FULL = 1920  # px: as wide as an insert is drawn at most; smaller ones are reduced from that, so that what is made for one measure serves others
AROUND = 0.6  # of an insert's size to each side: what it is compared with


def laid(seen: Seen, frame: int, widest: int = FULL, met: bool = True) -> Laid:
    """An insert and what it is laid over, apart: as it `met` that, or as it is before. BadInput in words where it is not seen, or is no thing that
    hides what lies behind."""
    renderer, layer, scale = seen.renderer, seen.layer, _scale(seen, widest)
    if layer.blend != "normal":
        raise BadInput(
            f"{layer.name} is laid in by {layer.blend}: it changes what lies behind, and has no look of its own to compare."
        )
    planner = planner_below(seen, scale)
    window, known = planner.frame_window, planner.shot.layers[layer.id]
    step = planner.layer(known, frame)
    if step is None:
        raise _unseen(layer, frame)
    picture = _drawn(renderer, step)
    if met and any(meet.on for meet in known.meetings):
        picture = _drawn(renderer, _as_met(planner, known, made_step("drawn", step.key, (), lambda: picture), frame))
    pixels = picture.fill(window)
    if pixels[..., 3].max() < HALF:
        raise _unseen(layer, frame)
    below = _drawn(renderer, planner.stack(planner.shot.stack, frame))
    return Laid(pixels, np.ascontiguousarray(below.fill(window)[..., :3]), scale)


def _unseen(layer: Layer, frame: int) -> BadInput:
    return BadInput(f"{layer.name} shows nothing at frame {frame}: go to a frame in which it is seen.")


KEEP_BYTES = 160 << 20


def _drawn(renderer: Renderer, step: Step) -> Picture:
    """A step's picture. Several measures look at the same frames one after another, and a renderer's own cache is soon full of all that leads to a
    picture: the last of them stay beside it, at half precision."""
    kept = renderer.beside
    known = kept.pop(step.key, None)
    if known is None:
        made: Picture = renderer.run(step)
        known = Picture(made.pixels.astype(np.float16), made.window)
    kept[step.key] = known
    while sum(p.pixels.nbytes for p in kept.values()) > KEEP_BYTES:
        kept.popitem(last=False)
    return Picture(known.pixels.astype(np.float32), known.window)


def _as_met(planner: Planner, layer: Layer, picture: Step, frame: int) -> Step:
    """An insert's picture after the ways in which it meets what lies beneath."""
    meeting = MeetingOf(planner, layer, frame, lambda: planner.stack(planner.shot.stack, frame))
    for meet in layer.meetings:
        if meet.on:
            picture = meet.over(picture, meeting)
    return picture


def alone(seen: Seen, frame: int, widest: int = 1280) -> Pixels:
    """(h, w, 4) an insert as it lies at a frame, nothing beneath it; clear where it shows nothing."""
    planner = planner_below(seen, _scale(seen, FULL if seen.layer.cuts else widest))
    window = planner.frame_window
    step = planner.layer(planner.shot.layers[seen.layer.id], frame)
    if step is None or not planner.shows(seen.layer, frame):
        pixels = np.zeros((window.height, window.width, 4), np.float32)
    else:
        pixels = _drawn(seen.renderer, step).fill(window)
    small = planner_below(seen, _scale(seen, widest)).frame_window
    if (small.height, small.width) == pixels.shape[:2]:
        return pixels
    return np.asarray(cv2.resize(pixels, (small.width, small.height), interpolation=cv2.INTER_AREA), np.float32)


def ring(of: Laid) -> NDArray[np.bool_]:
    """(h, w) what lies around an insert and is none of it."""
    alpha = of.insert[..., 3]
    rows, columns = np.nonzero(alpha > HALF)
    y0, y1, x0, x1 = rows.min(), rows.max() + 1, columns.min(), columns.max() + 1
    dy, dx = int(AROUND * (y1 - y0)) + 4, int(AROUND * (x1 - x0)) + 4
    near = np.zeros(alpha.shape, bool)
    near[max(0, y0 - dy) : y1 + dy, max(0, x0 - dx) : x1 + dx] = True
    return near & (cv2.erode((alpha < CLEAR).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def beneath(seen: Seen, frame: int, widest: int = FULL) -> Pixels:
    """(h, w, 3) linear: what an insert is laid over at a frame, whether it is seen there or not."""
    planner = planner_below(seen, _scale(seen, widest))
    return np.ascontiguousarray(seen.renderer.run(planner.plan(frame)).fill(planner.frame_window)[..., :3])


def plate_picture(seen: Seen, frame: int, widest: int = FULL) -> Pixels | None:
    """(h, w, 3) linear: the plate's own picture, whatever is laid between it and the insert (a background put out of focus); None where there is none."""
    plate = seen.shot.layers.get(seen.shot.plate or "")
    planner = seen.renderer.planner(seen.shot, _scale(seen, widest))
    step = None if plate is None else planner.layer(plate.model_copy(update={"visible": True}), frame)
    if step is None:
        return None
    return np.ascontiguousarray(seen.renderer.run(step).fill(planner.frame_window)[..., :3])


def inside_of(of: Laid, by: int) -> NDArray[np.bool_]:
    """(h, w) where an insert hides what lies behind, and does so `by` pixels around."""
    square = np.ones((2 * by + 1,) * 2, np.uint8)
    return cv2.erode(np.pad(of.insert[..., 3], by), square)[by:-by, by:-by] > WHOLE


def _scale(seen: Seen, widest: int) -> float:
    return min(1.0, widest / seen.shot.size[0])


def planner_below(seen: Seen, scale: float) -> Planner:
    """Plans what lies beneath an insert; the insert itself is known to it, switched on."""
    shot, layer = seen.shot, seen.layer
    groups, top = group_of(shot), layer.id
    while top in groups:
        top = groups[top]
    below = shot.stack[shot.stack.index(top) + 1 :]
    plain = layer.model_copy(update={"visible": True})
    document = shot.model_copy(update={"layers": {**shot.layers, layer.id: plain}, "stack": below})
    return seen.renderer.planner(document, scale)


def brightness(light: Pixels) -> Pixels:
    """(h, w) of linear (h, w, 3) as the display shows it."""
    return np.ascontiguousarray(encoded(np.ascontiguousarray(light, np.float32)) @ LUMA, np.float32)


def lightness(display: Pixels) -> Pixels:
    """L* of display brightness."""
    light = decoded(display)
    return np.asarray(np.where(light > 0.008856, 116 * np.cbrt(np.maximum(light, 0)) - 16, 903.3 * light), np.float32)


def added(layer: Layer, family: Literal["effects", "meets"], made: Kind) -> list[dict[str, Any]]:
    """A patch that lays a thing in at the end of a layer's chain of such."""
    at, thing = f"/layers/{layer.id}", made.model_dump(mode="json")
    return [
        {"op": "add", "path": f"{at}/{family}/{thing['id']}", "value": thing},
        {"op": "add", "path": f"{at}/{ORDER[family]}/-", "value": thing["id"]},
    ]


ORDER = {"effects": "chain", "meets": "meeting"}


class Fix(BaseModel):
    """An ordinary edit: its label, and a JSON Patch of the shot; `to` says in numbers what it sets."""

    label: str
    patch: list[dict[str, Any]]
    to: str = ""


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
    """What all measures share. `act` is what its fix does, as a person would ask for it, "" where it has none; `order`: which is to be mended first;
    `judges`: whether what it finds is a verdict, or only good to compare before and after."""

    title: ClassVar[str] = ""
    act: ClassVar[str] = ""
    unit: ClassVar[str] = ""
    visible_from: ClassVar[float] = 0.0
    order: ClassVar[int] = 50
    looks: ClassVar[int] = 100  # at so many frames at most: each may be several pictures
    judges: ClassVar[bool] = True
    by_meeting: ClassVar[bool] = False  # its fix is a way to meet what lies beneath
    work: ClassVar[str] = ""  # the kind of work in the background that mends it, where an edit cannot

    kind: str

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        """(how far off, in words). BadInput in words where nothing can be told."""
        raise NotImplementedError

    def over(self, seen: Seen, frames: list[int]) -> list[tuple[float, str] | str]:
        """At several frames, in order of time: of each how far off and in words, or in words why nothing can be told."""
        out: list[tuple[float, str] | str] = []
        for frame in frames:
            try:
                out.append(self.measure(seen, frame))
            except BadInput as error:
                out.append(error.message)
        return out

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        """The edit that mends what was measured."""
        return None


MEASURES: Family[MeasureBase] = Family("measure", "tropein.core.match", MeasureBase)


def insert_of(renderer: Renderer, shot: Shot, layer_id: str) -> Seen:
    """NotFound where there is no such insert."""
    layer = shot.layers.get(layer_id)
    if layer is None or not layer.content.has_picture or layer_id == shot.plate:
        raise NotFound("There is no such insert in the shot.")
    return Seen(renderer, shot, layer)


def read(renderer: Renderer, shot: Shot, layer_id: str, measure: str, frame: int) -> Reading:
    """Measures an insert at a frame. NotFound where there is no such insert or measure, BadInput where nothing can be told."""
    seen = insert_of(renderer, shot, layer_id)
    if measure not in MEASURES.known():
        raise NotFound(f"There is no measure {measure!r}.")
    by = MEASURES.of(measure)(kind=measure)
    off, words = by.measure(seen, frame)
    return Reading(
        measure=measure,
        frame=frame,
        off=round(off, 4),
        visible=abs(off) >= by.visible_from,
        words=words,
        fix=by.fix(seen, frame, off),
    )
