"""An insert follows the light on the plate: what becomes of the plate's light, frame by frame, as keys of an ordinary grade."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from tropein.core.animate.fewest import fewest_keys
from tropein.core.document import Layer
from tropein.core.effects.grade import balanced_by
from tropein.core.errors import BadInput
from tropein.core.match.colours import FOLLOWS, laid_in
from tropein.core.match.light import Change, followed
from tropein.core.match.measure import Fix, Seen, plate_picture
from tropein.core.raster.picture import Pixels

WIDTH = 480  # at which the plate is looked at
STEADY_STOPS = 0.02  # a light that changes by less than this stands still
NEAR = {
    "exposure": 0.006,
    "temperature": 0.03,
    "tint": 0.03,
    "light_offset": 0.0006,
    "power": 0.003,
}  # keys nearer than this to a straight line are not set


@dataclass(frozen=True)
class Followed:
    """`words` say how much the light changes and where that could not be told; `fix` is none where there is nothing to follow."""

    words: str
    unsure: list[int]
    fix: Fix | None


def follow(seen: Seen, frames: range, reference: int, tick: Callable[[int], None] = lambda n: None) -> Followed:
    """Measures the plate over some frames of the shot against one of them. BadInput in words where there is no plate. `tick` is called with how many are
    done; what it raises ends the work."""
    if seen.shot.plate is None:
        raise BadInput("The shot has no plate whose light could be followed.")
    if len(frames) < 2:
        raise BadInput("Light is followed over two frames or more: the shot has one.")
    changes: dict[int, Change] = {}
    for done, (frame, change) in enumerate(followed(plate_light(seen), frames, reference), 1):
        changes[frame] = change
        tick(done)
    return _told(seen.layer, changes)


def plate_light(seen: Seen) -> Callable[[int], Pixels]:
    """The plate's own picture at a frame, (h, w, 3) linear, small; black where it shows nothing."""

    def picture(frame: int) -> Pixels:
        found = plate_picture(seen, frame, WIDTH)
        if found is not None:
            return found
        window = seen.renderer.planner(seen.shot, min(1.0, WIDTH / seen.shot.size[0])).frame_window
        return np.zeros((window.height, window.width, 3), np.float32)

    return picture


def _told(layer: Layer, changes: dict[int, Change]) -> Followed:
    order = sorted(changes)
    stops = np.array([changes[f].stops for f in order])
    unsure = [f for f in order if not changes[f].sure]
    gains = np.log2([changes[f].gain for f in order])
    colour = float(np.ptp(gains - gains.mean(1, keepdims=True), axis=0).max())
    if max(float(np.ptp(stops)), colour) < STEADY_STOPS:
        return Followed("The light on the plate stands still: there is nothing to follow.", unsure, None)
    words = f"The light on the plate goes from {stops.min():+.2f} to {stops.max():+.2f} stops"
    words += f" and changes its colour by {colour:.2f} stops." if colour > 0.05 else "."
    if unsure:
        words += f" At {len(unsure)} frames (the first {unsure[0]}) too little of the plate could be compared: it is held there."
    values: dict[str, list[Any]] = {name: [] for name in NEAR}
    for f in order:
        change = changes[f]
        exposure, temperature, tint = balanced_by(np.array(change.gain))
        for name, value in zip(NEAR, (exposure, temperature, tint, change.offset, change.power), strict=True):
            values[name].append(value)
    keyed = {name: fewest_keys(order, np.array(v), NEAR[name]) for name, v in values.items()}
    patch = laid_in(layer, FOLLOWS, keyed)
    return Followed(words, unsure, Fix(label=f"let {layer.name} follow the plate's light", patch=patch))
