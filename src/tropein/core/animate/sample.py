"""A parameter's value at a frame or between frames."""

from __future__ import annotations

from bisect import bisect_right
from typing import Any

from tropein.core.document.animated import Animated, DrawnCurve, Key
from tropein.core.document.matte import Outline, OutlinePoint


def sample(parameter: Animated[Any], frame: float) -> Any:
    """The value of `parameter` at `frame` (floats are sub-frames). Before the first and after the last key it holds."""
    keys = parameter.keys
    if not keys:
        return parameter.value
    if isinstance(keys[0].value, Outline):
        return _outline(keys, frame)
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
    return _mix(left.value, after.value, share)


def _outline(keys: list[Key[Any]], frame: float) -> Outline:
    """Outlines travel point by point, all their numbers as one."""
    numbers = [tuple(n for point in key.value.points for n in point.numbers()) for key in keys]
    plain = Animated[tuple].model_construct(
        value=numbers[0],
        keys=[
            Key[tuple].model_construct(frame=k.frame, value=n, ease=k.ease, handles=k.handles)
            for k, n in zip(keys, numbers, strict=True)
        ],
    )
    flat = sample(plain, frame)
    return Outline.model_construct(points=[OutlinePoint.of(flat[i : i + 8]) for i in range(0, len(flat), 8)])


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


def _mix(a: Any, b: Any, share: float) -> Any:
    if isinstance(a, DrawnCurve):
        if len(a.points) != len(b.points):
            return a if share < 1 else b
        return DrawnCurve(
            points=[_mix(p, q, min(max(share, 0.0), 1.0)) for p, q in zip(a.points, b.points, strict=True)]
        )
    if isinstance(a, tuple):
        return tuple(_mix(x, y, share) for x, y in zip(a, b, strict=True))
    return a + (b - a) * share


def _smooth(keys: list[Key[Any]], i: int, share: float) -> Any:
    value = keys[i].value
    if isinstance(value, DrawnCurve):
        return _mix(value, keys[i + 1].value, share * share * (3 - 2 * share))
    around = keys[max(i - 1, 0) : i + 3]
    first = i - max(i - 1, 0)
    frames = [float(key.frame) for key in around]
    if isinstance(value, tuple):
        columns = zip(*(key.value for key in around), strict=True)
        return tuple(_hermite(frames, list(column), first, share) for column in columns)
    return _hermite(frames, [key.value for key in around], first, share)


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
