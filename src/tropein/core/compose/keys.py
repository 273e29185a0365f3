"""Keys as steps: coverage from a layer's own pixels, by colour, brightness, or what differs from an empty place."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.step import Step, step
from tropein.core.document import ChromaPiece, ColourPiece, DifferencePiece, LumaPiece
from tropein.core.matte import chroma, difference, ranges, screen
from tropein.core.matte.subsampled import restored
from tropein.core.raster import coverage as cov
from tropein.core.raster.coverage import Coverage, Plane
from tropein.core.raster.picture import Picture

MEDIAN_FRAMES = 15
Find = Callable[[np.ndarray], "screen.Screen | None"]


def keying_of(piece: ChromaPiece, working: float, frame: float) -> tuple[Find, chroma.Keying]:
    names = ("low", "high", "core", "spill", "balance")
    keying = chroma.Keying(*(sample(getattr(piece, name), frame) for name in names))
    cell = max(2, round(screen.CELL_PX * working))
    return partial(screen.find, picked=piece.screen, follow=sample(piece.even, frame), cell=cell), keying


def _with_colour(picture: Picture) -> Picture:
    pixels = picture.pixels.copy()
    pixels[..., :3] = restored(picture.pixels[..., :3])
    return Picture(pixels, picture.window)


def screen_key(piece: ChromaPiece, frame: float) -> tuple:
    return piece.screen, sample(piece.even, frame)


def where(picture: Picture, plane: Plane) -> Coverage:
    return Coverage(plane * picture.pixels[..., 3], picture.window)


def sharpened(picture: Step) -> Step:
    """The picture with the colour detail put back that its file does not hold."""
    return step("restore-colour", (), (picture,), _with_colour)


def keyed(piece: ChromaPiece, picture: Step, working: float, frame: float) -> Step:
    find, keying = keying_of(piece, working, frame)

    def make(p: Picture) -> Coverage:
        behind = find(p.pixels[..., :3]) if not p.window.empty else None
        if behind is None:
            return cov.full(p.window)
        return Coverage(chroma.coverage(p.pixels[..., :3], behind, keying, working), p.window)

    return step("chroma", (keying, screen_key(piece, frame), working), (picture,), make)


def ranged(piece: LumaPiece | ColourPiece, picture: Step, frame: float) -> Step:
    """Brightness or colour of a layer's own pixels, where it covers at all."""
    if isinstance(piece, LumaPiece):
        low, high, softness = (sample(v, frame) for v in (piece.low, piece.high, piece.softness))
        return step("luma", (low, high, softness), (picture,), lambda p: where(p, ranges.luma(p.pixels[..., :3], low, high, softness)))  # fmt: skip
    names = ("hue", "hue_width", "saturation", "dark", "light", "softness")
    chosen = ranges.ColourRange(*(sample(getattr(piece, n), frame) for n in names))
    return step("colour", chosen, (picture,), lambda p: where(p, ranges.colour(p.pixels[..., :3], chosen)))


def different(piece: DifferencePiece, picture: Step, of_frame: Callable[[int], Step], count: int, frame: float) -> Step:
    """What differs from an empty picture; `of_frame` gives any of the footage's `count` frames."""
    if piece.clean_frame is not None:
        empty = of_frame(min(piece.clean_frame, count - 1))
    else:
        every = sorted({round(i) for i in np.linspace(0, count - 1, MEDIAN_FRAMES)})
        frames = tuple(of_frame(i) for i in every)
        empty = step("median", (), frames, lambda *p: Picture(np.median([q.pixels for q in p], 0), p[0].window))
    chosen = difference.Difference(*(sample(v, frame) for v in (piece.threshold, piece.softness, piece.shadow)))
    return step(
        "difference", chosen, (picture, empty),
        lambda p, e: where(p, difference.coverage(p.pixels[..., :3], e.pixels[..., :3], chosen)),
    )  # fmt: skip
