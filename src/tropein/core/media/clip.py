"""Decoding clips: any frame by number, cheap in order."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import cv2
import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Colorspace
from numpy.typing import NDArray

from tropein.core.errors import MediaError
from tropein.core.media.record import MediaRecord
from tropein.core.raster import yuv
from tropein.core.raster.colour import from_codes
from tropein.core.raster.picture import Pixels

LUMA_WEIGHTS = {"bt709": (0.2126, 0.0722), "bt601": (0.299, 0.114), "bt2020": (0.2627, 0.0593)}
_SWS = {"bt709": Colorspace.ITU709, "bt601": Colorspace.ITU601, "bt2020": Colorspace.ITU709}
AHEAD = 48  # frames that are decoded on rather than sought


class ClipReader:
    """Frames of one clip as linear pixels, by frame number after conforming. Not safe for several threads at once."""

    def __init__(self, path: Path, record: MediaRecord, threads: int = 2) -> None:
        self.record = record
        try:
            self._container = av.open(str(path))
            self._stream = self._container.streams.video[0]
        except (av.FFmpegError, IndexError) as error:
            raise MediaError(f"{path.name} cannot be opened as a clip.") from error
        self._stream.codec_context.thread_count = threads
        self._stream.thread_type = "AUTO" if threads > 1 else "NONE"
        self._decoder: Iterator[VideoFrame] | None = None
        self._current: VideoFrame | None = None

    def close(self) -> None:
        self._container.close()

    def coded(self, index: int) -> VideoFrame:
        """The decoded picture of frame `index` (clamped to the clip)."""
        record = self.record
        index = min(max(index, 0), record.frames - 1)
        target = record.pts[index]
        now = self._current.pts if self._current is not None else None
        if now == target and self._current is not None:
            return self._current
        far = record.pts[max(0, index - AHEAD)]
        if now is None or now > target or now < far:
            self._container.seek(target, stream=self._stream, backward=True)
            self._decoder = self._container.decode(self._stream)
            self._current = None
        assert self._decoder is not None
        try:
            for frame in self._decoder:
                if frame.pts is None:
                    continue
                self._current = frame
                if frame.pts >= target:
                    return frame
        except av.FFmpegError as error:
            self._decoder = self._current = None
            raise MediaError(f"The clip is damaged at frame {index}.") from error
        last, self._decoder = self._current, None
        if last is None:
            raise MediaError(f"The clip has no picture at frame {index}.")
        return last

    def frame(self, index: int) -> Pixels:
        """Frame `index` as linear premultiplied (h, w, 4), upright, with square pixels."""
        return upright(to_linear(self.coded(index), self.record), self.record)


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


def to_rgb(frame: VideoFrame, record: MediaRecord) -> NDArray:
    """A decoded picture as RGB(A) codes: uint8, or uint16 when it has more bits."""
    deep = any(component.bits > 8 for component in frame.format.components)
    alpha = record.alpha
    target = ("rgba64le" if alpha else "rgb48le") if deep else ("rgba" if alpha else "rgb24")
    if frame.format.is_rgb:
        return frame.reformat(format=target).to_ndarray()
    return frame.reformat(format=target, src_colorspace=_SWS.get(record.matrix, Colorspace.ITU709)).to_ndarray()


def _plane(frame: VideoFrame, i: int, dtype: type) -> NDArray:
    plane = frame.planes[i]
    rows: NDArray = np.frombuffer(memoryview(plane), dtype).reshape(-1, plane.line_size // np.dtype(dtype).itemsize)
    return np.ascontiguousarray(rows[: plane.height, : plane.width])


def upright(pixels: Pixels, record: MediaRecord) -> Pixels:
    """Turned by the clip's rotation flag, and stretched so that pixels are square."""
    if record.rotation:
        pixels = np.ascontiguousarray(np.rot90(pixels, record.rotation // 90))
    h, w = pixels.shape[:2]
    if (w, h) != record.size:
        pixels = cv2.resize(
            pixels, record.size, interpolation=cv2.INTER_AREA if w > record.size[0] else cv2.INTER_CUBIC
        )
        np.clip(pixels, 0, None, out=pixels)
        np.minimum(pixels[..., 3], 1, out=pixels[..., 3])
    return pixels
