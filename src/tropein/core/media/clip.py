"""Decoding clips: any frame by number, cheap in order."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.reformatter import Colorspace
from numpy.typing import NDArray

from tropein.core.errors import MediaError
from tropein.core.media import weave
from tropein.core.media.coded import Coded
from tropein.core.media.order import opened, pictures_of
from tropein.core.media.record import MediaRecord
from tropein.core.media.turning import turned
from tropein.core.raster import yuv
from tropein.core.raster.colour import from_codes
from tropein.core.raster.picture import Pixels

LUMA_WEIGHTS = {
    "bt709": (0.2126, 0.0722), "bt601": (0.299, 0.114), "bt2020": (0.2627, 0.0593), "smpte240m": (0.212, 0.087),
}  # fmt: skip
_SWS = {
    "bt709": Colorspace.ITU709, "bt601": Colorspace.ITU601, "bt2020": Colorspace.ITU709, "smpte240m": Colorspace.SMPTE240M,
}  # fmt: skip
_END = 1 << 62  # the mark of the end of a clip
AHEAD = 48  # frames that are decoded on rather than sought


class Decoder:
    """The coded pictures of one clip by their mark (see order.Order): cheap in order, found by seeking otherwise."""

    def __init__(self, path: Path, record: MediaRecord, threads: int) -> None:
        self.path, self.record, self.threads = path, record, threads
        self._container: InputContainer | None = None
        self._pictures: Iterator[VideoFrame] | None = None
        self._current: VideoFrame | None = None
        self._mark: int | None = None
        self._open()

    def close(self) -> None:
        if self._container is not None:
            self._container.close()
            self._container = None

    def picture(self, mark: int, worth_seeking: int) -> VideoFrame:
        """The picture with this mark, or the next one there is, or the last. Up from `worth_seeking` decoding on is quicker than
        seeking. EOFError when there is none at all; what the library raises for damage."""
        if self._current is not None and self._mark == mark:
            return self._current
        if self._mark is None or self._mark > mark or self._mark < worth_seeking:
            self._go_before(mark)
        while self._current is None or self._mark is None or self._mark < mark:
            if not self._advance():
                break
        last = self._current
        if last is None:
            raise EOFError
        return last

    def forget(self) -> None:
        """Begin anew: decoding went wrong."""
        self._open()

    def _open(self) -> None:
        self.close()
        self._container = opened(self.path)
        stream = pictures_of(self._container)
        stream.codec_context.thread_count = self.threads
        stream.thread_type = "AUTO" if self.threads > 1 else "NONE"
        self._stream = stream
        self._pictures = self._container.decode(stream)
        self._current = self._mark = None

    def _advance(self) -> bool:
        """Decode one more picture; False at the end, where the last one stays."""
        assert self._pictures is not None
        for frame in self._pictures:
            if self.record.counted:
                self._mark = 0 if self._mark is None else self._mark + 1
            elif frame.pts is None:
                continue
            else:
                self._mark = frame.pts
            self._current = frame
            return True
        self._mark = None if self._mark is None else _END
        return False

    def _go_before(self, mark: int) -> None:
        """To a picture at or before a mark. Not every file can be sought in exactly: then farther back, at last from its start."""
        if self.record.counted:
            at = bisect_right(self.record.keys, (mark, 1 << 62)) - 1
            number, time = self.record.keys[at] if at >= 0 else (0, 0)
            if number > 0 and self._seek(time):
                assert self._pictures is not None
                self._current = next((f for f in self._pictures if f.key_frame), None)
                self._mark = number
                if self._current is not None:
                    return
        else:
            second = round(1 / Fraction(self.record.time_base))
            for back in (0, 2 * second, 10 * second):
                found = mark - back > self.record.pts[0] and self._seek(mark - back) and self._advance()
                if found and self._mark is not None and self._mark <= mark:
                    return
        self._open()

    def _seek(self, time: int) -> bool:
        assert self._container is not None
        try:
            self._container.seek(time, stream=self._stream, backward=True)
        except (av.FFmpegError, OSError):
            return False
        self._pictures = self._container.decode(self._stream)
        self._current = self._mark = None
        return True


class ClipReader:
    """Frames of one clip as linear pixels, by frame number after conforming. Not safe for several threads at once."""

    def __init__(self, path: Path, record: MediaRecord, threads: int = 2) -> None:
        self.record = record
        self._decoder = Decoder(path, record, threads)
        self._weaver = weave.Weaver() if record.interlaced else None

    def close(self) -> None:
        self._decoder.close()

    def coded(self, index: int) -> VideoFrame:
        """The decoded picture of frame `index` (clamped to the clip), its fields made one picture if it has any."""
        index = min(max(index, 0), self.record.frames - 1)
        if self._weaver is None:
            return self._coded(index)
        near = [min(max(index + step, 0), self.record.frames - 1) for step in (-1, 0, 1)]
        return self._weaver.woven(near, self._coded)

    def _coded(self, index: int) -> VideoFrame:
        marks = self.record.pts
        try:
            return self._decoder.picture(marks[index], marks[max(0, index - AHEAD)])
        except EOFError as error:
            self._decoder.forget()
            raise MediaError(f"The clip has no picture at frame {index}.") from error
        except (av.FFmpegError, OSError) as error:
            self._decoder.forget()
            raise MediaError(f"The clip is damaged at frame {index}.") from error

    def frame(self, index: int) -> Pixels:
        """Frame `index` as linear premultiplied (h, w, 4), upright, with square pixels."""
        return upright(to_linear(self.coded(index), self.record), self.record)

    def read(self, index: int) -> Coded:
        """The same as it is coded, where that is upright and has planes of luma and chroma."""
        frame, record = self.coded(index), self.record
        planes = planes_of(frame, record)
        plain = not record.mirrored and record.rotation % 360 == 0
        if planes is None or not plain or planes.y.shape[::-1] != tuple(record.size):
            return Coded(upright(to_linear(frame, record), record), record.space)
        return Coded(planes, record.space)


def to_linear(frame: VideoFrame, record: MediaRecord) -> Pixels:
    """A decoded picture as linear (h, w, 4) in the size it is coded in."""
    planes = planes_of(frame, record)
    return yuv.to_linear(planes, record.space) if planes else from_codes(to_rgb(frame, record), record.space)


def planes_of(frame: VideoFrame, record: MediaRecord) -> yuv.Planes | None:
    """Luma and chroma of a decoded picture as they are coded; None for one that has no planes of them."""
    kind = frame.format
    parts = kind.components
    if kind.is_rgb or kind.is_big_endian or not kind.is_planar or len(parts) < 3 or len(frame.planes) != len(parts):
        return None
    y, u, v, *rest = (_plane(frame, i, np.uint8 if parts[0].bits == 8 else np.uint16) for i in range(len(parts)))
    kr, kb = LUMA_WEIGHTS[record.matrix if record.matrix in LUMA_WEIGHTS else "bt709"]
    full = record.full_range or kind.name.startswith("yuvj")
    return yuv.Planes(y, u, v, rest[0] if rest else None, parts[0].bits, kr, kb, full, record.siting)


def to_rgb(frame: VideoFrame, record: MediaRecord) -> NDArray[Any]:
    """A decoded picture as RGB(A) codes: uint8, or uint16 when it has more bits."""
    deep = any(component.bits > 8 for component in frame.format.components)
    alpha = record.alpha
    target = ("rgba64le" if alpha else "rgb48le") if deep else ("rgba" if alpha else "rgb24")
    if frame.format.is_rgb:
        return frame.reformat(format=target).to_ndarray()
    return frame.reformat(format=target, src_colorspace=_SWS.get(record.matrix, Colorspace.ITU709)).to_ndarray()


def _plane(frame: VideoFrame, i: int, dtype: type) -> NDArray[Any]:
    plane = frame.planes[i]
    rows: NDArray[Any] = np.frombuffer(memoryview(plane), dtype).reshape(
        -1, plane.line_size // np.dtype(dtype).itemsize
    )
    return np.ascontiguousarray(rows[: plane.height, : plane.width])


def upright(pixels: Pixels, record: MediaRecord) -> Pixels:
    """Mirrored and turned as the clip says, and stretched so that pixels are square."""
    pixels = np.ascontiguousarray(turned(pixels, record.mirrored, record.rotation))
    h, w = pixels.shape[:2]
    if (w, h) != record.size:
        pixels = cv2.resize(
            pixels, record.size, interpolation=cv2.INTER_AREA if w > record.size[0] else cv2.INTER_CUBIC
        )
        np.clip(pixels, 0, None, out=pixels)
        np.minimum(pixels[..., 3], 1, out=pixels[..., 3])
    return pixels
