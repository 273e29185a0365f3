"""What a content makes by itself, over a plain ground: small pictures to choose by."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.render import Renderer
from tropein.core.document import Layer, Shot
from tropein.core.document.content import CONTENTS, DRAWN_FOR, ContentBase
from tropein.core.effects import sampled
from tropein.core.errors import NotFound
from tropein.core.raster.colour import to_display
from tropein.core.raster.picture import Pixels

GROUND, DARK = 0.18, 0.012  # linear; what covers is seen on the one, what only adds light on the other
LEAST_COVER = 0.02


def alone(renderer: Renderer, kind: str, start: str, frame: float, width: int) -> NDArray[np.uint8]:
    """(h, width, 3) display bytes of a kind of content as it begins, or of one of its starts."""
    cls = CONTENTS.known().get(kind)
    if cls is None or (start and start not in cls.starts):
        raise NotFound("There is nothing of that name to make.")
    w, h = DRAWN_FOR
    layer = Layer.model_validate(
        {
            "id": "it",
            "name": "It",
            "content": {"kind": kind, **cls.begun(start, DRAWN_FOR)},
            "place": {"position": {"value": (w / 2, h / 2)}},
        }
    )
    shot = Shot(name="It", size=(w, h), rate="24/1", frames=240, trim=(0, 239), layers={"it": layer}, stack=["it"])
    planner = renderer.planner(shot, width / w)
    window = planner.frame_window
    pixels = renderer.run(planner.plan(frame)).fill(window)
    return _grounded(pixels)


AGES, SIDE = 7, 44


def over_its_life(content: ContentBase, frame: float) -> NDArray[np.uint8]:
    """(SIDE, AGES * SIDE, 3) display bytes of one of the many that a content makes, from birth to end, as its parameters are at a frame."""
    ages = (np.arange(AGES) + 0.5) / AGES
    return _grounded(content.aged(sampled(content, frame), ages, SIDE))


def _grounded(pixels: Pixels) -> NDArray[np.uint8]:
    covers = float(pixels[..., 3].max()) > LEAST_COVER
    out = np.ones_like(pixels)
    out[..., :3] = pixels[..., :3] + (1 - pixels[..., 3:]) * np.float32(GROUND if covers else DARK)
    return to_display(out)
