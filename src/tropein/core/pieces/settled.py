"""A cut-out's coverage at a frame: as it was carried there, or, where strokes were drawn since, settled at once."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b
from typing import Any, Protocol

import cv2
import numpy as np

from tropein.core.compose.pictures import Cutouts
from tropein.core.compose.step import Step, step
from tropein.core.matte import cutout
from tropein.core.matte.cutout import Stroke
from tropein.core.matte.cutout_file import CutoutFile
from tropein.core.matte.fine import LEAST_REACH_PX, fine
from tropein.core.pieces.carry import HALF, WIDTH
from tropein.core.raster.colour import to_display
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture


class Drawn(Protocol):
    """A stroke of a cut-out (pieces.cutout.CutoutStroke)."""

    frame: int
    keep: bool
    points: list[tuple[float, float]]
    width: float


def strokes_at(strokes: Sequence[Drawn], frame: int) -> list[Stroke]:
    return [Stroke(s.keep, tuple(s.points), s.width) for s in strokes if s.frame == frame]


def by_frame(strokes: Sequence[Drawn]) -> dict[int, list[Stroke]]:
    return {f: strokes_at(strokes, f) for f in sorted({s.frame for s in strokes})}


def mark_of(strokes: list[Stroke]) -> str:
    """What tells strokes from others; "" for none."""
    return blake2b(repr(strokes).encode(), digest_size=8).hexdigest() if strokes else ""


def covered(
    strokes: Sequence[Drawn], samples: str | None, picture: Step, frame: int, size: tuple[int, int], cutouts: Cutouts,
    reach_px: float = 0.0, within: Step | None = None,
) -> Step | None:  # fmt: skip
    """Coverage of the footage's own `picture` (a step) at a frame of the footage, whose full size is `size`; None where nothing was
    drawn and nothing carried to. `reach_px`: in pixels of the picture, how far hairs stand out; `within`: coverage of the picture, where
    they do."""
    made = _plain(strokes, samples or "", picture, frame, size, cutouts)
    if made is None or reach_px < LEAST_REACH_PX:
        return made

    def finer(edge: Coverage, p: Picture, where: Coverage | None = None) -> Coverage:
        plane = fine(to_display(p.pixels[..., :3]), edge.plane, reach_px, None if where is None else where.plane)
        return Coverage(plane, edge.window)

    return step("fine-edge", round(reach_px, 3), (made, picture) if within is None else (made, picture, within), finer)


def _plain(
    strokes: Sequence[Drawn], samples: str, picture: Step, frame: int, size: tuple[int, int], cutouts: Cutouts
) -> Step | None:
    file = cutouts(samples)
    here = strokes_at(strokes, frame)
    carried = file is not None and frame in file.frames
    if file is not None and carried and file.strokes.get(frame, "") == mark_of(here):
        kept = file
        return step("cutout", (samples, frame), (picture,), lambda p: _stored(kept, frame, p))
    if not here:
        return None
    start = file if carried else None
    return step(
        "cutout-strokes", (mark_of(here), samples if carried else "", frame), (picture,),
        lambda p: _settled(p, here, size, start, frame),
    )  # fmt: skip


def _stored(file: CutoutFile, frame: int, picture: Picture) -> Coverage:
    plane = file.coverage(frame)
    assert plane is not None
    return _sized(plane, picture)


def _settled(
    picture: Picture, strokes: list[Stroke], size: tuple[int, int], file: CutoutFile | None, frame: int
) -> Coverage:
    rgb = to_display(picture.pixels[..., :3])
    scale = min(1.0, WIDTH / size[0]) * HALF
    w, h = max(1, round(size[0] * scale)), max(1, round(size[1] * scale))
    half = cv2.resize(rgb, (w, h), interpolation=cv2.INTER_AREA)
    start = None
    if file is not None and (kept := file.coverage(frame)) is not None:
        start = cv2.resize(kept, (w, h), interpolation=cv2.INTER_AREA) > 127
    mask = cutout.settled(half, cutout.marked(strokes, (w, h), scale), start)
    return _sized(cutout.edged(mask, rgb) if rgb.shape[1] >= w else np.uint8(mask) * 255, picture)


def _sized(plane: np.ndarray[Any, Any], picture: Picture) -> Coverage:
    h, w = picture.pixels.shape[:2]
    how = cv2.INTER_AREA if w < plane.shape[1] else cv2.INTER_LINEAR
    fitted = plane if plane.shape == (h, w) else cv2.resize(plane, (w, h), interpolation=how)
    return Coverage(fitted.astype(np.float32) / 255, picture.window)
