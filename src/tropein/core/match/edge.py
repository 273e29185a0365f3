"""Softness of edges."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.document import new_id
from tropein.core.errors import BadInput
from tropein.core.match.measure import HALF, MEASURES, Fix, MeasureBase, Seen, added, laid
from tropein.core.meets.edge import Edge
from tropein.core.raster.colour import LUMA
from tropein.core.raster.sharpness import edge_sigma

AROUND = 0.5  # of the insert's own size, to each side: what is compared with it


@MEASURES.add
class EdgeSoftness(MeasureBase):
    """How much softer its edge would have to be to be as soft as the edges of what it is laid over, what softens it already not counted."""

    title: ClassVar[str] = "Edge"
    act: ClassVar[str] = "Match the edge to what lies behind"
    unit: ClassVar[str] = "px"
    visible_from: ClassVar[float] = 0.3
    kind: Literal["edge"] = "edge"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        own, around = widths(seen, frame)
        off = -float(np.sqrt(max(around**2 - own**2, 0.0)))
        rest = "" if off < 0 else ": it needs no softening"
        return off, f"Its edge is {own:.1f} px soft, edges behind it {around:.1f} px{rest}."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        layer, px = seen.layer, round(-off, 2)
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
        return Fix(label=f"match the edge of {layer.name} to what lies behind", patch=patch)


def widths(seen: Seen, frame: int) -> tuple[float, float]:
    """(the insert's own, those around it): widths of edges as standard deviations in pixels of the shot. BadInput in words where either
    has no edge to be measured."""
    layer, of = seen.layer, laid(seen, frame)
    pixels, scale = of.insert, of.scale
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
    around = edge_sigma(np.ascontiguousarray(of.under @ LUMA, np.float32), near)
    if around is None:
        raise BadInput("What lies behind has no edges to compare with here: set the softness by eye.")
    return own / scale, around / scale
