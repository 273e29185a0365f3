"""Letters as coverage: laid out once at one size, drawn at any, so that a preview has them where the final picture has."""

from __future__ import annotations

import unicodedata
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from fontTools.ttLib import TTFont
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from tropein.core.raster.picture import Pixels, Window

FOLDER = Path(__file__).parent / "fonts"
FACES = {"plain": "inter", "even": "jetbrains-mono"}
# what each file holds, in the order they are asked
SUBSETS = (
    ("greek", ((0x370, 0x3FF),)),
    ("cyrillic", ((0x400, 0x45F), (0x490, 0x491), (0x4B0, 0x4B1), (0x2116, 0x2116))),
    ("latin-ext", ((0x100, 0x2BA), (0x2BD, 0x2C5), (0x1E00, 0x1EFF), (0x2C60, 0x2C7F), (0xA720, 0xA7FF))),
    ("latin", ((0, 0x10FFFF),)),
)
LATIN_TOO = {0x131, 0x152, 0x153, 0x2BB, 0x2BC}  # of the extended block, held by the first file
NOMINAL = 256
FINE_PX, MOST_FINE, MOST_TEXELS = (
    320.0,
    12,
    16_000_000,
)  # letters are drawn about so large, as a hinter bends small ones, and then reduced
WEIGHTS = (100, 800)


@dataclass(frozen=True)
class Letter:
    """One letter with the marks on it and the file it is drawn from; x to the right of its line's beginning and the line's number, in sizes of
    the font."""

    text: str
    file: str
    x: float
    line: int


def subset_of(letter: str) -> str:
    code = ord(letter[0])
    if code in LATIN_TOO:
        return "latin"
    return next(name for name, ranges in SUBSETS if any(a <= code <= b for a, b in ranges))


def _file_of(letter: str, face: str) -> str:
    """The file a letter is drawn from: the face's own; the plain face's where a font that was brought has no such letter."""
    if face not in FACES:
        if ord(letter[0]) in _held(face):
            return face
        face = "plain"
    return str(FOLDER / f"{FACES[face]}-{subset_of(letter)}-wght-normal.woff2")


@lru_cache(16)
def _held(file: str) -> frozenset[int]:
    with TTFont(file, lazy=True) as font:
        return frozenset(font.getBestCmap() or ())


@lru_cache(32)
def _font(file: str, px: float, weight: int) -> ImageFont.FreeTypeFont:
    font = ImageFont.truetype(file, px)
    with suppress(OSError):  # it has no axes
        axes = font.get_variation_axes()
        font.set_variation_by_axes([_along(axis, weight) for axis in axes])
    return font


def _along(axis: Any, weight: int) -> float:
    """Where on one axis of a font: on that of weights as near to the weight as it goes."""
    if axis["name"] not in (b"Weight", "Weight"):
        return float(axis["default"])
    return float(np.clip(weight, axis["minimum"], axis["maximum"]))


def _clusters(line: str) -> list[str]:
    out: list[str] = []
    for c in line:
        if out and (unicodedata.combining(c) or c in "\u200d\ufe0f"):
            out[-1] += c
        else:
            out.append(c)
    return out


@lru_cache(4096)
def _length(text: str, file: str, weight: int) -> float:
    """How long one letter or two are, in sizes of the font."""
    return float(_font(file, NOMINAL, weight).getlength(text)) / NOMINAL


@lru_cache(64)
def laid_out(text: str, face: str, weight: int, spacing: float) -> tuple[tuple[Letter, ...], tuple[float, ...]]:
    """(letters, the width of each line), in sizes of the font; `face` is one of FACES or a font's file; `spacing` is added after every letter. Each is set against the one before it."""
    letters, widths = [], []
    for number, line in enumerate(text.split("\n")):
        x, before, file, end = 0.0, "", "", 0.0
        for cluster in _clusters(line):
            its = _file_of(cluster, face)
            own = _length(cluster, its, weight)
            if its != file:
                x = end
            elif before:
                x += _length(before + cluster, its, weight) - own + spacing
            if not cluster.isspace():
                letters.append(Letter(cluster, its, x, number))
            before, file, end = cluster, its, x + own + spacing
        widths.append(max(end - spacing, 0.0))
    return tuple(letters), tuple(widths)


def lettered(letters: list[Letter], at: NDArray[np.float64], shown: NDArray[np.float64], weight: int, px: float, stroke: float, window: Window) -> Pixels:  # fmt: skip
    """(h, w) coverage 0..1 of letters whose baselines begin at `at` (n, 2), in the window's frame, each as far as it is shown 0..1. `stroke`: how
    far they are grown, in pixels."""
    out = np.zeros((window.height, window.width), np.float32)
    if not letters or px < 0.5:
        return out
    reach = stroke + 2 + px * 0.4
    low = np.floor(at.min(0) - [reach, px * 1.3 + reach]).astype(int)
    high = np.ceil(at.max(0) + [px * 1.6 + reach, px * 0.6 + reach]).astype(int)
    part = Window(int(low[0]), int(low[1]), int(high[0]), int(high[1])).meet(window)
    if part.empty:
        return out
    most = int(np.sqrt(MOST_TEXELS / (part.width * part.height)))
    fine = max(1, min(round(FINE_PX / px), MOST_FINE, most))
    plane = np.zeros((part.height * fine, part.width * fine), np.float32)
    grown = round(stroke * fine)
    for letter, (x, y), share in zip(letters, at, shown, strict=True):
        if share <= 0:
            continue
        font = _font(letter.file, round(px * fine, 2), weight)
        tx, ty = (x - part.x0) * fine, (y - part.y0) * fine
        x0, y0, x1, y1 = font.getbbox(letter.text, anchor="ls", stroke_width=grown)
        left, top = int(np.floor(tx + x0)) - 1, int(np.floor(ty + y0)) - 1
        right, bottom = int(np.ceil(tx + x1)) + 2, int(np.ceil(ty + y1)) + 2
        a, b, c, d = max(left, 0), max(top, 0), min(right, plane.shape[1]), min(bottom, plane.shape[0])
        if a >= c or b >= d:
            continue
        tile = Image.new("L", (right - left, bottom - top))
        ImageDraw.Draw(tile).text((tx - left, ty - top), letter.text, 255, font, anchor="ls", stroke_width=grown)
        drawn = np.asarray(tile, np.float32)[b - top : d - top, a - left : c - left] * np.float32(share / 255)
        np.maximum(plane[b:d, a:c], drawn, out=plane[b:d, a:c])
    if fine > 1:
        plane = cv2.resize(plane, (part.width, part.height), interpolation=cv2.INTER_AREA)
    out[part.y0 - window.y0 : part.y1 - window.y0, part.x0 - window.x0 : part.x1 - window.x0] = plane
    return out
