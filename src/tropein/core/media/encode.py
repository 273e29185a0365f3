"""Writing finished frames: H.264 and ProRes 4444 in parts that join without loss, PNG and EXR files."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

import av
import cv2
import numpy as np
from av.video.codeccontext import VideoCodecContext
from numpy.typing import NDArray

from tropein.core.errors import BadInput, MediaError
from tropein.core.files import whole
from tropein.core.raster.colour import to_display
from tropein.core.raster.picture import Pixels
from tropein.core.raster.written import codes16, halves
from tropein.core.raster.yuv import halved

Format = Literal["h264", "prores4444", "png", "exr"]
SUFFIX = {"h264": ".mp4", "prores4444": ".mov", "png": ".png", "exr": ".exr"}
MOVIES = ("h264", "prores4444")


@dataclass(frozen=True)
class Target:
    """What is written: format, rate, size of the picture."""

    format: Format
    rate: Fraction
    size: tuple[int, int]

    @property
    def coded(self) -> tuple[int, int]:
        """H.264 4:2:0 needs even sides: an odd one is continued by a pixel."""
        w, h = self.size
        return (w + w % 2, h + h % 2) if self.format == "h264" else (w, h)


def write_picture(path: Path, pixels: Pixels, form: Format) -> None:
    """One PNG (16 bit, straight alpha, display-encoded) or EXR (half, premultiplied, linear) file, under its name only
    when it is whole."""
    with whole(path, sync=False) as part:
        if form == "png":
            _write_png(part, cv2.cvtColor(codes16(pixels), cv2.COLOR_RGBA2BGRA))
        elif form == "exr":
            import OpenEXR

            channels = dict(zip("RGBA", halves(pixels), strict=True))
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, channels).write(str(part))
        else:
            raise BadInput(f"{form} is not a picture format.")


def write_coverage(path: Path, plane: NDArray[np.float32]) -> None:
    """Coverage (h, w) 0..1 as a grey 16-bit PNG, its values as they are."""
    with whole(path, sync=False) as part:
        _write_png(part, np.rint(np.clip(plane, 0, 1) * 65535).astype(np.uint16))


def _write_png(path: Path, codes: NDArray[np.uint16]) -> None:
    ok, data = cv2.imencode(".png", codes)
    if not ok:
        raise MediaError("The picture could not be encoded as PNG.")
    path.write_bytes(data.tobytes())


class MovieWriter:
    """A part of a movie, or all of it. Frames are added in order; parts made with equal settings join by `join`."""

    def __init__(self, path: Path, target: Target) -> None:
        self.target = target
        self._container = av.open(str(path), "w", format="mov" if target.format == "prores4444" else "mp4")
        h264 = target.format == "h264"
        stream = self._container.add_stream("libx264" if h264 else "prores_ks", rate=target.rate)
        stream.width, stream.height = target.coded
        context = stream.codec_context
        context.time_base = 1 / target.rate
        context.pix_fmt = "yuv420p" if h264 else "yuva444p10le"
        _tag(context)
        if h264:
            stream.options = {"crf": "15", "preset": "veryfast", "bf": "0", "x264-params": "open-gop=0"}
            context.gop_size = max(1, round(float(target.rate)))
        else:
            stream.options = {"profile": "4", "vendor": "apl0"}
        self._stream, self._count = stream, 0

    def add(self, pixels: Pixels) -> None:
        """Append a linear premultiplied (h, w, 4) picture; H.264 shows it over black."""
        if self.target.format == "h264":
            self.add_shown(to_display(pixels))
            return
        frame = av.VideoFrame.from_ndarray(codes16(pixels), "rgba64le")
        self._add(frame.reformat(format="yuva444p10le", dst_colorspace="ITU709", dst_color_range="MPEG"))

    def add_shown(self, codes: NDArray[np.uint8]) -> None:
        """Append a picture (h, w, 3) as it is shown, to a film in H.264."""
        cw, ch = self.target.coded
        h, w = codes.shape[:2]
        if (cw, ch) != (w, h):
            codes = cv2.copyMakeBorder(codes, 0, ch - h, 0, cw - w, cv2.BORDER_REPLICATE)
        self._add(av.VideoFrame.from_ndarray(halved(codes), "yuv420p"))

    def _add(self, frame: av.VideoFrame) -> None:
        frame.color_primaries, frame.color_trc = 1, 1  # Rec.709; ProRes writes them into every picture
        frame.pts, frame.time_base = self._count, 1 / self.target.rate
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def __enter__(self) -> MovieWriter:
        return self

    def __exit__(self, kind: object, *_: object) -> None:
        if kind is None:
            self.close()
        else:
            self._container.close()

    def close(self) -> None:
        """Write what is left in the encoder, and end the file. OutOfSpace when the disk is full."""
        try:
            self._container.mux(self._stream.encode(None))
        finally:
            self._container.close()


def _tag(context: VideoCodecContext) -> None:
    """Rec.709, video range: what the pictures are, said in the file."""
    context.color_primaries, context.color_trc, context.colorspace, context.color_range = 1, 1, 1, 1


def join(parts: list[tuple[Path, int]], out: Path, target: Target, sound: Path | None = None,
         sound_from_s: float = 0.0) -> None:  # fmt: skip
    """Join movie parts, each (file, number of frames), without encoding again, and lay a WAV file's sound along from
    `sound_from_s` on."""
    name = "mov" if target.format == "prores4444" else "mp4"
    tick = Fraction(1, 1) / target.rate
    total = sum(n for _, n in parts)
    with av.open(str(out), "w", format=name, options={"movflags": "+faststart"}) as container:
        stream = None
        audio = None
        done = 0
        for path, count in parts:
            with av.open(str(path)) as part:
                source = part.streams.video[0]
                if stream is None:
                    stream = container.add_stream_from_template(source)
                    stream.time_base = tick
                    stream.codec_context.codec_tag = source.codec_context.codec_tag  # which ProRes it is
                    _tag(stream.codec_context)
                    if sound is not None:
                        audio = container.add_stream("aac" if name == "mp4" else "pcm_s16le", rate=48_000)
                        audio.codec_context.layout = "stereo"
                begin, unit = source.start_time or 0, source.time_base / tick
                for packet in (p for p in part.demux(source) if p.size):
                    # the order of showing stays apart from the order of decoding: a part may hold B-frames
                    shown, decoded = (round((t - begin) * unit) + done for t in (packet.pts, packet.dts))
                    packet.stream = stream
                    packet.time_base, packet.pts, packet.dts, packet.duration = tick, shown, decoded, 1
                    container.mux(packet)
            done += count
        if audio is not None and sound is not None:
            _lay_sound(container, audio, sound, sound_from_s, float(total * tick))


def _lay_sound(container, audio, sound: Path, start_s: float, length_s: float) -> None:  # type: ignore[no-untyped-def]
    import wave

    with wave.open(str(sound)) as wav:
        first, count = int(start_s * 48_000), int(length_s * 48_000)
        wav.setpos(min(max(first, 0), wav.getnframes()))
        data = np.frombuffer(wav.readframes(count), np.int16)
    data = np.concatenate([np.zeros(2 * max(0, -first), np.int16), data])[: 2 * count]
    for begin in range(0, len(data), 2 * 1024):
        chunk = np.ascontiguousarray(data[begin : begin + 2 * 1024]).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(chunk, "s16", "stereo")
        frame.sample_rate, frame.pts, frame.time_base = 48_000, begin // 2, Fraction(1, 48_000)
        container.mux(audio.encode(frame))
    container.mux(audio.encode(None))
