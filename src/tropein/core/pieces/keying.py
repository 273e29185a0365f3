"""The steps of keying: a screen found behind a layer's own pixels, coverage by it, its light taken out, empty places."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from tropein.core.compose.step import Step, step
from tropein.core.document import Colour
from tropein.core.matte import chroma, screen
from tropein.core.matte.chroma import Keying
from tropein.core.matte.screen_through import empty_of
from tropein.core.matte.subsampled import restored
from tropein.core.raster import coverage as cov
from tropein.core.raster.coverage import Coverage, Plane
from tropein.core.raster.picture import Picture
from tropein.core.raster.yuv import Cells


@dataclass(frozen=True, eq=False)
class Behind:
    """The screen of a frame, or that there is none to be seen."""

    screen: screen.Screen | None

    @property
    def nbytes(self) -> int:
        return 0 if self.screen is None else self.screen.light.nbytes


def behind(picked: Colour | None, follow: float, picture: Step, empty: Step | None, working: float) -> Step:
    """The screen behind a layer's own pixels: found in them, or in the picture that shows it empty. `follow`: how far its own light and dark are."""
    cell = max(2, round(screen.CELL_PX * working))

    def make(p: Picture) -> Behind:
        return Behind(None if p.window.empty else screen.find(p.pixels[..., :3], picked, follow, cell))

    def make_clean(p: Picture, clean: Picture) -> Behind:
        nothing = p.window.empty or clean.window != p.window
        known = None if nothing else screen.seen_empty(clean.pixels[..., :3], picked, cell)
        return Behind(None if known is None else screen.as_lit(known, p.pixels[..., :3], cell))

    parameters = (picked, follow, cell)
    if empty is None:
        return step("screen", parameters, (picture,), make)
    return step("empty-screen", parameters, (picture, empty), make_clean)


def _with_colour(picture: Picture, cells: Cells) -> Picture:
    return Picture(restored(picture.pixels, cells), picture.window)


def where(picture: Picture, plane: Plane) -> Coverage:
    return Coverage(plane * picture.pixels[..., 3], picture.window)


def sharpened(picture: Step, cells: Cells) -> Step:
    """The picture with the colour detail put back that its file, whose chroma lies so, does not hold."""
    return step("restore-colour", cells, (picture,), lambda p: _with_colour(p, cells))


def keyed(keying: Keying, picture: Step, screen_behind: Step, working: float) -> Step:
    def make(p: Picture, found: Behind) -> Coverage:
        if found.screen is None:
            return cov.full(p.window)
        return Coverage(chroma.coverage(p.pixels[..., :3], found.screen, keying, working), p.window)

    return step("chroma", (keying, working), (picture, screen_behind), make)


def unmixed(keying: Keying, picture: Step, screen_behind: Step, coverage: Step) -> Step:
    """The picture without the screen's light."""

    def make(p: Picture, found: Behind, alpha: Coverage) -> Picture:
        if found.screen is None:
            return p
        return Picture(chroma.unmixed(p.pixels[..., :3], found.screen, alpha.plane, keying), p.window)

    return step("unmix", keying, (picture, screen_behind, coverage), make)


def as_large(empty: Step, picture: Step) -> Step:
    """A picture from another clip, resized to another's pixels."""

    def make(e: Picture, p: Picture) -> Picture:
        if e.window == p.window or e.window.empty or p.window.empty:
            return e
        size = (p.window.width, p.window.height)
        return Picture(cv2.resize(e.pixels, size, interpolation=cv2.INTER_AREA), p.window)

    return step("as-large", (), (empty, picture), make)


def median(frames: tuple[Step, ...]) -> Step:
    """The middle of many frames, pixel by pixel."""
    return step("median", (), frames, lambda *p: Picture(np.median([q.pixels for q in p], 0), p[0].window))


def seen_through(frames: tuple[Step, ...], picked: Colour | None, cell: int) -> Step:
    """The empty screen, put together from many frames; the first of them where none shows a screen."""

    def make(*pictures: Picture) -> Picture:
        found = empty_of([p.pixels[..., :3] for p in pictures], picked, cell)
        first = pictures[0]
        return first if found is None else Picture(np.dstack([found, first.pixels[..., 3]]), first.window)

    return step("seen-through", (picked, cell), frames, make)
