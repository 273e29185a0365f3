"""Calling every kernel once with the types it is used with, so that each is compiled and cached: in parts, those needed first first."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import numpy as np

from tropein.core.document.effect import EFFECTS
from tropein.core.effects import by_points, run, sampled
from tropein.core.matte import ranges
from tropein.core.matte.chroma import Keying, coverage, unmixed
from tropein.core.matte.fine import fine
from tropein.core.matte.foreground import cleaned
from tropein.core.matte.screen import find
from tropein.core.matte.subsampled import restored
from tropein.core.raster import blend, colour, yuv
from tropein.core.raster.bolts import PIECE, lines
from tropein.core.raster.counting import by_column, clipped, luma, on_plane
from tropein.core.raster.coverage import Joining, combine, cut, full, mix_where
from tropein.core.raster.flare import Parts, flare
from tropein.core.raster.flight import BIRTH, flown
from tropein.core.raster.glow import glowing
from tropein.core.raster.grain import fractal
from tropein.core.raster.grain_like import BANDS, grain_like, table_of, tile_like
from tropein.core.raster.growth import tree
from tropein.core.raster.outline import fill, outline_spans
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.shading import shaded
from tropein.core.raster.specks import SPECK, specks
from tropein.core.raster.sprites import sprinkled, sprites
from tropein.core.raster.wrap import wrapped
from tropein.core.raster.written import codes16, halves
from tropein.core.raster.yuv import Cells
from tropein.core.rows import coded, grains, lays, loads, registers, samples, tones
from tropein.core.rows.interpret import perform
from tropein.core.rows.op import Kernel, Op
from tropein.core.track.align import align, align_many, correlations, warped, warped_many


def warm(part: str) -> None:
    """Compile one of PARTS, or read it from the cache."""
    PARTS[part]()


def ready(part: str) -> Path:
    """The mark beside the cache that a part is in it."""
    return Path(os.environ.get("NUMBA_CACHE_DIR", "")) / f"{part}.ready"


def _pixels() -> None:
    pixels = np.full((32, 32, 4), 0.5, np.float32)
    a = Picture(pixels, Window(0, 0, 32, 32))
    for dtype in (np.uint8, np.uint16):
        codes = colour.to_display(pixels, dtype)
        colour.from_codes(codes, colour.DISPLAY)
        colour.from_codes(np.dstack([codes, codes[..., :1]]), colour.DISPLAY)
    y, c = np.zeros((32, 32), np.uint8), np.zeros((16, 16), np.uint8)
    for dtype in (np.uint8, np.uint16):
        yuv.to_linear(yuv.Planes(y.astype(dtype), c.astype(dtype), c.astype(dtype)), colour.DISPLAY)
    yuv.halved(np.zeros((16, 16, 3), np.uint8))
    glowing(a, 0.1, 8.0, 4, pixels[0, 0, :3], 1.0)
    fractal(32, 32, 8)


def _rows() -> None:
    window = Window(0, 0, 32, 32)
    perform([Op(registers.clear, window, (0,))], window)
    for module in (loads, registers, samples, coded, lays, tones, grains):
        for kernel in vars(module).values():
            if isinstance(kernel, Kernel):
                _ = kernel.address
    _ = lays.laying("screen", True).address
    _ = Picture(np.zeros((32, 32, 4), np.float32), window).extent, full(window).spans
    outline_spans(np.zeros((4, 2)), 0, 1, 0, np.zeros((1, 2), np.int32))


def _looks() -> None:
    """All effects; generated pictures; what less common modes need, and veils with any."""
    a = Picture(np.full((32, 32, 4), 0.5, np.float32), Window(0, 0, 32, 32))
    for kind, cls in EFFECTS.known().items():
        values = sampled(cls(kind=kind, id="warm"), 0)
        if (rows := by_points(kind)) is None:
            run(kind, a, values, 1.0)
        else:
            for use in rows(values, 1.0, a.window):
                _ = use.kernel.address
    flown(1, 0, np.ones(2, np.int64), np.ones((2, len(BIRTH))), 24.0, 1.0)
    specks(np.ones((1, len(SPECK)), np.float32), 32, 32, 0.5)
    sprinkled(np.ones((1, len(SPECK)), np.float32), np.zeros(1, np.int64), sprites([a.pixels]), 32, 32)
    shaded(np.ones((2, 3)), np.ones(2), np.ones(2), np.array([0.0, -1.0, 0.0]), 1.0)
    lines(np.ones((1, len(PIECE))), 32, 32)
    tile = tile_like((1.0,) * BANDS, (1.0, 0.0, 1.0, 0.0, 0.0, 1.0), 1.0, 1)
    grain_like(a.pixels, 0, 0, tile, table_of((1.0, 1.0)), 1, 0.0)
    tree(np.ones((32, 32), np.float32), (4.0, 4.0), 8.0, 1)
    flare(32, 32, (16.0, 16.0), Parts(1, 1, 1, 1, 0.05, 32.0), 1, 6, 2, 1.0)
    codes, plane = np.zeros((8, 8, 3), np.uint8), np.ones((8, 8), np.uint8)
    luma(codes, plane.copy())
    by_column(plane, plane, np.zeros((4, 4), np.float32))
    on_plane(codes, plane, np.zeros((64, 64, 64), np.int32), np.zeros(4, np.float32))
    clipped(codes, plane)
    codes16(a.pixels)
    halves(a.pixels)
    blend.lay(a, a, a.window, "hue")
    blend.lay(a, a, a.window)
    blend.mix(a, a, 0.5)
    for mode in blend.MODES:
        _ = lays.laying(mode, True).address


def _tracks() -> None:
    rng = np.random.default_rng(0)
    image = rng.random((64, 64)).astype(np.float32) * 255
    eye = np.array([[1.0, 0, 32], [0, 1.0, 32]])
    patch = warped(image, eye, 8, 1)
    for affine in (False, True):
        align(image, patch, eye, 8, 1, affine, 2)
    patches = warped_many(image, eye[None], 8, 1)
    align_many(image, patches, eye[None], 8, 1, 2)
    correlations(image, patches, eye[None], 8, 1)


def _mattes() -> None:
    a = Picture(np.full((32, 32, 4), 0.5, np.float32), Window(0, 0, 32, 32))
    edge = np.zeros((32, 32), np.float32)
    edge[8:24, 8:24] = 1
    fine(np.zeros((32, 32, 3), np.uint8), edge, 4.0)
    cleaned(np.zeros((32, 32, 3), np.float32), edge * np.float32(0.5), 1.0, 0.2)
    wrapped(a, a, 0.5, 4.0)
    box = np.array([[4, 4], [28, 4], [28, 28], [4, 28.0]])
    shape = fill(box, np.ones((4, 2)), a.window)
    both = combine([shape, shape], [Joining("add"), Joining("subtract")], a.window)
    cut(a, both)
    mix_where(a, a, both)
    ranges.luma(a.pixels, 0.2, 0.5, 0.1)
    ranges.colour(a.pixels, ranges.ColourRange(0, 60, 0.2, 0, 1, 0.2))
    restored(a.pixels[..., :3], Cells())
    rgb = np.tile(np.array([0.02, 0.1, 0.5], np.float32), (64, 64, 1))
    screen = find(rgb, None, 1.0, 2)
    if screen is not None:
        unmixed(rgb, screen, coverage(rgb, screen, Keying()), Keying())


# what any picture needs, apart and row by row; what keys, cut-outs and fine edges need; what following needs; all effects and modes of blending
PARTS: dict[str, Callable[[], None]] = {
    "pixels": _pixels,
    "rows": _rows,
    "mattes": _mattes,
    "tracks": _tracks,
    "looks": _looks,
}
