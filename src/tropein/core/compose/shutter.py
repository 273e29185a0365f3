"""How a layer moves while the shutter is open.

Working a place out costs more than its share of a frame of quick motion: a motion that is seen to be smooth is worked out at few moments, the
same for all layers, and read off a curve through them at the others.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.places import Places
from tropein.core.document import Layer
from tropein.core.raster.warp import Matrix, Move, Quality, speed_px

BLUR_PX, DRAFT_BLUR_PX, MOST_SAMPLES = 1.5, 6.0, 32  # motion between two samples of motion blur
EVEN_PX = 0.25  # so far from the middle of its ends a motion may pass to be told by those three
SMOOTH_PX = 0.05  # so far from a parabola half of a motion may be to count as smooth
MANY_TIMES = 5
BEFORE, AFTER = (-1.0, -2 / 3, -1 / 3, 0.0), (0.0, 1 / 3, 2 / 3, 1.0)  # a track may turn at its frame
Spots = tuple[tuple[float, float], ...]


def within_shutter(
    places: Places, layer: Layer, frame: float, still: Move, scale: float, quality: Quality
) -> list[Move]:
    """The layer's moves while the shutter is open: one when it stands still, more the faster it moves."""
    half = places.shot.shutter_deg / 720
    if not layer.place.motion_blur or half <= 0:
        return [still]
    w, h = layer.content.size(places.shot)
    ends = [places.move(layer, frame + side * half) for side in (-1, 1)]
    spots: Spots = ((0, 0), (w, 0), (w, h), (0, h), (w / 2, h / 2))
    flat = [None if move is None else move.flat((w, h)) for move in (ends[0], still, ends[1])]
    assert flat[1] is not None
    far = math.fsum(speed_px(flat[1], end, spots) for end in flat[::2] if end is not None) * scale
    every = DRAFT_BLUR_PX if quality == "draft" else BLUR_PX
    count = min(MOST_SAMPLES, math.ceil(far / every))
    if count < 2:
        return [still]
    bends = any(move is None or move.bending is not None for move in (still, *ends))
    made = (
        None if bends else _along(places, layer, count, frame, half, [m for m in flat if m is not None], spots, scale)
    )
    if made is None:
        made = [move for t in _moments(count) if (move := places.move(layer, frame + half * t)) is not None]
    return made or [still]


def _along(
    places: Places,
    layer: Layer,
    count: int,
    frame: float,
    half: float,
    known: list[Matrix],
    spots: Spots,
    scale: float,
) -> list[Move] | None:
    """So many moves within `half` of a frame, read off curves; None where the motion is not smooth enough. `known` are those at the ends and in the
    middle; `spots` of the layer are where all is measured."""
    moments = _moments(count)
    if speed_px((known[0] + known[2]) / 2, known[1], spots) * scale < EVEN_PX:
        return _curve((-1.0, 0.0, 1.0), known, moments)
    if count <= MANY_TIMES:
        return None
    moves: list[Move] = []
    for part, nodes in (([t for t in moments if t < 0], BEFORE), ([t for t in moments if t >= 0], AFTER)):
        made = [places.move(layer, frame + half * t) for t in nodes]
        values = [m.matrix for m in made if m is not None and m.bending is None]
        if len(values) < len(nodes):
            return None
        (guess,) = _curve((*nodes[:2], nodes[3]), [*values[:2], values[3]], (nodes[2],))
        if speed_px(guess.matrix, values[2], spots) * scale > SMOOTH_PX:
            return None
        moves += _curve(nodes, values, tuple(part))
    return moves


@lru_cache(64)
def _moments(count: int) -> tuple[float, ...]:
    """Moments of an open shutter, from -1 to 1, the middles of equal parts of it."""
    return tuple((2 * i + 1) / count - 1 for i in range(count))


def _curve(nodes: tuple[float, ...], values: list[Matrix], at: tuple[float, ...]) -> list[Move]:
    """What lies at some moments on the polynomial through values at nodes."""
    made = _weights(nodes, at) @ np.array(values).reshape(len(nodes), 9)
    return [Move(m) for m in made.reshape(-1, 3, 3)]


@lru_cache(256)
def _weights(nodes: tuple[float, ...], at: tuple[float, ...]) -> NDArray[np.float64]:
    """(m, n) what the values at n nodes count at m other places on the polynomial through them. Lagrange."""
    weights = np.ones((len(at), len(nodes)))
    for i, a in enumerate(nodes):
        for j, b in enumerate(nodes):
            if i != j:
                weights[:, i] *= (np.array(at) - b) / (a - b)
    return weights
