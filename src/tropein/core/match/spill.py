"""What is left of a screen's light along the edge of an insert."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.errors import BadInput
from tropein.core.match.measure import MEASURES, WHOLE, Fix, MeasureBase, Seen, laid, planner_below
from tropein.core.matte.screen import excess
from tropein.core.pieces.chroma import ChromaPiece
from tropein.core.raster.colour import encoded

BAND_PX, INNER_PX = 3, 12  # how far in an edge goes; up to where what lies within it is looked at
LEAST_COVER, FEWEST = 0.25, 80  # below that coverage colours are not known well
LEVEL = 2.0 / 255  # of display: an excess below it is none


@MEASURES.add
class Spill(MeasureBase):
    """How much more of its screen's colour lies along its edge than within it, in percent of white."""

    title: ClassVar[str] = "Spill"
    act: ClassVar[str] = "Take the spill off"
    unit: ClassVar[str] = "%"
    order: ClassVar[int] = 35
    looks: ClassVar[int] = 40
    visible_from: ClassVar[float] = 2.5
    kind: Literal["spill"] = "spill"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        known = _key(seen)
        if known is None:
            return 0.0, "It is cut by no key: no screen has left its light on it."
        off, colour = _left(seen, known[1], frame)
        if off < self.visible_from:
            return off, f"Its edge is no more {colour} than what lies within it."
        return off, f"Its edge is {off:.1f} % of white more {colour} than what lies within it."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        known = _key(seen)
        if off < self.visible_from or known is None:
            return None
        matte, key = known
        at = f"/mattes/{matte}/pieces/{key.id}"
        # taken out as a whole first; where it was already, its colour is held down to the other two
        patch: list[dict[str, Any]] = []
        if sample(key.spill, frame) < 1:
            patch += key.spill.set_at(f"{at}/spill", frame, 1.0)
        else:
            patch += key.balance.set_at(f"{at}/balance", frame, 1.0)
        return Fix(label=f"take the screen's light off {seen.layer.name}", patch=patch)


def _key(seen: Seen) -> tuple[str, ChromaPiece] | None:
    """The matte and the key that cut an insert from its own screen."""
    for cut in seen.layer.cuts.values():
        for piece in seen.shot.mattes[cut.matte].in_order:
            if isinstance(piece, ChromaPiece) and piece.layer == seen.layer.id:
                return cut.matte, piece
    return None


def _left(seen: Seen, key: ChromaPiece, frame: int) -> tuple[float, str]:
    """(how much more of the screen's colour its edge shows than its inside, in percent; the colour's name)."""
    planner = planner_below(seen, 1.0)
    step = key.behind(Mattes(planner), planner.shot.layers[seen.layer.id], float(frame))
    screen = None if step is None else seen.renderer.run(step).screen
    if screen is None:
        raise BadInput(f"No screen is seen behind {seen.layer.name} at frame {frame}.")
    pixels = laid(seen, frame).insert
    alpha = np.ascontiguousarray(pixels[..., 3])
    shown = encoded(np.ascontiguousarray(pixels[..., :3] / np.maximum(alpha, LEAST_COVER)[..., None]))
    over = np.maximum(excess(shown, screen.key), 0)
    inside = cv2.distanceTransform((alpha > WHOLE).astype(np.uint8), cv2.DIST_L2, 3)
    edge = (alpha > LEAST_COVER) & (inside <= BAND_PX) & (cv2.dilate(inside, np.ones((2 * BAND_PX + 1,) * 2)) > 0)
    within = (inside > BAND_PX) & (inside <= INNER_PX)
    if edge.sum() < FEWEST or within.sum() < FEWEST:
        raise BadInput(
            f"{seen.layer.name} has too little of an edge at frame {frame} to tell what a screen left on it."
        )
    # a green thing is green at its edge too: beside each pixel of the edge, what lies within it
    weight = within.astype(np.float32)
    share = cv2.GaussianBlur(weight, (0, 0), INNER_PX / 2)
    beside = cv2.GaussianBlur(over * weight, (0, 0), INNER_PX / 2) / np.maximum(share, 1e-4)
    known = edge & (share > 1e-3)
    left = np.maximum(over - beside, 0)[known] * alpha[known]
    return float(np.where(left > LEVEL, left, 0).mean() * 100), ("red", "green", "blue")[screen.key]
