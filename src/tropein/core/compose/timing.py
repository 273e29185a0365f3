"""Which of its footage's frames a layer shows: where it starts, at what speed it runs, what comes after its end."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.sample import sample
from tropein.core.document import Animated, AnimatedNumber, Footage, FootageLayer, Key, Shot, parse_rate

MOST_WAYS = 64
_shown: dict[tuple, tuple[int | None, ...]] = {}


def footage_frame(shot: Shot, layer: FootageLayer, frame: float) -> int | None:
    """The frame of its footage a layer shows at a shot frame, the nearest earlier one; None where it shows nothing."""
    footage = shot.footage[layer.footage]
    if footage.kind == "sound":
        return None
    if footage.kind == "still":
        return 0
    index = math.floor(_travelled(shot, layer, footage, math.floor(frame)) + 1e-6)
    if 0 <= index < footage.frames:
        return index
    if layer.end == "nothing":
        return None
    return index % footage.frames if layer.end == "loop" else min(max(index, 0), footage.frames - 1)


def shot_frame(shot: Shot, layer: FootageLayer, index: int) -> int:
    """The first shot frame at which a layer shows a frame of its footage, or the one that comes nearest to it."""
    if runs_straight(shot, layer):
        return index
    shown = [(abs(found - index), f) for f, found in enumerate(shown_frames(shot, layer)) if found is not None]
    return min(shown)[1] if shown else layer.start


def shown_frames(shot: Shot, layer: FootageLayer) -> tuple[int | None, ...]:
    """What `footage_frame` says at every frame of the shot; worked out once for each way of running, not for every matrix."""
    footage = shot.footage[layer.footage]
    way = (footage.kind, footage.frames, footage.rate, shot.rate, layer.start, layer.end, layer.speed.value)
    key = (*way, _numbers(layer.speed), shot.frames)
    if key not in _shown:
        if len(_shown) >= MOST_WAYS:
            _shown.clear()
        _shown[key] = tuple(footage_frame(shot, layer, f) for f in range(shot.frames))
    return _shown[key]


def runs_straight(shot: Shot, layer: FootageLayer) -> bool:
    """Whether shot frames are footage frames, one for one."""
    footage = shot.footage[layer.footage]
    constant = not layer.speed.keys and layer.speed.value == 1
    return layer.start == 0 and constant and parse_rate(footage.rate) == parse_rate(shot.rate)


def _travelled(shot: Shot, layer: FootageLayer, footage: Footage, frame: int) -> float:
    """How far the footage has run at a shot frame, in its own frames. Backwards it starts from its last frame."""
    ratio = float(parse_rate(footage.rate) / parse_rate(shot.rate))
    if not layer.speed.keys:
        begin = footage.frames - 1 if layer.speed.value < 0 else 0
        return begin + (frame - layer.start) * layer.speed.value * ratio
    keys = _numbers(layer.speed)
    begin = footage.frames - 1 if sample(layer.speed, layer.start) < 0 else 0
    return begin + (_run(keys, frame) - _run(keys, layer.start)) * ratio


def _numbers(speed: AnimatedNumber) -> tuple:
    return tuple((k.frame, k.value, k.ease, k.handles) for k in speed.keys)


def _run(keys: tuple, frame: int) -> float:
    """Frames run since the first key: the sum of the speeds of the frames in between."""
    first, last = keys[0][0], keys[-1][0]
    sums = _sums(keys)
    if frame <= first:
        return (frame - first) * keys[0][1]
    if frame >= last:
        return float(sums[-1]) + (frame - last) * keys[-1][1]
    return float(sums[frame - first])


@lru_cache(64)
def _sums(keys: tuple) -> NDArray[np.float64]:
    speed: AnimatedNumber = Animated.model_construct(
        value=keys[0][1], keys=[Key.model_construct(frame=f, value=v, ease=e, handles=h) for f, v, e, h in keys]
    )
    speeds = [sample(speed, f + 0.5) for f in range(keys[0][0], keys[-1][0])]
    return np.concatenate([[0.0], np.cumsum(speeds)])
