"""How much softer an insert's edge must be to be as soft as the edges of what it is laid over."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.scope import group_of
from tropein.core.errors import BadInput, NotFound
from tropein.core.match.sharpness import edge_sigma
from tropein.core.raster.colour import LUMA

AROUND = 0.5  # of the insert's own size, to each side: what is compared with it
MEASURED_WIDTH = 1920
HALF = 0.5


class EdgeMatch(BaseModel):
    """Widths of edges as standard deviations in pixels of the shot: the insert's own, those around it, and the blur that makes
    the one the other (0 where the insert is softer already)."""

    own_px: float
    around_px: float
    soften_px: float


def edge_match(renderer: Renderer, shot: Shot, layer_id: str, frame: int) -> EdgeMatch:
    """Raises BadInput in words where either has no edge to be measured."""
    layer = shot.layers.get(layer_id)
    if layer is None or not layer.content.has_picture or layer_id == shot.plate:
        raise NotFound("There is no such insert in the shot.")
    scale = min(1.0, MEASURED_WIDTH / shot.size[0])
    plain = layer.model_copy(update={"visible": True})
    groups, top = group_of(shot), layer_id
    while top in groups:
        top = groups[top]
    below = shot.stack[shot.stack.index(top) + 1 :]
    planner = renderer.planner(
        shot.model_copy(update={"layers": {**shot.layers, layer_id: plain}, "stack": below}), scale
    )
    window = planner.frame_window
    step = planner.layer(plain, frame)
    pixels = None if step is None else renderer.run(step).fill(window)
    if pixels is None or pixels[..., 3].max() < HALF:
        raise BadInput(f"{layer.name} shows nothing at frame {frame}: go to a frame in which it is seen.")
    own = edge_sigma(np.ascontiguousarray(pixels[..., 3]))
    if own is None:
        raise BadInput(
            f"{layer.name} has no edge at frame {frame}: cut it by a matte first, or go to where it is seen whole."
        )
    rows, columns = np.nonzero(pixels[..., 3] > HALF)
    y0, y1, x0, x1 = rows.min(), rows.max() + 1, columns.min(), columns.max() + 1
    dy, dx = round(AROUND * (y1 - y0)), round(AROUND * (x1 - x0))
    near = np.zeros(pixels.shape[:2], bool)
    near[max(0, y0 - dy) : y1 + dy, max(0, x0 - dx) : x1 + dx] = True
    under = renderer.run(planner.plan(frame)).fill(window)[..., :3] @ LUMA
    around = edge_sigma(np.ascontiguousarray(under, np.float32), near)
    if around is None:
        raise BadInput("What lies behind has no edges to compare with here: set the softness by eye.")
    soften = float(np.sqrt(max(around**2 - own**2, 0.0)))
    return EdgeMatch(
        own_px=round(own / scale, 2), around_px=round(around / scale, 2), soften_px=round(soften / scale, 2)
    )
