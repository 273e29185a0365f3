"""Softness of edges."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import new_id
from tropein.core.errors import BadInput
from tropein.core.match.measure import HALF, MEASURES, Fix, MeasureBase, Seen, added, brightness, laid, lightness
from tropein.core.match.sharpness import inner_width
from tropein.core.meets.edge import Edge
from tropein.core.raster.colour import LUMA
from tropein.core.raster.sharpness import edge_sigma

BESIDE_PX, SHOWS, LEAST_SHARE = 4, 3.0, 0.15  # of an edge; L* from which it is one; of its length
AROUND = 0.5  # of the insert's own size, to each side: what is compared with it


@MEASURES.add
class EdgeSoftness(MeasureBase):
    """How much softer its edge would have to be to be as soft as the edges of what it is laid over."""

    title: ClassVar[str] = "Edge"
    act: ClassVar[str] = "Match the edge"
    unit: ClassVar[str] = "px"
    order: ClassVar[int] = 40
    by_meeting: ClassVar[bool] = True
    visible_from: ClassVar[float] = 0.3
    kind: Literal["edge"] = "edge"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        if _hidden(seen, frame):
            return 0.0, "Along its edge it looks like what lies behind: no edge shows."
        own, around = widths(seen, frame)
        wanted, has = lacks(own, around), _softened(seen, frame)
        off = -float(np.sqrt(max(wanted**2 - has**2, 0.0)))
        rest = "" if wanted > 0 else ": it needs no softening"
        more = f", softened by {has:.1f} px" if has > 0 else ""
        return off, f"Its outline is {own:.1f} px soft{more}, edges within it or behind it {around:.1f} px{rest}."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        layer, px = seen.layer, round(lacks(*widths(seen, frame)), 2)
        edge = next((m for m in layer.meetings if isinstance(m, Edge)), None)
        at = f"/layers/{layer.id}"
        patch: list[dict[str, Any]]
        if edge is not None:
            patch = edge.soften.set_at(f"{at}/meets/{edge.id}/soften", frame, px)
        elif px > 0:
            made = Edge.model_validate({"id": new_id(), "soften": {"value": px}})
            patch = added(layer, "meets", made)
        else:
            return None
        return Fix(label=f"match the edge of {layer.name} to what lies behind", patch=patch, to=f"{px:.1f} px softer")


def lacks(own: float, around: float) -> float:
    """By how much an edge has to be softened to be as soft as those around it."""
    return float(np.sqrt(max(around**2 - own**2, 0.0)))


def _softened(seen: Seen, frame: int) -> float:
    return max((sample(m.soften, frame) for m in seen.layer.meetings if isinstance(m, Edge) and m.on), default=0.0)


def _hidden(seen: Seen, frame: int) -> bool:
    """Whether an insert looks, along nearly all of its edge, like what it covers there."""
    of = laid(seen, frame)
    alpha = of.insert[..., 3]
    solid = (alpha > HALF).astype(np.uint8)
    kernel = np.ones((2 * BESIDE_PX + 1,) * 2, np.uint8)
    band = (solid > 0) & (
        cv2.erode(np.pad(solid, BESIDE_PX, mode="edge"), kernel)[BESIDE_PX:-BESIDE_PX, BESIDE_PX:-BESIDE_PX] == 0
    )
    if not band.any():
        return False
    # as seen from afar: grain and fine detail make no edge
    sides = [
        cv2.GaussianBlur(lightness(brightness(p)), (0, 0), 2.0)
        for p in (of.insert[..., :3] + (1 - alpha[..., None]) * of.under, of.under)
    ]
    return float((np.abs(sides[0] - sides[1])[band] > SHOWS).mean()) < LEAST_SHARE


def widths(seen: Seen, frame: int) -> tuple[float, float]:
    """(of the insert's outline, of edges within it or, where it shows none, around it): widths of edges as standard deviations in pixels of the shot. BadInput
    in words where either cannot be measured."""
    layer, of = seen.layer, laid(seen, frame, met=False)
    pixels, scale = of.insert, of.scale
    own = edge_sigma(np.ascontiguousarray(pixels[..., 3]))
    if own is None:
        raise BadInput(
            f"{layer.name} has no edge at frame {frame}: cut it by a matte first, or go to where it is seen whole."
        )
    inner = inner_width(seen, laid(seen, frame))
    if inner is not None:  # its outline is as sharp as it is itself: what lies behind may be out of focus
        return own / scale, inner / scale
    rows, columns = np.nonzero(pixels[..., 3] > HALF)
    y0, y1, x0, x1 = rows.min(), rows.max() + 1, columns.min(), columns.max() + 1
    dy, dx = round(AROUND * (y1 - y0)), round(AROUND * (x1 - x0))
    near = np.zeros(pixels.shape[:2], bool)
    near[max(0, y0 - dy) : y1 + dy, max(0, x0 - dx) : x1 + dx] = True
    around = edge_sigma(np.ascontiguousarray(of.under @ LUMA, np.float32), near)
    if around is None:
        raise BadInput("What lies behind has no edges to compare with here: set the softness by eye.")
    return own / scale, around / scale
