"""Carrying a cut-out through a shot: from every frame with strokes both ways, joined between them, never across a cut."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.matte import cutout
from tropein.core.matte.cutout import Stroke
from tropein.core.matte.two_motions import Flows, Mask, Picture, flows, told
from tropein.core.track.cuts import Cuts

WIDTH, HALF = 960, 0.5  # coverage is kept at most so wide; strokes are settled on half of that
CARRIED_WIDTH = 640  # the outline is carried on pictures at most so wide
KEPT_BYTES = 192 << 20
Rgb = Callable[[int], NDArray[np.uint8]]


@dataclass(frozen=True)
class Carry:
    """What is to be carried. `strokes` by frame, in pixels of the full-size footage; `report(frame)` may raise to stop."""

    rgb: Rgb
    size: tuple[int, int]
    span: tuple[int, int]
    strokes: Mapping[int, list[Stroke]]
    report: Callable[[int], None] = lambda frame: None


def carry(job: Carry) -> dict[int, NDArray[np.uint8]]:
    """Coverage (h, w) 0..255 by frame, at most WIDTH wide; frames beyond a cut have none. BadInput without a stroke that keeps."""
    first, last = job.span
    keys = sorted(f for f in job.strokes if first <= f <= last)
    if not any(s.keep for f in keys for s in job.strokes[f]):
        raise BadInput("Draw a stroke over what is to be kept first, on any frame.")
    small = _Small(job)
    cuts = Cuts.of_colours(small.half)
    done: dict[int, Mask] = {}
    for begin in keys:  # once, and once more on the other side of each cut that has strokes
        if begin not in done and any(s.keep for s in job.strokes[begin]):
            done.update(_reached(job, small, cuts, keys, begin))
    return {f: cutout.edged(mask, small.whole(f)) for f, mask in sorted(done.items())}


def _reached(job: Carry, small: _Small, cuts: Cuts, keys: list[int], begin: int) -> dict[int, Mask]:
    """Everything that is reached without a cut from the first frame with a stroke that keeps."""
    first, last = job.span
    onwards: dict[int, Mask] = {begin: small.settled(begin)}
    _walk(job, small, cuts, onwards, begin, last, lambda f: f in keys)
    done = dict(onwards)
    starts = [k for k in keys if k in onwards]
    for i, key in enumerate(starts):  # back from each frame with strokes to the one before it
        stop = starts[i - 1] + 1 if i else first
        backwards = {key: onwards[key]}
        _walk(job, small, cuts, backwards, key, stop, lambda f: f in keys and f < begin)
        for frame, mask in backwards.items():
            ahead = onwards.get(frame)
            if frame == key or ahead is None:
                done[frame] = mask
            else:
                done[frame] = cutout.between(ahead, mask, (frame - starts[i - 1]) / (key - starts[i - 1]))
    return done


def _walk(
    job: Carry, small: _Small, cuts: Cuts, masks: dict[int, Mask], at: int, stop: int, stroked: Callable[[int], bool]
) -> None:
    step = 1 if stop >= at else -1
    behind: Flows | None = None
    for frame in range(at + step, stop + step, step):
        if behind is None and cuts.between(frame - step, frame):
            return
        before, now = small.carried(frame - step), small.carried(frame)
        beyond = frame + step
        seen = job.span[0] <= beyond <= job.span[1] and not cuts.between(frame, beyond)
        after = small.carried(beyond) if seen else None
        marks = small.marks(frame, now) if stroked(frame) else None
        last = masks[frame - step]
        ahead = None if after is None else flows(now, after)
        if last.any():
            tells = told(before, now, after, last, behind or flows(before, now), ahead)
            masks[frame] = cutout.carried(tells, now, marks)
        else:
            masks[frame] = last if marks is None else cutout.settled(now, marks)
        job.report(frame)
        if ahead is None:
            return
        behind = ahead


class _Small:
    """The footage's pictures as small as they are worked on."""

    def __init__(self, job: Carry) -> None:
        self.job = job
        self.scale = min(1.0, WIDTH / job.size[0])
        self._pictures: OrderedDict[tuple[int, float], Picture] = OrderedDict()

    def whole(self, frame: int) -> NDArray[np.uint8]:
        picture = self.job.rgb(frame)
        return (
            picture
            if self.scale == 1
            else cv2.resize(picture, None, fx=self.scale, fy=self.scale, interpolation=cv2.INTER_AREA)
        )

    def settled(self, frame: int) -> Mask:
        """What the strokes of a frame say, as fine as it is carried."""
        half, now = self.half(frame), self.carried(frame)
        return cutout.refined(now, cutout.settled(half, self.marks(frame, half)), self.marks(frame, now))

    def half(self, frame: int) -> Picture:
        return self._kept(frame, self.scale * HALF)

    def carried(self, frame: int) -> Picture:
        return self._kept(frame, min(self.scale, CARRIED_WIDTH / self.job.size[0]))

    def marks(self, frame: int, picture: Picture) -> NDArray[np.uint8]:
        """The strokes of a frame on a picture of it."""
        h, w = picture.shape[:2]
        return cutout.marked(self.job.strokes[frame], (w, h), w / self.job.size[0])

    def _kept(self, frame: int, scale: float) -> Picture:
        key = (frame, scale)
        if key not in self._pictures:
            size = tuple(max(1, round(n * scale)) for n in self.job.size)
            self._pictures[key] = cv2.resize(self.whole(frame), size, interpolation=cv2.INTER_AREA)
            while sum(p.nbytes for p in self._pictures.values()) > KEPT_BYTES:
                self._pictures.popitem(last=False)
        return self._pictures[key]
