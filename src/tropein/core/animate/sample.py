"""A parameter's value at a frame or between frames."""

from __future__ import annotations

import math
from bisect import bisect_right
from typing import Any

from tropein.core.animate.values import flat
from tropein.core.document.animated import Animated, Key
from tropein.core.document.mover import Sampling


def sample(parameter: Animated[Any], frame: float, sampler: Sampling | None = None) -> Any:
    """The value of `parameter` at `frame` (floats are sub-frames), its movers included. `sampler` is what those may ask for other values."""
    value = keyed(parameter, frame)
    if not parameter.moving:
        return value
    numbers, back = flat(value)
    for mover in (parameter.movers[i] for i in parameter.moving):
        if mover.on:
            moved = mover.moved(numbers, frame, sampler)
            numbers = moved if len(moved) == len(numbers) and all(map(math.isfinite, moved)) else numbers
    return back(numbers)


def keyed(parameter: Animated[Any], frame: float) -> Any:
    """The value as it is keyed. Before the first and after the last key it holds. Values travel
    number by number; two that have not as many numbers (curves of other points) do not: the one before holds."""
    keys = parameter.keys
    if not keys:
        return parameter.value
    right = bisect_right(keys, frame, key=lambda key: key.frame)
    if right == 0:
        return keys[0].value
    left = keys[right - 1]
    if right == len(keys) or left.ease == "hold" or left.frame == frame:
        return left.value
    after = keys[right]
    share = (frame - left.frame) / (after.frame - left.frame)
    if left.ease == "smooth":
        return _smooth(keys, right - 1, share)
    if left.ease == "bezier":
        share = bezier_share(left.handles, share)
    (a, back), (b, _) = flat(left.value), flat(after.value)
    if len(a) != len(b):
        return left.value
    return back(tuple(x + (y - x) * share for x, y in zip(a, b, strict=True)))


def bezier_share(handles: tuple[float, float, float, float], time_share: float) -> float:
    """The share of the change at a share of the time, on a cubic Bezier from (0, 0) to (1, 1).

    x(t) is monotone because x1 and x2 lie in 0..1; it is inverted by bisection to 1e-9.
    """
    x1, y1, x2, y2 = handles
    low, high = 0.0, 1.0
    for _ in range(40):
        t = (low + high) / 2
        x = 3 * (1 - t) ** 2 * t * x1 + 3 * (1 - t) * t * t * x2 + t**3
        low, high = (t, high) if x < time_share else (low, t)
    t = (low + high) / 2
    return 3 * (1 - t) ** 2 * t * y1 + 3 * (1 - t) * t * t * y2 + t**3


def _smooth(keys: list[Key[Any]], i: int, share: float) -> Any:
    """Between keys i and i + 1, by their neighbours too as far as those have as many numbers."""
    numbers, back = flat(keys[i].value)
    around = {k: flat(keys[k].value)[0] for k in range(max(i - 1, 0), min(i + 3, len(keys)))}
    if len(around[i + 1]) != len(numbers):
        return keys[i].value
    kept = [k for k, n in around.items() if len(n) == len(numbers)]
    frames = [float(keys[k].frame) for k in kept]
    columns = zip(*(around[k] for k in kept), strict=True)
    return back(tuple(_hermite(frames, list(column), kept.index(i), share) for column in columns))


def _hermite(frames: list[float], values: list[float], i: int, share: float) -> float:
    """Monotone cubic between keys i and i+1: Fritsch & Carlson 1980 slopes, flat at the first and last key."""
    width = frames[i + 1] - frames[i]
    slopes = []
    for k in (i, i + 1):
        if k == 0 or k == len(frames) - 1:
            slopes.append(0.0)
            continue
        h0, h1 = frames[k] - frames[k - 1], frames[k + 1] - frames[k]
        d0, d1 = (values[k] - values[k - 1]) / h0, (values[k + 1] - values[k]) / h1
        if d0 * d1 <= 0:
            slopes.append(0.0)
        else:  # weighted harmonic mean
            w0, w1 = 2 * h1 + h0, h1 + 2 * h0
            slopes.append((w0 + w1) / (w0 / d0 + w1 / d1))
    s, a, b = share, values[i], values[i + 1]
    return (
        (2 * s**3 - 3 * s**2 + 1) * a
        + (s**3 - 2 * s**2 + s) * width * slopes[0]
        + (-2 * s**3 + 3 * s**2) * b
        + (s**3 - s**2) * width * slopes[1]
    )
