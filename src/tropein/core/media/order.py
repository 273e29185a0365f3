"""In which order a file's pictures are shown, and when: from its packets' time stamps, or, where those cannot be trusted, by counting
the pictures that come out of the decoder."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from tropein.core.errors import Asks, MediaError

MAX_FRAMES = 200_000
COVER = 0x400  # a stream's disposition: an attached cover picture
UNTIMED = {"avi", "h264", "hevc", "mpeg", "mpegvideo", "m4v", "mjpeg", "ivf"}  # forms without times of showing
COMPARED = 48  # pictures whose times are held against their packets'
SAME_TIMES = 0.02  # this share of packets may share a time with another (two fields of a picture)
TRIED_KEYS = 3
LONG_GAP_S, LONG_GAP_FRAMES = 20.0, 2000  # a gap that is longer, and makes more frames than that of it, is asked about
RATES = [Fraction(n, d) for n, d in ((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1),
                                     (60000, 1001), (60, 1), (12, 1), (15, 1), (100, 1), (120, 1))]  # fmt: skip
SLOWEST, FASTEST = Fraction(1, 10), Fraction(1000)
Tick = Callable[[int], None]


@dataclass(frozen=True)
class Order:
    """For each frame at a constant rate the mark of the coded picture it shows: its time stamp in `time_base` units, or with
    `counted` its number. `keys`: (number of the first picture that comes after seeking there, time to seek to) of counted files."""

    rate: Fraction
    marks: list[int]
    time_base: Fraction
    counted: bool = False
    keys: tuple[tuple[int, int], ...] = ()
    start_s: float = 0.0
    notes: tuple[str, ...] = ()


def order_of(path: Path, gaps: str = "ask", tick: Tick = lambda done: None) -> Order:
    """The order of a file's first stream of pictures. `gaps`: what becomes of long gaps between them: "hold" the picture before,
    "drop" them, or "ask" by raising Asks. MediaError for a file without pictures."""
    with opened(path) as container:
        stream = pictures_of(container)
        base = Fraction(stream.time_base or Fraction(1, 1000))
        times, timed = _packet_times(container, stream, path)
        rate = Fraction(stream.average_rate or stream.guessed_rate or 0)
        form = container.format.name.split(",")[0]
    if form in UNTIMED or not timed or not _agree(path, times):
        marks, keys = _counted(path, tick)
        return Order(_allowed(_nominal(rate or Fraction(24)), []), marks, base, True, keys)
    return _conformed(times, base, rate, path.name, gaps)


def opened(path: Path) -> InputContainer:
    """MediaError for what is no container."""
    try:
        return av.open(str(path))
    except av.FFmpegError as error:
        raise MediaError(f"{path.name} is not a clip, picture or sound that can be read (or it is cut off).") from error


def pictures_of(container: InputContainer) -> VideoStream:
    """The first stream of pictures that is no cover; MediaError when there is none."""
    found = next((s for s in container.streams.video if not s.disposition & COVER), None)
    if found is None:
        raise MediaError("There are no pictures in it.")
    return found


def _packet_times(container: InputContainer, stream: VideoStream, path: Path) -> tuple[list[int], bool]:
    """(times of showing, in order, of what is shown; whether every picture has one of its own). An edit list may have parts of the
    file decoded that are not shown."""
    times, unsaid = [], 0
    try:
        for packet in container.demux(stream):
            if not packet.size or packet.is_discard:
                continue
            if packet.pts is None:
                unsaid += 1
            else:
                times.append(int(packet.pts))
            if len(times) + unsaid > MAX_FRAMES:
                raise MediaError(f"{path.name} has more than {MAX_FRAMES} frames.")
    except av.FFmpegError as error:
        if not times and not unsaid:
            raise MediaError(f"{path.name} is damaged.") from error
    if not times and not unsaid:
        raise MediaError(f"{path.name} has no frames.")
    own = sorted(set(times))
    return own, not unsaid and len(own) >= (1 - SAME_TIMES) * len(times)


def _agree(path: Path, times: list[int]) -> bool:
    """Whether the first pictures come out of the decoder at the times their packets say."""
    seen: list[int] = []
    with opened(path) as container:
        try:
            for frame in container.decode(pictures_of(container)):
                if frame.pts is None:
                    return False
                seen.append(frame.pts)
                if len(seen) >= COMPARED:
                    break
        except av.FFmpegError:
            pass
    known = set(times)
    return (
        bool(seen) and seen == sorted(set(seen)) and sum(s in known for s in seen) >= (1 - SAME_TIMES) * len(seen) - 1
    )


def _counted(path: Path, tick: Tick) -> tuple[list[int], tuple[tuple[int, int], ...]]:
    """All pictures, counted as they come out; and where seeking leads, as far as it can be trusted."""
    looks: list[bytes] = []
    firsts: list[tuple[int, int]] = []
    with opened(path) as container:
        stream = pictures_of(container)
        try:
            for number, frame in enumerate(container.decode(stream)):
                looks.append(_look(frame))
                if frame.key_frame and frame.dts is not None:
                    firsts.append((number, int(frame.dts)))
                tick(number)
                if number >= MAX_FRAMES:
                    raise MediaError(f"{path.name} has more than {MAX_FRAMES} frames.")
        except av.FFmpegError as error:
            if not looks:
                raise MediaError(f"{path.name} has no picture that can be decoded.") from error
    if not looks:
        raise MediaError(f"{path.name} has no picture that can be decoded.")
    tried = firsts[:: max(1, len(firsts) // TRIED_KEYS)]
    trusted = all(_leads_to(path, time, looks[number]) for number, time in tried)
    return list(range(len(looks))), tuple(firsts) if trusted else ()


def _look(frame: VideoFrame) -> bytes:
    """Enough of a picture to know it again."""
    plane = frame.planes[0]
    rows = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
    return rows[:: max(1, rows.shape[0] // 16), : max(1, plane.line_size) : max(1, plane.line_size // 16)].tobytes()


def _leads_to(path: Path, time: int, look: bytes) -> bool:
    try:
        with opened(path) as container:
            stream = pictures_of(container)
            container.seek(time, stream=stream, backward=True)
            return any(_look(f) == look for f in _first_key(container, stream))
    except (av.FFmpegError, MediaError):
        return False


def _first_key(container: InputContainer, stream: VideoStream) -> list[VideoFrame]:
    return [next(f for f in container.decode(stream) if f.key_frame)]


def _nominal(measured: Fraction) -> Fraction:
    """The usual rate that is meant by one that is nearly that."""
    usual = min(RATES, key=lambda r: abs(float(r / measured) - 1))
    return usual if abs(float(usual / measured) - 1) < 0.0009 else measured.limit_denominator(1001)


def _allowed(rate: Fraction, notes: list[str]) -> Fraction:
    """A rate that a shot can have."""
    if SLOWEST <= rate <= FASTEST:
        return rate
    held = min(max(rate, SLOWEST), FASTEST)
    notes.append(f"its {float(rate):g} pictures a second are taken as {float(held):g}")
    return held


def _conformed(times: list[int], base: Fraction, average: Fraction, name: str, gaps: str) -> Order:
    """The constant rate, and for each frame at that rate the time stamp of the coded picture it shows."""
    notes: list[str] = []
    start = float(times[0] * base)
    if len(times) == 1:
        return Order(_allowed(average or Fraction(24), notes), times, base, start_s=start, notes=tuple(notes))
    steps = np.diff(np.array(times, np.float64)) * float(base)
    median = float(np.median(steps))
    measured = average or Fraction(1 / median).limit_denominator(1001)
    rate = _nominal(measured)
    uneven = float(np.abs(steps - 1 / float(rate)).max()) > 0.25 / float(rate) + 2 * float(base)
    if not uneven:
        if rate < SLOWEST:  # every picture is held for as many frames as it lasts
            return _conformed_to(times, base, SLOWEST, median, notes, start)
        return Order(_allowed(rate, notes), times, base, start_s=start, notes=tuple(notes))
    typical = float(steps[steps < 1.5 * median].mean())  # clocks of whole milliseconds waver about it
    usual = min(RATES, key=lambda r: abs(float(r) * typical - 1))
    rate = usual if abs(float(usual) * typical - 1) < 0.05 else Fraction(1 / typical).limit_denominator(1001)
    rate = min(max(rate, SLOWEST), FASTEST)
    long = steps * float(rate) > LONG_GAP_FRAMES
    long &= steps > max(LONG_GAP_S, 2 * median)
    if long.any() and gaps == "drop":
        kept = np.minimum(steps, np.where(long, 1 / float(rate), np.inf))
        notes.append(
            f"{int(long.sum())} gaps between its pictures are left out, the longest {_lasting(float(steps.max()))}"
        )
        return _conformed_to(times, base, rate, median, notes, start, np.concatenate([[0.0], np.cumsum(kept)]))
    frames = round((float(steps.sum()) + median) * float(rate))
    if long.any() and (gaps == "ask" or frames > MAX_FRAMES):
        choices = ["drop"] if frames > MAX_FRAMES else ["hold", "drop"]
        raise Asks(
            f"There are gaps between the pictures of {name}, the longest {_lasting(float(steps.max()))}. Held through them, its "
            f"{len(times)} pictures become {frames} frames"
            + (f", more than the {MAX_FRAMES} that can be." if frames > MAX_FRAMES else "."),
            asks="gaps", choices=choices,
        )  # fmt: skip
    if frames > MAX_FRAMES:
        raise MediaError(f"{name} has more than {MAX_FRAMES} frames.")
    return _conformed_to(times, base, rate, median, notes, start)


def _conformed_to(
    times: list[int], base: Fraction, rate: Fraction, last_s: float, notes: list[str], start: float,
    shown: np.ndarray[Any, Any] | None = None,
) -> Order:  # fmt: skip
    if shown is None:
        shown = (np.array(times, np.float64) - times[0]) * float(base)
    count = min(MAX_FRAMES, max(1, round((float(shown[-1]) + last_s) * float(rate))))
    wanted = (np.arange(count) + 0.5) / float(rate)
    which = np.clip(np.searchsorted(shown, wanted, side="right") - 1, 0, len(times) - 1)
    notes.append(f"its {len(times)} pictures come at an uneven rate: conformed to {float(rate):.3f} a second")
    return Order(rate, [times[i] for i in which], base, start_s=start, notes=tuple(notes))


def _lasting(seconds: float) -> str:
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.1f} h"
