"""Particles that are small pictures of another layer."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from tropein.core.document.content import Context
from tropein.core.raster.hashed import of_each
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.sprites import Sprites, sprites

if TYPE_CHECKING:
    from tropein.core.contents.particles import ParticlesContent

Array = NDArray[np.float64]
MOST_PICTURES, MOST_PX = 24, 256  # of a layer; their longer side
TURN, SPIN, MOMENT = 11, 14, 15  # random numbers of a particle


class Shows(NamedTuple):
    """What of a layer's time is shown: so many of its frames, one picture for every so many; and the size of those."""

    length: int
    every: int
    size: tuple[int, int]
    indices: tuple[int, ...]  # of the different pictures, by the moment


@dataclass(frozen=True, eq=False)
class Pictures:
    """The different pictures of a layer, and when each is shown."""

    shows: Shows
    kept: Sprites

    def which(
        self, values: dict[str, Any], found: Array, numbers: NDArray[np.uint64], seed: int, rate: float
    ) -> NDArray[np.int64]:
        """The picture of each: by its age, or from any moment on, over and over."""
        age = found[:, 6] * rate
        if values["begins"] == "anywhere":
            age = np.mod(age + of_each(seed, numbers, MOMENT) * self.shows.length, self.shows.length)
        moment = np.clip(age / self.shows.every, 0, len(self.shows.indices) - 1).astype(np.int64)
        return np.asarray(np.array(self.shows.indices, np.int64)[moment])


def looks_over_life(content: ParticlesContent, context: Context, rate: float) -> tuple[Shows | None, tuple[Any, ...]]:
    """(what each shows, the one step of the different pictures, as Sprites); (None, ()) for discs, or where the layer shows nothing."""
    layer = context.shot.layers.get(content.made_of or "")
    if layer is None:
        return None, ()
    size = layer.content.size(context.shot)
    scale = min(1.0, MOST_PX / max(size))
    begin, end = layer.span or (0, context.shot.frames - 1)
    length = max(1, end - begin + 1)
    if content.begins == "birth":
        length = min(length, max(1, math.ceil(content.longest * rate)))
    every = -(-length // MOST_PICTURES)
    indices: list[int] = []
    steps: list[Any] = []
    for moment in range(0, length, every):
        made = context.finished(layer.id, float(begin + moment), scale)
        if made is None:
            return None, ()
        keys = [s.key for s in steps]
        if made.key not in keys:
            steps.append(made)
            keys.append(made.key)
        indices.append(keys.index(made.key))
    shape = max(1, round(size[0] * scale)), max(1, round(size[1] * scale))

    def make(*pictures: Picture) -> Sprites:
        return sprites([p.fill(Window(0, 0, *shape)) for p in pictures])

    return Shows(length, every, shape, tuple(indices)), (context.step("sprites", shape, tuple(steps), make),)


def turned(values: dict[str, Any], found: Array, numbers: NDArray[np.uint64], seed: int) -> Array:
    """How far each is turned, in radians: as it stands, and by its spin since its birth."""
    if values["stands"] == "along" and values["made_of"]:
        start = np.arctan2(found[:, 4], found[:, 3])
    elif values["stands"] == "upright" and values["made_of"]:
        start = np.zeros(len(found))
    else:
        start = of_each(seed, numbers, TURN) * 2 * np.pi
    spin = np.radians(values["spin"]) * (2 * of_each(seed, numbers, SPIN) - 1)
    return np.asarray(start + spin * found[:, 6])
