"""The edge of what was cut: softened to what lies around it, and its colour set right, while the inside stays as it is."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Pixels, Window

LEAST_SIGMA_PX = 0.05
ROOM = 3.0  # standard deviations by which a softened edge reaches beyond where it lay
SOLID = 0.98


@dataclass(frozen=True)
class Edging:
    """soften_px: standard deviation of the blur at the outline; width_px: how far in from it counts as edge; exposure in stops;
    saturation 1 leaves it."""

    soften_px: float = 0.0
    width_px: float = 4.0
    exposure: float = 0.0
    saturation: float = 1.0

    @property
    def idle(self) -> bool:
        return self.soften_px < LEAST_SIGMA_PX and self.exposure == 0 and self.saturation == 1


def edged(picture: Picture, how: Edging, frame: Window) -> Picture:
    """A premultiplied picture with its edge changed: all of it where coverage is partial, fading inwards over the width.
    Where it leaves the frame is no edge."""
    picture = picture.crop(frame)
    if how.idle or picture.window.empty:
        return picture
    if how.soften_px >= LEAST_SIGMA_PX:
        picture = _softened(picture, how, frame)
    if how.exposure or how.saturation != 1:
        picture = _coloured(picture, how, frame)
    return picture


def _coloured(picture: Picture, how: Edging, frame: Window) -> Picture:
    pixels = picture.pixels.copy()
    colour = pixels[..., :3]
    inward = _depth(pixels[..., 3] > SOLID, picture.window, frame)
    share = _falling((inward - 1) / max(how.width_px, 0.25))
    grey = (colour @ LUMA)[..., None]
    changed = np.maximum((grey + (colour - grey) * how.saturation) * 2**how.exposure, 0)
    colour += (changed - colour) * share[..., None]
    return Picture(pixels, picture.window)


def _softened(picture: Picture, how: Edging, frame: Window) -> Picture:
    """Blurred at the outline, untouched farther in than the blur itself reaches."""
    room = math.ceil(ROOM * how.soften_px) + 1
    padded, window = _padded(picture.pixels, picture.window, frame, room)
    blurred = cv2.GaussianBlur(padded, (0, 0), how.soften_px, borderType=cv2.BORDER_REPLICATE)
    inward = _depth(padded[..., 3] > 0.5, window, frame)
    share = _falling(inward / max(how.width_px, ROOM * how.soften_px))
    return Picture(padded + share[..., None] * (blurred - padded), window).crop(frame)


def _falling(t: NDArray[np.float32]) -> NDArray[np.float32]:
    """1 at 0 and below, 0 from 1 on, smooth between."""
    t = np.clip(t, 0, 1)
    return (1 - (3 - 2 * t) * t * t).astype(np.float32)


def _padded(pixels: Pixels, window: Window, frame: Window, by: int) -> tuple[Pixels, Window]:
    """With room on all sides: transparent where the picture ends inside the frame, continued where the frame cuts it."""
    top, bottom, left, right = (0 if cut else by for cut in _sides(window, frame))
    clear = cv2.copyMakeBorder(pixels, top, bottom, left, right, cv2.BORDER_CONSTANT)
    rest = [by - n for n in (top, bottom, left, right)]
    return cv2.copyMakeBorder(clear, rest[0], rest[1], rest[2], rest[3], cv2.BORDER_REPLICATE), window.grow(by)


def _depth(inside: NDArray[np.bool_], window: Window, frame: Window) -> NDArray[np.float32]:
    """(h, w) how far inside each pixel lies; beyond the picture nothing is inside, but where the frame cuts it."""
    top, bottom, left, right = (0 if cut else 1 for cut in _sides(window, frame))
    h, w = inside.shape
    closed = np.zeros((h + top + bottom, w + left + right), np.uint8)
    closed[top : top + h, left : left + w] = inside
    if closed.min() == 1:
        return np.full((h, w), np.inf, np.float32)
    return cv2.distanceTransform(closed, cv2.DIST_L2, 3)[top : top + h, left : left + w]


def _sides(window: Window, frame: Window) -> tuple[bool, bool, bool, bool]:
    """Whether the frame cuts off what lies beyond the top, bottom, left and right of a window."""
    return window.y0 <= frame.y0, window.y1 >= frame.y1, window.x0 <= frame.x0, window.x1 >= frame.x1
