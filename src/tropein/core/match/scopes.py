"""Scopes: what values a picture is made of, as pictures of counts. An insert is laid over what lies around it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.raster.colour import DISPLAY, from_codes
from tropein.core.raster.counting import by_column, clipped, luma, on_plane
from tropein.core.raster.picture import Window

Codes = NDArray[np.uint8]
Counts = NDArray[np.float32]
KINDS = ("brightness", "channels", "colours", "histogram")
WIDTH, HEIGHT = 360, 150  # of a scope; that of colours is square
LOOKED_AT = 640  # pixels of the picture's width that are counted
REACH = 0.26  # of OKLab a and b: as far as colours of a display go, nearly
PLATE, INSERT = (0.72, 0.71, 0.68), (0.95, 0.42, 0.52)  # grey, and rose
CHANNELS = ((0.92, 0.36, 0.32), (0.4, 0.82, 0.42), (0.42, 0.58, 1.0))
AROUND = 0.6  # how far around an insert, of its size


@dataclass(frozen=True)
class Scope:
    """(h, w, 3) picture; shares of what is looked at that are white or black in all channels, or clipped in one."""

    picture: Codes
    white: float
    black: float
    insert: bool


@lru_cache(1)
def _places() -> NDArray[np.int32]:
    """(64, 64, 64) where each colour lies on the plane of OKLab's a and b (Ottosson 2020), a to the right, b up: the place in a square of HEIGHT,
    row by row, -1 beyond it."""
    codes = np.minimum(np.arange(64) * 4 + 2, 255).astype(np.uint8)
    light = from_codes(np.repeat(codes[None, :, None], 3, -1), DISPLAY)[0, :, 0].astype(np.float64)
    r, g, b = np.meshgrid(light, light, light, indexing="ij")
    p = np.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b)
    q = np.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b)
    t = np.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b)
    u = 1.9779984951 * p - 2.4285922050 * q + 0.4505937099 * t
    v = 0.0259040371 * p + 0.7827717662 * q - 0.8086757660 * t
    i, j = np.floor((u / REACH + 1) * HEIGHT / 2).astype(int), np.floor((1 - v / REACH) * HEIGHT / 2).astype(int)
    inside = (i >= 0) & (i < HEIGHT) & (j >= 0) & (j < HEIGHT)
    return np.where(inside, j * HEIGHT + i, -1).astype(np.int32)


def luma_of(codes: Codes) -> Codes:
    """(h, w) brightness of display bytes, by the weights of Rec.709."""
    out = np.empty(codes.shape[:2], np.uint8)
    luma(codes, out)
    return out


def counted(kind: str, codes: Codes, weight: NDArray[np.bool_], side: tuple[int, int]) -> list[Counts]:
    """Counts (h, w) of a scope, one plane for each of its colours; "lightness" is a histogram of brightness alone."""
    width, height = side
    over = weight.astype(np.uint8)
    if kind == "colours":
        spots = np.zeros(HEIGHT * HEIGHT, np.float32)
        on_plane(np.ascontiguousarray(codes), over, _places(), spots)
        return [spots.reshape(HEIGHT, HEIGHT)]
    planes = (
        [luma_of(codes)]
        if kind in ("brightness", "lightness")
        else [np.ascontiguousarray(codes[..., c]) for c in range(3)]
    )
    if kind in ("histogram", "lightness"):
        out = []
        for values in planes:
            bars = np.bincount(values[weight], minlength=256).astype(np.float32)
            bars = np.interp(np.linspace(0, 255, width), np.arange(256), bars).astype(np.float32)
            high = np.minimum(bars / max(float(np.percentile(bars, 99)), 1e-9), 1) * height
            out.append((np.arange(height)[::-1, None] < high[None]).astype(np.float32))
        return out
    if kind == "brightness":
        plane = np.zeros((height, width), np.float32)
        by_column(planes[0], over, plane)
        return [plane]
    parts = []
    for c, values in enumerate(planes):
        plane = np.zeros((height, width), np.float32)
        part = np.zeros((height, width // 3 - 2), np.float32)
        by_column(values, over, part)
        plane[:, c * (width // 3) : c * (width // 3) + part.shape[1]] = part
        parts.append(plane)
    return parts


def _inked(counts: Counts, colour: tuple[float, float, float], soft: bool) -> NDArray[np.float32]:
    """Counts as light: few are seen, many do not blind."""
    if soft:
        level = counts * np.float32(0.55)
    else:
        few = counts[counts > 0]
        level = np.sqrt(np.minimum(counts / max(float(np.percentile(few, 97)) if few.size else 1.0, 1.0), 1))
    return np.asarray(level[..., None] * np.array(colour, np.float32), np.float32)


def drawn(kind: str, codes: Codes, insert: NDArray[np.bool_] | None = None) -> Scope:
    """A scope of display bytes (h, w, 3); with an insert, that over what lies around it."""
    side = (HEIGHT, HEIGHT) if kind == "colours" else (WIDTH, HEIGHT)
    everywhere = np.ones(codes.shape[:2], bool)
    sets = [(everywhere, None)] if insert is None else [(_around(insert), PLATE), (insert, INSERT)]
    light = np.zeros((side[1], side[0], 3), np.float32)
    for weight, colour in sets:
        planes = counted("lightness" if colour and kind == "histogram" else kind, codes, weight, side)
        for c, plane in enumerate(planes):
            own = colour or (PLATE if len(planes) == 1 else CHANNELS[c])
            light = (
                np.maximum(light, _inked(plane, own, kind == "histogram"))
                if colour
                else light + _inked(plane, own, kind == "histogram")
            )
    n, white, black = clipped(codes, (everywhere if insert is None else insert).astype(np.uint8))
    return Scope(
        np.rint(np.clip(light, 0, 1) * 255).astype(np.uint8), white / max(n, 1), black / max(n, 1), insert is not None
    )


def _around(insert: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What lies around an insert and is none of it; everything, where nothing is left."""
    rows, columns = np.flatnonzero(insert.any(1)), np.flatnonzero(insert.any(0))
    out = ~insert
    if rows.size:
        y, x = (AROUND * (v[-1] - v[0] + 1) + 4 for v in (rows, columns))
        near = np.zeros_like(insert)
        near[
            max(0, int(rows[0] - y)) : int(rows[-1] + y) + 1, max(0, int(columns[0] - x)) : int(columns[-1] + x) + 1
        ] = True
        if (out & near).any():
            return out & near
    return out if out.any() else np.ones_like(insert)


def scopes(renderer: Renderer, shot: Shot, frame: int, kinds: list[str], layer_id: str = "", region: tuple[float, float, float, float] | None = None) -> list[Scope]:  # fmt: skip
    """Scopes of a frame of a shot: of all of it, of a region (x, y, width, height in shot pixels), or of a layer against what lies around it."""
    w, h = shot.size
    scale = min(1.0, LOOKED_AT / w)
    planner = renderer.planner(shot, scale, "draft")
    window = planner.frame_window
    codes = renderer.shown(planner.plan(frame), window)
    layer = shot.layers.get(layer_id)
    if layer is not None and layer.content.has_picture and layer.id != shot.plate:
        step = planner.layer(layer, frame)
        alpha = None if step is None else renderer.run(step).fill(window)[..., 3]
        if alpha is not None and (alpha > 0.5).sum() > 8:
            return [drawn(kind, codes, alpha > 0.5) for kind in kinds]
    if region is not None:
        x, y, wide, high = (v * scale for v in region)
        part = Window(int(x), int(y), int(np.ceil(x + wide)), int(np.ceil(y + high))).meet(window)
        if not part.empty:
            codes = codes[part.y0 : part.y1, part.x0 : part.x1]
    codes = np.ascontiguousarray(codes)
    return [drawn(kind, codes) for kind in kinds]


def coded(of: Scope) -> bytes:
    """Its picture as a PNG."""
    done, data = cv2.imencode(".png", of.picture[..., ::-1])
    assert done
    return bytes(data)
