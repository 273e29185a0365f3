"""Lines that grow through an area from a root until they fill it: veins, roots, frost, cracks.

Space colonisation (Runions, Lane & Prusinkiewicz 2007): points strewn over the area draw the nearest tip towards them, and are gone once one has come.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.bolts import PIECE
from tropein.core.raster.hashed import of_each

Array = NDArray[np.float64]
MOST_NODES, MOST_ROUNDS = 6000, 900
STEP, KILL, REACH = 0.62, 1.05, 9.0  # of the mean way between two attractors
SHORTEST = 5  # steps of a side branch: below that it is a thorn
THINNER = 1 / 2.6  # the power by which width follows how much hangs from a place (Murray 1926, nearly)
EDGE = 0.5  # from what coverage on it is the area


@dataclass(frozen=True, eq=False)
class Tree:
    """Nodes (n, 2) in pixels of the plane it grew in; of each the node before it (-1: the root), how far along it lies from the root to the farthest
    tip, 0..1, and how thick it is there, 0..1."""

    at: Array
    before: NDArray[np.int64]
    order: Array
    thick: Array

    @property
    def nbytes(self) -> int:
        return self.at.nbytes + self.before.nbytes + self.order.nbytes + self.thick.nbytes


@nb.njit(cache=True, nogil=True)
def _colonised(attractors, root, step, kill, reach, turns):  # type: ignore[no-untyped-def]
    n = attractors.shape[0]
    at, before = np.empty((MOST_NODES, 2)), np.full(MOST_NODES, -1, np.int64)
    at[0] = root
    count = 1
    nearest, away = np.zeros(n, np.int64), np.empty(n)
    for k in range(n):
        away[k] = np.hypot(attractors[k, 0] - root[0], attractors[k, 1] - root[1])
    pull, drawn = np.zeros((MOST_NODES, 2)), np.zeros(MOST_NODES, np.bool_)
    for turn in range(MOST_ROUNDS):
        pull[:count], drawn[:count] = 0.0, False
        any_near, closest = False, -1
        for k in range(n):
            if away[k] < kill:
                continue
            if closest < 0 or away[k] < away[closest]:
                closest = k
            if away[k] <= reach:
                any_near = True
                i = nearest[k]
                pull[i, 0] += (attractors[k, 0] - at[i, 0]) / away[k]
                pull[i, 1] += (attractors[k, 1] - at[i, 1]) / away[k]
                drawn[i] = True
        if closest < 0:
            break
        if not any_near:  # none within reach: the nearest draws all the same
            i = nearest[closest]
            pull[i] = attractors[closest] - at[i]
            drawn[i] = True
        first = count
        for i in range(first):
            if not drawn[i] or count >= MOST_NODES:
                continue
            long = np.hypot(pull[i, 0], pull[i, 1])
            if long < 1e-9:
                continue
            # a little aside, by lot, so that two that pull against each other do not hold it still
            bend = turns[(i * 7 + turn) % turns.size]
            c, s = np.cos(bend), np.sin(bend)
            x, y = pull[i, 0] / long, pull[i, 1] / long
            new_x, new_y = at[i, 0] + step * (c * x - s * y), at[i, 1] + step * (s * x + c * y)
            there = False
            for j in range(count):
                if before[j] == i and np.hypot(at[j, 0] - new_x, at[j, 1] - new_y) < 0.4 * step:
                    there = True
                    break
            if there:
                continue
            at[count, 0], at[count, 1], before[count] = new_x, new_y, i
            count += 1
        if count == first:
            break
        for j in range(first, count):
            for k in range(n):
                d = np.hypot(attractors[k, 0] - at[j, 0], attractors[k, 1] - at[j, 1])
                if d < away[k]:
                    away[k], nearest[k] = d, j
    return at[:count].copy(), before[:count].copy()


def tree(plane: NDArray[np.float32], root: tuple[float, float], between: float, seed: int) -> Tree:
    """A tree that fills what is covered in a plane (h, w), from a root in its pixels; `between`: how far apart its finest lines lie, in pixels. One of the root
    alone where nothing is covered."""
    h, w = plane.shape
    between = max(between, 1.0, np.sqrt(h * w / MOST_NODES))
    across, down = np.arange(0, w, between), np.arange(0, h, between)
    cells = np.stack(np.meshgrid(across, down), -1).reshape(-1, 2)
    numbers = np.arange(len(cells), dtype=np.uint64)
    jitter = np.stack([of_each(seed, numbers, 40), of_each(seed, numbers, 41)], -1) * between
    points = cells + jitter
    inside = np.clip(points.astype(int), 0, [w - 1, h - 1])
    points = points[plane[inside[:, 1], inside[:, 0]] > EDGE]
    turns = (of_each(seed, np.arange(997, dtype=np.uint64), 42) - 0.5) * 0.7
    if not len(points):
        return Tree(np.array([root], float), np.array([-1]), np.zeros(1), np.ones(1))
    at, before = _colonised(points, np.array(root, float), STEP * between, KILL * between, REACH * between, turns)
    at, before = _without_thorns(at, before)
    return Tree(_relaxed(at, before), before, *_measured(at, before))


def _without_thorns(at: Array, before: NDArray[np.int64]) -> tuple[Array, NDArray[np.int64]]:
    """Without side branches of a few steps."""
    n = len(at)
    deep, children = np.zeros(n, np.int64), np.zeros(n, np.int64)
    for i in range(n - 1, 0, -1):  # what grows later stands later
        deep[before[i]] = max(deep[before[i]], deep[i] + 1)
        children[before[i]] += 1
    keep = np.ones(n, np.bool_)
    for i in range(1, n):
        forked = children[before[i]] > 1
        keep[i] = keep[before[i]] and not (forked and deep[i] + 1 < SHORTEST and deep[i] + 1 < deep[before[i]])
    numbers = np.cumsum(keep) - 1
    kept = np.flatnonzero(keep)
    return at[kept], np.where(before[kept] >= 0, numbers[before[kept]], -1)


def _relaxed(at: Array, before: NDArray[np.int64]) -> Array:
    """Each node between its neighbours along its line, three times, so that steps are not seen."""
    out = at.copy()
    for _ in range(3):
        total, count = np.zeros_like(out), np.zeros(len(out))
        np.add.at(total, before[1:], out[1:])
        np.add.at(count, before[1:], 1.0)
        inner = (count == 1) & (before >= 0)
        out[inner] = 0.5 * out[inner] + 0.25 * (total[inner] + out[before[inner]])
    return out


def _measured(at: Array, before: NDArray[np.int64]) -> tuple[Array, Array]:
    n = len(at)
    along, flow = np.zeros(n), np.ones(n)
    for i in range(1, n):
        along[i] = along[before[i]] + float(np.hypot(*(at[i] - at[before[i]])))
    for i in range(n - 1, 0, -1):
        flow[before[i]] += flow[i]
    return along / max(float(along.max()), 1e-9), (flow / flow[0]) ** THINNER


def pieces(of: Tree, at: Array, radius: float, grown: float, taper: float) -> Array:
    """PIECE rows of a tree whose nodes lie at `at`, as far as it has grown, 0..1; lines widen while they are young."""
    if grown <= 0 or len(at) < 2:
        return np.zeros((0, len(PIECE)))
    level = np.clip((grown * 1.1 - of.order) / 0.1, 0, 1)[1:]
    width = radius * (1 - taper * (1 - of.thick[1:])) * (0.25 + 0.75 * level)
    out = np.concatenate([at[of.before[1:]], at[1:], width[:, None], level[:, None]], 1)
    return np.ascontiguousarray(out[level > 0])
