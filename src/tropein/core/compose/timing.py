"""Which frame of its content a layer shows."""

from __future__ import annotations

import math
from typing import Any

from tropein.core.animate.time_map import content_frame, numbers
from tropein.core.document import Layer, Shot, parse_rate

MOST_WAYS = 64
_shown: dict[tuple[Any, ...], tuple[int | None, ...]] = {}


def layer_frame(shot: Shot, layer: Layer, frame: float) -> float | None:
    """The content's own frame, from 0 up to its last, as a float; None where it shows nothing."""
    if layer.footage is None:
        if layer.time.plain:
            return frame
        return content_frame(layer.time, frame, shot.frames)
    footage = shot.footage[layer.footage]
    if footage.kind == "sound":
        return None
    if footage.kind == "still":
        return 0.0
    ratio = float(parse_rate(footage.rate) / parse_rate(shot.rate))
    return content_frame(layer.time, frame, footage.frames, ratio)


def footage_frame(shot: Shot, layer: Layer, frame: float) -> int | None:
    """The whole frame of its content a layer shows, the nearest earlier one; None where it shows nothing."""
    at = layer_frame(shot, layer, frame)
    return None if at is None else math.floor(at)


def shot_frame(shot: Shot, layer: Layer, index: int) -> int:
    """The first shot frame at which a layer shows a frame of its footage, or the one that comes nearest to it."""
    if runs_straight(shot, layer):
        return index
    shown = [(abs(found - index), f) for f, found in enumerate(shown_frames(shot, layer)) if found is not None]
    return min(shown)[1] if shown else math.floor(layer.time.start)


def shown_frames(shot: Shot, layer: Layer) -> tuple[int | None, ...]:
    """What `footage_frame` says at every frame of the shot; worked out once for each way of running, not for every matrix."""
    footage, time = shot.footage[layer.footage or ""], layer.time
    way = (footage.kind, footage.frames, footage.rate, shot.rate, time.start, time.end, time.speed.value)
    position = None if time.position is None else (time.position.value, numbers(time.position))
    key = (*way, numbers(time.speed), position, shot.frames)
    if key not in _shown:
        if len(_shown) >= MOST_WAYS:
            _shown.clear()
        _shown[key] = tuple(footage_frame(shot, layer, f) for f in range(shot.frames))
    return _shown[key]


def runs_straight(shot: Shot, layer: Layer) -> bool:
    """Whether shot frames are footage frames, one for one."""
    footage = shot.footage[layer.footage or ""]
    return layer.time.plain and (footage.rate == shot.rate or parse_rate(footage.rate) == parse_rate(shot.rate))
