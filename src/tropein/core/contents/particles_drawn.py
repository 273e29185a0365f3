"""Particles as pictures: flown, seen, given their looks and drawn."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.contents.particles_born import Born
from tropein.core.contents.particles_made import Pictures, turned
from tropein.core.contents.particles_seen import Scene, Seen, looking, seen_before_frame, seen_in_scene
from tropein.core.raster.flight import flown
from tropein.core.raster.picture import Picture, Window, nothing
from tropein.core.raster.shading import shaded
from tropein.core.raster.specks import SPECK, specks
from tropein.core.raster.sprites import sprinkled

HALVED_FROM_PX = 6.0  # of puffs as large as this the whole is drawn at half its size: they have no finer detail
LENGTHS = ("x", "y", "dx", "dy", "radius")
RADIUS, OPACITY, LIGHT = (
    SPECK.index("radius"),
    SPECK.index("opacity"),
    slice(SPECK.index("red"), SPECK.index("blue") + 1),
)
CORNERS = math.sqrt(2)  # how far those of a square lie
CELL = 0.3  # of the light within them, in their radii


@dataclass(frozen=True, eq=False)
class Flight:
    """What particles of some frames do until `now`: the earliest frame, the BIRTH columns of it and those after it, how many are born in each; the
    shot's frames a second; (frames, 3, 3) what carries those of each; what sees them in depth, and which part of it; where they are born instead."""

    first: int
    births: NDArray[np.float64]
    born: NDArray[np.int64]
    rate: float
    now: float
    carry: NDArray[np.float64] | None = None
    scene: Scene | None = None
    part: tuple[float, float] | None = None
    places: Born | None = None


def drawn(
    values: dict[str, Any], flight: Flight, scale: float, window: Window, made: Pictures | None = None
) -> Picture:
    """The window of their picture at a scale; `made`: the pictures each is one of."""
    seed, seconds = int(values["seed"]), flight.now / flight.rate
    found, numbers, frames = flown(
        seed, flight.first, flight.born, flight.births, flight.rate, flight.now, places=flight.places
    )
    if flight.carry is not None and len(found):
        moves = flight.carry[frames]
        p = np.einsum("nij,nj->ni", moves, np.column_stack([found[:, :2], np.ones(len(found))]))
        found[:, :2] = p[:, :2] / p[:, 2:]
        found[:, 3:5] = np.einsum("nij,nj->ni", moves[:, :2, :2], found[:, 3:5])
    if flight.scene is None:
        kept, seen = seen_before_frame(values, found, scale)
    else:
        kept, seen = seen_in_scene(values, found, frames, flight.scene, scale, flight.part)
    of = looking(values, found[kept], numbers[kept], seen, seconds, seed, scale)
    if values["shading"] > 0 and len(kept):
        of[:, LIGHT] *= _shades(values, found, numbers, seconds, seed)[kept, None]
    if values["spin"] or made is not None:
        of[:, SPECK.index("turn")] = turned(values, found[kept], numbers[kept], seed)
    at = _around(of, window)
    if at.empty:
        return nothing()
    of[:, :2] -= np.array([at.x0, at.y0], np.float32)
    if made is not None:
        which = made.which(values, found[kept], numbers[kept], seed, flight.rate)
        return Picture(sprinkled(of, which, made.kept, at.height, at.width), at)
    if not values["breakup"] or np.percentile(of[:, RADIUS], 10) < HALVED_FROM_PX:
        return Picture(specks(of, at.height, at.width, values["breakup"], values["soft"]), at)
    of = of * np.where([n in LENGTHS for n in SPECK], np.float32(0.5), np.float32(1))
    half = specks(of, -(-at.height // 2), -(-at.width // 2), values["breakup"], values["soft"])
    pixels = cv2.resize(half, (half.shape[1] * 2, half.shape[0] * 2), interpolation=cv2.INTER_LINEAR)
    return Picture(np.ascontiguousarray(pixels[: at.height, : at.width]), at)


def _shades(
    values: dict[str, Any], found: NDArray[np.float64], numbers: NDArray[np.uint64], seconds: float, seed: int
) -> NDArray[np.float32]:
    """(n,) what their light is multiplied by: by all that there are, seen or not, each as large and as dense as in its own space."""
    n = len(found)
    of = looking(values, found, numbers, Seen(np.zeros((n, 2)), np.zeros((n, 2)), np.ones(n)), seconds, seed, 1.0)
    angle, before = math.radians(values["lit_from"]), math.asin(min(max(values["lit_before"], -1.0), 1.0))
    flat = math.cos(before)
    towards = np.array([flat * math.cos(angle), flat * math.sin(angle), -math.sin(before)])
    cell = max(CELL * values["radius"], 0.5)
    lit = shaded(found[:, :3], of[:, RADIUS].astype(float), of[:, OPACITY].astype(float), towards, cell)
    return np.asarray(1 + values["shading"] * (lit - 1), np.float32)


def _around(of: NDArray[np.float32], window: Window) -> Window:
    """The part of a window that specks reach, from an even pixel on."""
    if not len(of):
        return Window(0, 0, 0, 0)
    reach = CORNERS * np.sqrt(of[:, 4] ** 2 + 1) + np.maximum(np.abs(of[:, 2]), np.abs(of[:, 3])) / 2 + 1
    low = np.floor((of[:, :2] - reach[:, None]).min(0) / 2).astype(int) * 2
    high = np.ceil((of[:, :2] + reach[:, None]).max(0)).astype(int)
    return Window(int(low[0]), int(low[1]), int(high[0]), int(high[1])).meet(window)
