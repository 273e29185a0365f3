"""A content's own frame at a frame of the shot (or of the group it is in): where it starts, how fast it runs, what comes after its end."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.sample import sample
from tropein.core.document.animated import Animated, AnimatedNumber, Key
from tropein.core.document.time_map import TimeMap

_ROUND = 1e-6  # what rounding may take from a whole frame


def content_frame(time: TimeMap, frame: float, frames: int, ratio: float = 1.0) -> float | None:
    """The frame of a content of `frames` frames, as a float from 0 up to its last; None where it shows nothing. `ratio`: its frames for
    each of the shot's."""
    at = _travelled(time, frame, frames, ratio) + _ROUND
    if 0 <= at < frames:
        return max(at - _ROUND, 0.0) if at % 1 > 2 * _ROUND else float(int(at))
    if time.end == "nothing":
        return None
    return at % frames if time.end == "loop" else float(min(max(at, 0.0), frames - 1))


def _travelled(time: TimeMap, frame: float, frames: int, ratio: float) -> float:
    """How far the content has run, in its own frames. Backwards it starts from its last frame."""
    if time.position is not None:
        return float(sample(time.position, frame))
    speed = time.speed
    if not speed.keys:
        begin = frames - 1 if speed.value < 0 else 0
        return begin + (frame - time.start) * speed.value * ratio
    begin = frames - 1 if sample(speed, time.start) < 0 else 0
    keys = numbers(speed)
    return begin + (_run(keys, frame) - _run(keys, time.start)) * ratio


def numbers(speed: AnimatedNumber | None) -> tuple[tuple[float, float, str, tuple[float, ...]], ...]:
    """A value's keys as something that can be compared."""
    return tuple((k.frame, k.value, k.ease, k.handles) for k in speed.keys) if speed is not None else ()


def _run(keys: tuple[Any, ...], frame: float) -> float:
    """Frames run since the first key: the sum of the speeds of the frames in between, and of a part of one."""
    first, last = keys[0][0], keys[-1][0]
    sums = _sums(keys)
    if frame <= first:
        return float((frame - first) * keys[0][1])
    if frame >= last:
        return float(sums[-1]) + (frame - last) * keys[-1][1]
    whole = int(frame - first)
    part = frame - first - whole
    return float(sums[whole]) + part * float(sums[whole + 1] - sums[whole])


@lru_cache(64)
def _sums(keys: tuple[Any, ...]) -> NDArray[np.float64]:
    speed: AnimatedNumber = Animated.model_construct(
        value=keys[0][1], keys=[Key.model_construct(frame=f, value=v, ease=e, handles=h) for f, v, e, h in keys]
    )
    speeds = [sample(speed, f + 0.5) for f in range(keys[0][0], keys[-1][0])]
    return np.concatenate([[0.0], np.cumsum(speeds)])
