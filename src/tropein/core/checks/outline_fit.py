"""Where an outline fits its picture worst: by how far the edges it lies on have moved across it since its nearest keys.

The plate along the outline, laid flat as a ribbon (so many places along it, so far across it), is compared place by place with the ribbon of
a frame in which a person set the outline: the shift across that makes both most alike is how far it is off there.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.render import Renderer
from tropein.core.compose.view import display
from tropein.core.document import Shot
from tropein.core.errors import NotFound
from tropein.core.pieces.shape import ShapePiece

Array = NDArray[np.float64]
CHECKED_WIDTH = 640
PLACES, REACH = 96, 32  # along the outline, and pixels of the checked picture to each side
SHIFT = 18  # how far off is looked for; what would lie there or beyond is not believed
NEIGHBOURS = 2  # places to each side that are compared together
LEAST_EDGE = 12.0  # grey levels along a ribbon: less is no edge, and tells nothing
LEAST_ALIKE = 0.7
APART, ALONE = 4, 0.1  # pixels from the best shift on, nothing may be nearly as much alike
LEAST_SHARE = 0.15  # of the places must tell
TOLD = 75  # percentile of how far places are off: most fit, the hint is of those that do not


class OutlineFit(BaseModel):
    """One frame: about how far off the outline is, in pixels of the shot; None where nothing tells."""

    frame: int
    off_px: float | None


def outline_fit(renderer: Renderer, shot: Shot, matte: str, piece: str, frame: int) -> OutlineFit:
    """Raises NotFound where there is no such shape."""
    shape = shot.mattes[matte].pieces.get(piece) if matte in shot.mattes else None
    if not isinstance(shape, ShapePiece):
        raise NotFound("There is no such shape in the matte.")
    set_by_hand = sorted(k.frame for k in shape.outline.keys) or [
        shape.ride.reference_frame if shape.ride else shot.trim[0]
    ]
    near = {
        max((k for k in set_by_hand if k <= frame), default=set_by_hand[0]),
        min((k for k in set_by_hand if k >= frame), default=set_by_hand[-1]),
    }
    if frame in near:
        return OutlineFit(frame=frame, off_px=0.0)
    scale = min(1.0, CHECKED_WIDTH / shot.size[0])
    here = _ribbon(renderer, shot, shape, frame, scale)
    there = [r for k in near if (r := _ribbon(renderer, shot, shape, k, scale)) is not None]
    if here is None or not there:
        return OutlineFit(frame=frame, off_px=None)
    shifts = np.array([shifts_across(then, here) for then in there])
    told = ~np.isnan(shifts).all(0)
    if told.mean() < LEAST_SHARE:
        return OutlineFit(frame=frame, off_px=None)
    off = np.nanmin(np.abs(shifts[:, told]), 0)
    return OutlineFit(frame=frame, off_px=round(float(np.percentile(off, TOLD)) / scale, 2))


def _ribbon(renderer: Renderer, shot: Shot, shape: ShapePiece, frame: int, scale: float) -> NDArray[np.float32] | None:
    """(places, across) grey levels of the plate along the outline of a frame."""
    planner = renderer.planner(looked_at(shot, Look(of="plate")), scale)
    drawn = shape.drawn(Mattes(renderer.planner(shot, scale)), frame)
    if drawn is None:
        return None
    grey = cv2.cvtColor(display(renderer.run(planner.plan(frame)), planner.frame_window), cv2.COLOR_RGB2GRAY)
    return ribbon(grey, drawn[0], shape.closed)


def ribbon(grey: NDArray[np.uint8], vertices: Array, closed: bool) -> NDArray[np.float32]:
    """(places, across) of a picture along an outline (n, 2), pixels with corners at whole numbers."""
    ends = np.concatenate([vertices, vertices[:1]]) if closed else vertices
    way = np.r_[0, np.cumsum(np.linalg.norm(np.diff(ends, axis=0), axis=1))]
    at = np.linspace(0, way[-1], PLACES, endpoint=not closed)
    places = np.stack([np.interp(at, way, ends[:, k]) for k in (0, 1)], 1)
    along = np.roll(places, -1, 0) - np.roll(places, 1, 0) if closed else np.gradient(places, axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-6)
    across = np.stack([-along[:, 1], along[:, 0]], 1)
    samples = places[:, None] + np.arange(-REACH, REACH + 1)[None, :, None] * across[:, None] - 0.5
    calm = cv2.GaussianBlur(grey.astype(np.float32), (0, 0), 1.0)
    x, y = (samples[..., k].astype(np.float32) for k in (0, 1))
    return np.asarray(cv2.remap(calm, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def shifts_across(then: NDArray[np.float32], now: NDArray[np.float32]) -> Array:
    """(places,) pixels by which what lay across the outline has moved; NaN where there is no edge, or it is not found again."""
    core = slice(SHIFT, 2 * REACH + 1 - SHIFT)
    edges = np.ptp(then[:, REACH - 5 : REACH + 6], axis=1) > LEAST_EDGE
    reference = _normal(_joined(then)[:, core])
    alike = np.stack(
        [
            (reference * _normal(_joined(now)[:, core.start + d : core.stop + d])).sum(1)
            for d in range(-SHIFT, SHIFT + 1)
        ],
        1,
    )
    best = alike.argmax(1)
    high = alike.max(1)
    elsewhere = np.where(np.abs(np.arange(2 * SHIFT + 1)[None] - best[:, None]) > APART, alike, -1).max(1)
    found = edges & (high > LEAST_ALIKE) & (high > elsewhere + ALONE) & (best > 0) & (best < 2 * SHIFT)
    return np.where(found, best - float(SHIFT), np.nan)


def _joined(strip: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each place with its neighbours, averaged."""
    return np.asarray(cv2.blur(strip, (1, 2 * NEIGHBOURS + 1), borderType=cv2.BORDER_REFLECT))


def _normal(rows: NDArray[np.float32]) -> NDArray[np.float32]:
    rows = rows - rows.mean(1, keepdims=True)
    return rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-3)
