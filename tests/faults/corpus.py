"""Clips of every awkward kind, made with ffmpeg: what phones, cameras, trimming tools and broken disks write.

Every picture of the source says its number (a bar of binary squares), so that each decoded one can be told.
"""

from __future__ import annotations

import struct
import subprocess
from collections.abc import Callable
from pathlib import Path

import av
import cv2
import numpy as np

SIZE, COUNT, BITS = (320, 180), 48, 8
Maker = Callable[[Path], Path]


def numbered(i: int) -> np.ndarray:
    """(h, w, 3): picture number `i`: a moving wash, and its number as eight squares along the top."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    picture = np.dstack([60 + 120 * x / w, 60 + 120 * y / h, 120 + 60 * np.sin((x + y + 6 * i) / 30)])
    for bit in range(BITS):
        picture[8:40, 8 + 38 * bit : 40 + 38 * bit] = 235 if i >> bit & 1 else 16
    cv2.circle(picture, (40 + 4 * i, 120), 18, (200, 80, 60), -1, cv2.LINE_AA)
    return np.clip(picture, 0, 255).astype(np.uint8)


def number_of(picture: np.ndarray) -> int:
    """The number a picture (h, w, 3) says; -1 when it is blurred beyond telling."""
    h, w = picture.shape[:2]
    number = 0
    for bit in range(BITS):
        x, y = (24 + 38 * bit) * w / SIZE[0], 24 * h / SIZE[1]
        level = float(picture[int(y) - 3 : int(y) + 4, int(x) - 3 : int(x) + 4].mean())
        if 100 < level < 150:
            return -1
        number |= (level > 125) << bit
    return number


def run(*words: object, data: bytes | None = None) -> bytes:
    done = subprocess.run(["ffmpeg", "-v", "error", "-y", *map(str, words)], input=data, capture_output=True)
    if done.returncode:
        raise RuntimeError(done.stderr.decode()[-800:])
    return done.stdout


def source(
    folder: Path, name: str, *options: object, rate: object = 24, count: int = COUNT, sound: bool = False
) -> Path:
    """The numbered pictures through ffmpeg with these output options."""
    raw = b"".join(numbered(i % (1 << BITS)).tobytes() for i in range(count))
    seconds = count / eval(str(rate))  # noqa: S307  (a fraction of our own)
    tone = ["-f", "lavfi", "-t", seconds, "-i", "sine=f=440:r=48000"] if sound else []
    w, h = SIZE
    given = ["-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{w}x{h}", "-r", rate, "-i", "-"]
    run(*given, *tone, *options, folder / name, data=raw)
    return folder / name


H264 = ("-c:v", "libx264", "-pix_fmt", "yuv420p", "-crf", 12, "-g", 12, "-threads", 1)


def plain(folder: Path) -> Path:
    return source(folder, "plain.mp4", *H264, "-bf", 2)


def edit_list(folder: Path) -> Path:
    """Trimmed without encoding again: the file holds pictures before the first that is shown."""
    run("-ss", 0.95, "-i", plain(folder), "-c", "copy", "-avoid_negative_ts", "disabled", folder / "edit-list.mp4")
    return folder / "edit-list.mp4"


def edit_list_phone(folder: Path) -> Path:
    """A QuickTime file trimmed in the middle of a group of pictures."""
    run("-ss", 0.6, "-t", 0.8, "-i", plain(folder), "-c", "copy", folder / "edit-list.mov")
    return folder / "edit-list.mov"


def with_matrix(path: Path, matrix: tuple[float, float, float, float], out: Path) -> Path:
    """Another display matrix (a, b, c, d) in the track's header."""
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") - 4
    a, b, c, d = (round(v * 65536) for v in matrix)
    data[at + 48 : at + 84] = struct.pack(">9i", a, b, 0, c, d, 0, 0, 0, 1 << 30)
    out.write_bytes(data)
    return out


def matrix(name: str, *numbers: float) -> Maker:
    def make(folder: Path) -> Path:
        return with_matrix(plain(folder), numbers, folder / f"matrix-{name}.mp4")  # type: ignore[arg-type]

    return make


def avi_with_b_frames(folder: Path) -> Path:
    return source(folder, "b-frames.avi", *H264, "-bf", 3)


def bare_stream(folder: Path) -> Path:
    return source(folder, "bare.h264", *H264, "-bf", 2, "-f", "h264")


def mpeg_program(folder: Path) -> Path:
    return source(folder, "old.mpg", "-c:v", "mpeg2video", "-q:v", 2, "-bf", 2, "-g", 12, rate=25)


def transport(folder: Path) -> Path:
    return source(folder, "stream.ts", *H264, "-bf", 2)


def matroska_negative(folder: Path) -> Path:
    """Begins before time 0."""
    run(
        "-i",
        plain(folder),
        "-c",
        "copy",
        "-output_ts_offset",
        -0.5,
        "-avoid_negative_ts",
        "disabled",
        folder / "early.mkv",
    )
    return folder / "early.mkv"


def matroska_cut(folder: Path) -> Path:
    """Cut off at a third, so without its index."""
    whole = source(folder, "whole.mkv", *H264, "-bf", 2)
    data = whole.read_bytes()
    (folder / "cut.mkv").write_bytes(data[: int(len(data) * 0.45)])
    return folder / "cut.mkv"


def matroska_untimed(folder: Path) -> Path:
    """Every picture at time 0."""
    whole = source(folder, "timed.mkv", "-c:v", "mjpeg", "-q:v", 2, "-pix_fmt", "yuvj420p")
    run("-i", whole, "-c", "copy", "-bsf:v", "setts=pts=0:dts=0", folder / "untimed.mkv")
    return folder / "untimed.mkv"


def interlaced(folder: Path) -> Path:
    """Two fields of two moments in every picture, top first."""
    return source(
        folder, "fields.mp4", "-vf", "tinterlace=interleave_top", *H264, "-flags", "+ilme+ildct", "-top", 1,
        "-x264-params", "tff=1", rate=50,
    )  # fmt: skip


def mxf(folder: Path) -> Path:
    return source(
        folder, "broadcast.mxf", "-c:v", "mpeg2video", "-pix_fmt", "yuv422p", "-q:v", 2, "-g", 12, "-bf", 2, rate=25
    )


def prores(folder: Path) -> Path:
    return source(folder, "intermediate.mov", "-c:v", "prores_ks", "-profile:v", 3, "-pix_fmt", "yuv422p10le")


def vp9(folder: Path) -> Path:
    return source(folder, "web.webm", "-c:v", "libvpx-vp9", "-b:v", "2M", "-deadline", "realtime")


def ntsc(folder: Path) -> Path:
    return source(folder, "ntsc.mp4", *H264, "-bf", 2, rate="30000/1001")


# name -> how it is made; what is shown is what ffmpeg itself decodes
SHOWN: dict[str, Maker] = {
    "plain": plain, "edit list": edit_list, "edit list of a phone": edit_list_phone, "avi with b-frames": avi_with_b_frames,
    "bare stream": bare_stream, "program stream": mpeg_program, "transport stream": transport, "mkv before 0": matroska_negative,
    "mkv cut off": matroska_cut, "mkv without times": matroska_untimed, "mxf": mxf, "prores": prores, "vp9": vp9, "ntsc": ntsc,
    "mirrored": matrix("mirrored", -1, 0, 0, 1), "upside down": matrix("upside-down", 1, 0, 0, -1),
    "turned": matrix("turned", 0, 1, -1, 0), "turned and mirrored": matrix("turned-mirrored", 0, 1, 1, 0),
    "half a turn": matrix("half", -1, 0, 0, -1),
}  # fmt: skip


def slow(folder: Path) -> Path:
    """A picture every twenty seconds."""
    return source(folder, "slow.mp4", *H264, "-bf", 0, rate="1/20", count=4)


def fast(folder: Path) -> Path:
    return source(folder, "fast.mp4", *H264, "-bf", 0, "-video_track_timescale", 20000, rate=2000)


def gap(folder: Path, hours: float = 3.0) -> Path:
    """Two bursts of pictures, hours apart."""
    late = f"setts=pts='if(gte(N,12),PTS+{hours * 3600}/TB,PTS)':dts='if(gte(N,12),DTS+{hours * 3600}/TB,DTS)'"
    whole = source(folder, "burst.mkv", *H264, "-bf", 0, count=24)
    run("-i", whole, "-c", "copy", "-bsf:v", late, folder / "gap.mkv")
    return folder / "gap.mkv"


def damaged_sound(folder: Path) -> Path:
    """The pictures are whole, the sound is not."""
    path = source(folder, "sound.mp4", *H264, "-bf", 0, "-c:a", "aac", "-shortest", sound=True)
    data = bytearray(path.read_bytes())
    with av.open(str(path)) as container:
        for packet in container.demux(container.streams.audio[0]):
            if packet.size and packet.pos:
                data[packet.pos : packet.pos + packet.size] = b"\xff" * packet.size
    (folder / "damaged-sound.mp4").write_bytes(data)
    return folder / "damaged-sound.mp4"


def high_range(curve: str) -> Maker:
    """Grey steps in PQ (smpte2084) or HLG (arib-std-b67), 10 bits, tagged."""

    def make(folder: Path) -> Path:
        return source(
            folder, f"{curve}.mp4", "-c:v", "libx265", "-pix_fmt", "yuv420p10le", "-crf", 8, "-x265-params",
            f"log-level=none:colorprim=bt2020:transfer={curve}:colormatrix=bt2020nc", "-color_primaries", "bt2020",
            "-color_trc", curve, "-colorspace", "bt2020nc", count=6,
        )  # fmt: skip

    return make
