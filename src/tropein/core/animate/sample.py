"""A parameter's value at a frame or between frames."""

from __future__ import annotations

import math
from bisect import bisect_right
from typing import Any

from tropein.core.animate.values import Back, Numbers, flat
from tropein.core.document.animated import Animated, Key
from tropein.core.document.kept import Kept
from tropein.core.document.mover import Sampling


def sample(parameter: Animated[Any], frame: float, sampler: Sampling | None = None) -> Any:
    """The value of `parameter` at `frame` (floats are sub-frames), its movers included. `sampler` is what those may ask for other values."""
    if not parameter.moving:
        return keyed(parameter, frame) if parameter.keys else parameter.value
    value = keyed(parameter, frame)
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
    way = _ways.of(parameter)
    right = bisect_right(way.frames, frame)
    if right == 0:
        return keys[0].value
    left = keys[right - 1]
    if right == len(keys) or left.ease == "hold" or left.frame == frame:
        return left.value
    after = keys[right]
    a, b = way.numbers[right - 1], way.numbers[right]
    if len(a) != len(b):
        return left.value
    width = after.frame - left.frame
    share, back = (frame - left.frame) / width, way.backs[right - 1]
    if left.ease == "smooth":
        return back(_hermite(a, b, way.slopes(right - 1), way.slopes(right), width, share))
    if left.ease == "bezier":
        share = bezier_share(left.handles, share)
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


class _Way:
    """The keys of a parameter as numbers, and the slopes of the smooth way through them."""

    def __init__(self, keys: list[Key[Any]]) -> None:
        flats = [flat(key.value) for key in keys]
        self.frames = [key.frame for key in keys]
        self.numbers = [numbers for numbers, _ in flats]
        self.backs: list[Back] = [back for _, back in flats]
        self._slopes: list[Numbers | None] = [None] * len(keys)

    def slopes(self, k: int) -> Numbers:
        """Those of a monotone cubic at a key, by Fritsch & Carlson 1980; flat at the first and last key, and beside those of not as many
        numbers."""
        known = self._slopes[k]
        if known is None:
            known = self._slopes[k] = self._slopes_at(k)
        return known

    def _slopes_at(self, k: int) -> Numbers:
        here, last = self.numbers[k], len(self.frames) - 1
        if not 0 < k < last or not len(self.numbers[k - 1]) == len(here) == len(self.numbers[k + 1]):
            return (0.0,) * len(here)
        h0, h1 = self.frames[k] - self.frames[k - 1], self.frames[k + 1] - self.frames[k]
        w0, w1 = 2 * h1 + h0, h1 + 2 * h0
        out = []
        for before, value, after in zip(self.numbers[k - 1], here, self.numbers[k + 1], strict=True):
            d0, d1 = (value - before) / h0, (after - value) / h1
            out.append(0.0 if d0 * d1 <= 0 else (w0 + w1) / (w0 / d0 + w1 / d1))  # weighted harmonic mean
        return tuple(out)


_ways: Kept[_Way] = Kept(lambda parameter: _Way(parameter.keys))


def _hermite(a: Numbers, b: Numbers, slopes_a: Numbers, slopes_b: Numbers, width: float, s: float) -> Numbers:
    """A share of the way between two keys, on the cubic with these ends and slopes."""
    from_a, from_b = 2 * s**3 - 3 * s**2 + 1, -2 * s**3 + 3 * s**2
    by_a, by_b = (s**3 - 2 * s**2 + s) * width, (s**3 - s**2) * width
    return tuple(
        from_a * x + by_a * p + from_b * y + by_b * q for x, y, p, q in zip(a, b, slopes_a, slopes_b, strict=True)
    )
