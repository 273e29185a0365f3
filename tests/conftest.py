"""Shared fixtures: small clips made on the spot, a real PostgreSQL, a running application."""

from __future__ import annotations

import os
from pathlib import Path

# Chosen before anything imports numba: one place for compiled kernels.
os.environ.setdefault("NUMBA_CACHE_DIR", str(Path("var/numba").resolve()))

from fractions import Fraction
from pathlib import Path

import av
import cv2
import hypothesis
import numpy as np
import pytest

import tropein.core.effects  # noqa: F401  (registers the kinds that documents may name)
from tropein.core.raster.grain import fractal

# the same examples in every run: whether a check passes does not hang on what is drawn
hypothesis.settings.register_profile("repeatable", derandomize=True)
hypothesis.settings.load_profile("repeatable")


def texture(width: int, height: int, seed: int = 1) -> np.ndarray:
    """(h, w, 3) uint8 with detail at several sizes."""
    channels = [fractal(width, height, 90, seed=seed + i, octaves=6, gain=0.7) for i in range(3)]
    picture = np.stack(channels, 2)
    picture = (picture - picture.min()) / (picture.max() - picture.min())
    return (40 + 190 * picture).astype(np.uint8)


def moving_frames(
    count: int, width: int = 320, height: int = 180, step: tuple[float, float] = (1.5, 0.75)
) -> list[np.ndarray]:
    """A textured wall that slides by `step` pixels a frame: what was at (x, y) is at (x, y) + step * frame."""
    wall = texture(width + 200, height + 200)
    out = []
    for i in range(count):
        m = np.array([[1, 0, -100 + step[0] * i], [0, 1, -100 + step[1] * i]])
        out.append(cv2.warpAffine(wall, m, (width, height), flags=cv2.INTER_CUBIC))
    return out


def write_clip(
    path: Path, frames: list[np.ndarray], rate: Fraction = Fraction(24), codec: str = "libx264", pix_fmt: str = "yuv420p",
    sound: bool = False, options: dict[str, str] | None = None, pts: list[int] | None = None, gop: int = 12,
) -> Path:  # fmt: skip
    """Encode RGB or RGBA frames; `pts` in thousandths of a second makes an uneven rate."""
    h, w = frames[0].shape[:2]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = w, h, pix_fmt
        if codec == "libx264":
            stream.codec_context.gop_size = gop
            stream.options = {"threads": "1"} | (
                options or {"crf": "10"}
            )  # with more, the bytes are not always the same
            stream.codec_context.colorspace = 1
            stream.codec_context.color_range = 1
        if pts:
            stream.codec_context.time_base = Fraction(1, 1000)
        audio = container.add_stream("aac", rate=48_000) if sound else None
        for i, picture in enumerate(frames):
            frame = av.VideoFrame.from_ndarray(picture, "rgba" if picture.shape[2] == 4 else "rgb24")
            frame = frame.reformat(format=pix_fmt, dst_colorspace="ITU709")
            if pts:
                frame.pts, frame.time_base = pts[i], Fraction(1, 1000)
            else:
                frame.pts, frame.time_base = i, 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if audio is not None:
            tone = (np.sin(np.arange(int(48_000 * len(frames) / float(rate))) * 0.06) * 9000).astype(np.int16)
            for k in range(0, len(tone) - 1024, 1024):
                part = av.AudioFrame.from_ndarray(np.repeat(tone[k : k + 1024], 2)[None], "s16", "stereo")
                part.sample_rate, part.pts = 48_000, k
                container.mux(audio.encode(part))
            container.mux(audio.encode(None))
    return path


@pytest.fixture(scope="session")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """48 frames of a sliding wall at 24 fps, 320x180, with a tone."""
    path = tmp_path_factory.mktemp("clips") / "wall.mp4"
    return write_clip(path, moving_frames(48), sound=True)
