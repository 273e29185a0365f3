"""Whether a chroma key sees a screen at a frame, and which colour it has."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.errors import NotFound
from tropein.core.pieces.chroma import ChromaPiece

LOOKED_AT_WIDTH = 480


class ScreenSeen(BaseModel):
    """One frame; `colour` is the screen's usual one, linear Rec.709, None where there is no screen to be seen."""

    frame: int
    colour: tuple[float, float, float] | None


def screen_seen(renderer: Renderer, shot: Shot, matte: str, piece: str, frame: int) -> ScreenSeen:
    """Raises NotFound where there is no such key."""
    key = shot.mattes[matte].pieces.get(piece) if matte in shot.mattes else None
    layer = shot.layers.get(key.layer) if isinstance(key, ChromaPiece) else None
    if not isinstance(key, ChromaPiece) or layer is None:
        raise NotFound("There is no such chroma key in the matte.")
    planner = renderer.planner(shot, min(1.0, LOOKED_AT_WIDTH / shot.size[0]))
    behind = key.behind(Mattes(planner), layer, frame)
    screen = None if behind is None else renderer.run(behind).screen
    if screen is None:
        return ScreenSeen(frame=frame, colour=None)
    red, green, blue = (round(float(v), 5) for v in np.median(screen.light.reshape(-1, 3), axis=0))
    return ScreenSeen(frame=frame, colour=(red, green, blue))
