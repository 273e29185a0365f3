"""From linear light to a plate: glow of the lens, vignette, soft shoulder, grain, and H.264."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray


def developed(linear: NDArray[np.float32], seed: int, exposure: float) -> NDArray[np.uint8]:
    """8-bit sRGB (h, w, 3) of a linear picture, with its grain drawn from ``seed``."""
    h, w = linear.shape[:2]
    light = np.maximum(linear, 0).astype(np.float32) * exposure * np.float32([1.03, 1.0, 0.955])
    bright = np.clip(light - 0.9, 0, 6)
    light = light + 0.10 * cv2.GaussianBlur(bright, (0, 0), w / 110) * np.float32([1.2, 1, 0.75])
    light = light + 0.035 * cv2.GaussianBlur(light, (0, 0), w / 30)
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j].astype(np.float32)
    light *= (1 - 0.10 * (x**2 + 0.6 * y**2) ** 1.3)[..., None]
    shoulder = np.clip(light * (2.2 * light + 0.03) / (light * (2.1 * light + 0.55) + 0.14), 0, 1)
    picture = np.where(shoulder <= 0.0031308, 12.92 * shoulder, 1.055 * shoulder ** (1 / 2.4) - 0.055)
    draws = np.random.default_rng(seed).normal(0, 1, (h, w, 3)).astype(np.float32)
    grain = 1.3 * draws.mean(2, keepdims=True) + 0.45 * draws
    grain = cv2.GaussianBlur(grain, (0, 0), 0.62) * 1.9
    grey = picture.mean(2, keepdims=True)
    picture = picture + 0.014 * grain * (0.55 + 1.2 * np.sqrt(np.clip(grey, 0, 1)) * (1.15 - grey))
    picture = cv2.GaussianBlur(picture, (0, 0), 0.45)
    return (np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8)


def encode(pictures: Iterable[NDArray[np.uint8]], out: Path, rate: Fraction = Fraction(24)) -> None:
    """H.264, 4:2:0, tagged BT.709, and as what the library makes of RGB: chroma in the middle (the plates that ship do not say so)."""
    with av.open(str(out), "w", options={"movflags": "faststart"}) as film:
        stream = None
        for picture in pictures:
            if stream is None:
                options = {"crf": "17", "preset": "slow", "x264-params": "chromaloc=1"}
                stream = film.add_stream("libx264", rate=rate, options=options)
                stream.height, stream.width = picture.shape[:2]
                stream.pix_fmt = "yuv420p"
                context = stream.codec_context
                context.colorspace = context.color_range = context.color_primaries = context.color_trc = 1
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            film.mux(stream.encode(frame.reformat(format="yuv420p", dst_colorspace="ITU709")))
        if stream is not None:
            film.mux(stream.encode())
