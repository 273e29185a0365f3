"""How a layer moves while the shutter is open.

Working a place out costs more than its share of a frame of quick motion: a motion that is seen to be smooth is worked out at few moments, the
same for all layers, and read off a curve through them at the others.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.places import Places
from tropein.core.document import Layer
from tropein.core.raster.warp import Matrix, Move, Quality, speed_px

BLUR_PX, DRAFT_BLUR_PX, MOST_SAMPLES = 1.5, 6.0, 32  # motion between two samples of motion blur
EVEN_PX = 0.25  # so far from the middle of its ends a motion may pass to be told by those three
SMOOTH_PX = 0.05  # so far from a parabola half of a motion may be to count as smooth
MANY_TIMES = 5


def within_shutter(
    places: Places, layer: Layer, frame: float, still: Move, scale: float, quality: Quality
) -> list[Move]:
    """The layer's moves while the shutter is open: one when it stands still, more the faster it moves."""
    half = places.shot.shutter_deg / 720
    if not layer.place.motion_blur or half <= 0:
        return [still]
    w, h = layer.content.size(places.shot)
    ends = [places.move(layer, frame + side * half) for side in (-1, 1)]
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h], [w / 2, h / 2]], float)
    flat = [None if move is None else move.flat((w, h)) for move in (ends[0], still, ends[1])]
    assert flat[1] is not None
    far = math.fsum(speed_px(flat[1], end, corners) for end in flat[::2] if end is not None) * scale
    every = DRAFT_BLUR_PX if quality == "draft" else BLUR_PX
    count = min(MOST_SAMPLES, math.ceil(far / every))
    if count < 2:
        return [still]
    times = frame + half * (2 * (np.arange(count) + 0.5) / count - 1)
    bends = any(move is None or move.bending is not None for move in (still, *ends))
    made = (
        None if bends else _along(places, layer, times, frame, half, [m for m in flat if m is not None], corners, scale)
    )
    if made is None:
        made = [move for t in times if (move := places.move(layer, float(t))) is not None]
    return made or [still]


def _along(
    places: Places,
    layer: Layer,
    times: NDArray[np.float64],
    frame: float,
    half: float,
    known: list[Matrix],
    corners: NDArray[np.float64],
    scale: float,
) -> list[Move] | None:
    """Moves at rising times (n,) within `half` of a frame, read off curves; None where the motion is not smooth enough. `known` are those at the ends
    and in the middle; `corners` (k, 2) of the layer are where all is measured."""
    moments, values = frame + half * np.array([-1.0, 0, 1]), np.array([m.ravel() for m in known])
    middle = ((values[0] + values[2]) / 2).reshape(3, 3)
    if speed_px(middle, known[1], corners) * scale < EVEN_PX:
        return _moves(_curve(moments, values, times))
    if len(times) <= MANY_TIMES:
        return None
    moves: list[Move] = []
    for when, first, last in ((times < frame, frame - half, frame), (times >= frame, frame, frame + half)):
        nodes = np.linspace(first, last, 4)  # a track may turn at its frame
        made = [places.move(layer, float(t)) for t in nodes]
        at_nodes = [m.matrix.ravel() for m in made if m is not None and m.bending is None]
        if len(at_nodes) < len(nodes):
            return None
        values = np.array(at_nodes)
        guess = _curve(np.delete(nodes, 2), np.delete(values, 2, 0), nodes[2:3])[0]
        if speed_px(guess.reshape(3, 3), values[2].reshape(3, 3), corners) * scale > SMOOTH_PX:
            return None
        moves += _moves(_curve(nodes, values, times[when]))
    return moves


def _moves(matrices: NDArray[np.float64]) -> list[Move]:
    return [Move(m) for m in matrices.reshape(-1, 3, 3)]


def _curve(nodes: NDArray[np.float64], values: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """The polynomial through values (n, c) at nodes (n,), at other places (m,): (m, c). Lagrange."""
    weights = np.ones((len(at), len(nodes)))
    for i, a in enumerate(nodes):
        for j, b in enumerate(nodes):
            if i != j:
                weights[:, i] *= (at - b) / (a - b)
    return weights @ values
