"""From pictures and mattes to what is shown: all channels, one, luminance; over a checker or a plain ground."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.look import PLAIN, View
from tropein.core.document import Cut, Shot
from tropein.core.document.scope import group_of
from tropein.core.matte.solid import faults, largest_px
from tropein.core.raster.colour import LUMA, to_display
from tropein.core.raster.coverage import Coverage, Plane
from tropein.core.raster.picture import Picture, Pixels, Window, over_checker

ON: dict[str, float] = {"on-black": 0.0, "on-grey": 0.18, "on-white": 1.0}
HOLE, CRUMB = (240, 196, 60), (96, 200, 214)  # as shown, 0..255
TINT = np.array([0.62, 0.2, 0.26], np.float32)  # the matte's own rose, linear


def display(picture: Picture, window: Window, view: View = "picture", checker: bool = False) -> NDArray[np.uint8]:
    """(h, w, 3) display-encoded bytes of the window, over black, or over a faint checker."""
    pixels = picture.fill(window) if picture.window != window else picture.pixels
    if view == "alpha":
        grey = np.rint(np.clip(pixels[..., 3], 0, 1) * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, 2)
    if view == "clipped":
        return _clipped(pixels)
    if view == "luminance":
        pixels = np.repeat((pixels[..., :3] @ LUMA)[..., None], 4, 2)
    elif view in ("red", "green", "blue"):
        channel = ("red", "green", "blue").index(view)
        pixels = np.repeat(pixels[..., channel : channel + 1], 4, 2)
    if checker:
        pixels = over_checker(pixels)
    return to_display(np.ascontiguousarray(pixels, np.float32))


def _clipped(pixels: Pixels) -> NDArray[np.uint8]:
    """The picture in quiet grey; what is clipped to white in a channel, to black in all, or below black in one, is hatched."""
    rgb = pixels[..., :3]
    grey = to_display(np.ascontiguousarray(np.repeat((rgb @ LUMA)[..., None], 4, 2), np.float32))
    codes = (grey * 0.7 + 26).astype(np.uint8)
    y, x = np.mgrid[0 : rgb.shape[0], 0 : rgb.shape[1]]
    hatched = (x + y) % 6 < 4
    for where, colour in (
        (rgb.max(-1) >= WHITE_FROM, OVER),
        (rgb.max(-1) <= BLACK_TO, UNDER),
        (rgb.min(-1) < -BLACK_TO, BELOW),
    ):
        codes[where & hatched] = colour
    return codes


WHITE_FROM, BLACK_TO = 0.996, 1e-4  # linear: the last code of a display, and less than half of its first
OVER, UNDER, BELOW = (224, 135, 99), (92, 150, 214), (176, 110, 200)


def cut_alone(shot: Shot, matte_id: str) -> Shot:
    """Only what a matte cuts: the layers cut by it, or where none is, the layer it looks at, or the plate."""
    chosen = [
        i
        for i, layer in shot.layers.items()
        if layer.content.has_picture and i != shot.plate and any(c.matte == matte_id for c in layer.cuts.values())
    ]
    layers = {i: shot.layers[i] for i in chosen}
    if not chosen:
        looked_at = [p.looks_at for p in shot.mattes[matte_id].in_order]
        chosen = [i for i in (*looked_at, shot.plate) if i][:1]
        cut = {"cut": Cut(id="cut", matte=matte_id)}
        layers = {i: shot.layers[i].model_copy(update={"cuts": cut, **PLAIN}) for i in chosen}
    update = {"visible": True, "span": None, "blend": "normal"}
    kept = {i: layer.model_copy(update=update) for i, layer in layers.items()}
    groups, at = group_of(shot), list(kept)
    while at:
        if (above := groups.get(at.pop())) is not None and above not in kept:
            kept[above] = shot.layers[above].model_copy(update={"visible": True})
            at.append(above)
    rest = {i: layer.model_copy(update={"visible": False}) for i, layer in shot.layers.items() if i not in kept}
    return shot.model_copy(update={"layers": {**rest, **kept}})


def display_matte(picture: Picture, coverage: Coverage, view: View) -> NDArray[np.uint8]:
    """(h, w, 3) bytes: the matte in grey; "matte-soft" marks what is neither full nor empty; "matte-faults"
    small holes in the solid and crumbs in the clear; "matte-tint" lays the matte
    over the picture as a tint; "on-..." shows the picture over a plain ground."""
    window, plane = coverage.window, coverage.plane[..., None]
    if view == "matte":
        grey = np.rint(coverage.plane * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, 2)
    if view == "matte-soft":
        grey = np.rint(coverage.plane * 200).astype(np.uint8)
        codes = np.repeat(grey[..., None], 3, 2)
        faint, holed = (coverage.plane > 0) & (coverage.plane < 0.5), (coverage.plane >= 0.5) & (coverage.plane < 1)
        codes[faint] = np.stack([120 + grey[faint], grey[faint] // 2, grey[faint] // 2], -1)
        codes[holed] = np.stack([grey[holed] // 3, grey[holed], np.minimum(60 + grey[holed], 255)], -1)
        return codes
    if view == "matte-faults":
        return _faults(coverage.plane)
    pixels = picture.fill(window)
    if view == "matte-tint":
        shown = pixels.copy()
        shown[..., :3] = pixels[..., :3] * (1 - 0.6 * plane) + TINT * 0.6 * plane
        return to_display(shown)
    if view in ON:
        pixels[..., :3] += np.float32(ON[view]) * (1 - pixels[..., 3:4])
        return to_display(pixels)
    return to_display(np.ascontiguousarray(over_checker(pixels), np.float32))


def _faults(plane: Plane) -> NDArray[np.uint8]:
    """The matte dimmed; holes and crumbs, made wide enough to be seen, in two colours."""
    most = largest_px(plane.shape[1], plane.shape[0])
    found = faults(plane, most, most)
    codes = np.repeat(np.rint(20 + plane * 110).astype(np.uint8)[..., None], 3, 2)
    around = np.ones((5, 5), np.uint8)
    for mask, colour in ((found.crumbs, CRUMB), (found.holes, HOLE)):
        wide = cv2.dilate(mask.astype(np.uint8), around).astype(bool)
        codes[wide & ~mask] = np.rint(np.array(colour) * 0.45).astype(np.uint8)
        codes[mask] = colour
    return codes
