"""Interlaced pictures: one whole picture from two fields that were taken one after the other.

Source: the bwdif filter of FFmpeg (motion-adaptive, after Weston's three-field filter, BBC R&D, US 4,789,893), one picture out for each
one in, the first field kept.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence

import av.filter
from av.video.frame import VideoFrame

KEPT = 4


class Weaver:
    """Makes pictures of fields, each from itself and its neighbours. Pictures near the last ones are kept."""

    def __init__(self) -> None:
        self._raw: OrderedDict[int, VideoFrame] = OrderedDict()
        self._done: tuple[int, VideoFrame] | None = None

    def woven(self, near: Sequence[int], coded: Callable[[int], VideoFrame]) -> VideoFrame:
        """The picture at the middle of three frame numbers; `coded` decodes one."""
        if self._done is not None and self._done[0] == near[1]:
            return self._done[1]
        for index in near:
            if index not in self._raw:
                self._raw[index] = coded(index)
            self._raw.move_to_end(index)
        while len(self._raw) > KEPT:
            self._raw.popitem(last=False)
        frame = _middle([self._raw[index] for index in near])
        self._done = (near[1], frame)
        return frame


def _middle(frames: list[VideoFrame]) -> VideoFrame:
    first = frames[0]
    graph = av.filter.Graph()
    source = graph.add_buffer(width=first.width, height=first.height, format=first.format, time_base=first.time_base)
    filter_ = graph.add("bwdif", "mode=send_frame:parity=auto:deint=interlaced")
    sink = graph.add("buffersink")
    source.link_to(filter_)
    filter_.link_to(sink)
    graph.configure()
    out: list[VideoFrame] = []
    for number, frame in enumerate([*frames, None]):
        if frame is not None:
            kept, frame.pts = frame.pts, number
            source.push(frame)
            frame.pts = kept
        else:
            source.push(None)
        out += _pulled(sink)
    return out[1] if len(out) > 1 else frames[1]


def _pulled(sink: object) -> list[VideoFrame]:
    found = []
    while True:
        try:
            found.append(sink.pull())  # type: ignore[attr-defined]
        except (av.BlockingIOError, av.EOFError):
            return found
