"""A small picture of a shot about one of its layers, to choose by."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.raster.picture import Window

FIND_WIDTH, LEAST_SHARE, MARGIN, SEEN = 240, 0.16, 0.3, 0.02
Box = tuple[float, float, float, float]


def about(renderer: Renderer, shot: Shot, layer_id: str, frame: int) -> Box:
    """(x, y, width, height) in shot pixels of what a layer shows at a frame with room around it, as wide to its height as the frame; the whole
    frame for what has no picture."""
    w, h = shot.size
    layer = shot.layers.get(layer_id)
    if layer is None or not layer.content.has_picture:
        return 0.0, 0.0, float(w), float(h)
    scale = min(1.0, FIND_WIDTH / w)
    planner = renderer.planner(shot, scale, "draft")
    step = planner.layer(layer, frame)
    window = planner.frame_window
    seen = step is not None and (renderer.run(step).fill(window).max(-1) > SEEN)
    if seen is False or not np.any(seen):
        return 0.0, 0.0, float(w), float(h)
    ys, xs = np.nonzero(seen)
    (x0, x1), (y0, y1) = ((float(v.min()) / scale, float(v.max() + 1) / scale) for v in (xs, ys))
    share = min(1.0, max((x1 - x0) / w, (y1 - y0) / h, LEAST_SHARE) * (1 + MARGIN))
    x = min(max((x0 + x1 - share * w) / 2, 0.0), w * (1 - share))
    y = min(max((y0 + y1 - share * h) / 2, 0.0), h * (1 - share))
    return x, y, share * w, share * h


def closely(renderer: Renderer, shot: Shot, box: Box, frame: int, width: int) -> NDArray[np.uint8]:
    """(h, width, 3) display bytes of that part of a shot's frame."""
    x, y, w, h = box
    scale = min(1.0, width / w)
    planner = renderer.planner(shot, scale, "draft")
    x0, y0 = round(x * scale), round(y * scale)
    part = Window(x0, y0, x0 + max(1, round(w * scale)), y0 + max(1, round(h * scale)))
    codes = renderer.shown(planner.plan(frame), part)
    return (
        codes if scale < 1 else cv2.resize(codes, (width, max(1, round(width * h / w))), interpolation=cv2.INTER_CUBIC)
    )
