"""Sharpness of what is within an insert."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.document import new_id
from tropein.core.effects.blur import Blur
from tropein.core.errors import BadInput
from tropein.core.match.measure import (
    MEASURES,
    Fix,
    Laid,
    MeasureBase,
    Seen,
    added,
    brightness,
    inside_of,
    laid,
    plate_picture,
    ring,
)
from tropein.core.raster.sharpness import edge_sigma

SHARPEST = 25.0  # of a hundred edges are sharper: those of the lens, not of what is out of focus
INWARDS = 9  # pixels of an insert's outline that are not its inside


@MEASURES.add
class Sharpness(MeasureBase):
    """How much softer it is than most of what lies around it, or (below 0) how much sharper than anything in the plate, by the width of edges."""

    title: ClassVar[str] = "Sharpness"
    act: ClassVar[str] = "Soften it"
    unit: ClassVar[str] = "px"
    order: ClassVar[int] = 30
    visible_from: ClassVar[float] = 0.6
    kind: Literal["sharpness"] = "sharpness"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        own, sharpest, usual = _widths(seen, frame)
        words = f"The sharpest edges in it are {own:.1f} px wide, those of the plate from {sharpest:.1f} px, around it mostly {usual:.1f} px"
        if own < sharpest:
            return own - sharpest, f"{words}: it is sharper than any of them."
        if own > usual:
            return own - usual, f"{words}: it is softer."
        return 0.0, f"{words}."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        layer = seen.layer
        own, sharpest, usual = _widths(seen, frame)
        around = sharpest if off < 0 else usual
        blur = next((e for e in layer.looks if isinstance(e, Blur) and e.on and not e.cuts), None)
        by = _scale_of(seen, frame)
        had = 0.0 if blur is None else blur.radius.value * by
        radius = round(float(np.sqrt(max(had**2 + around**2 - own**2, 0.0))) / by, 2)
        patch: list[dict[str, Any]]
        if blur is not None:
            patch = blur.radius.set_at(f"/layers/{layer.id}/effects/{blur.id}/radius", frame, radius)
        elif radius > 0.1:
            patch = added(
                layer, "effects", Blur.model_validate({"kind": "blur", "id": new_id(), "radius": {"value": radius}})
            )
        else:
            return None  # what is too soft was never sharp: no filter brings it back
        return Fix(label=f"soften {layer.name} to what lies around it", patch=patch, to=f"blurred by {radius:.1f} px")


def _scale_of(seen: Seen, frame: int) -> float:
    """Shot pixels of one of the layer's own."""
    matrix = seen.renderer.planner(seen.shot).places.matrix(seen.layer, frame)
    return 1.0 if matrix is None else max(float(np.sqrt(abs(np.linalg.det(matrix[:2, :2])))), 1e-3)


def inner_width(seen: Seen, of: Laid) -> float | None:
    """How wide the sharpest edges within an insert are, in pixels of the picture; None where it shows none."""
    straight = of.insert[..., :3] / np.maximum(of.insert[..., 3], 1e-3)[..., None]
    return edge_sigma(brightness(straight), inside_of(of, INWARDS), SHARPEST)


def _widths(seen: Seen, frame: int) -> tuple[float, float, float]:
    """(the sharpest edges within the insert, the sharpest of the plate, most of those around it) in pixels of the shot. BadInput in words where
    there are none."""
    of = laid(seen, frame)
    own = inner_width(seen, of)
    if own is None:
        raise BadInput(
            f"Within {seen.layer.name} there are no edges at frame {frame} by which sharpness could be told."
        )
    plate = plate_picture(seen, frame)
    sharpest = edge_sigma(brightness(of.under if plate is None else plate), None, SHARPEST)
    usual = edge_sigma(brightness(of.under), ring(of))
    if sharpest is None or usual is None:
        raise BadInput("What lies around has no edges to compare with here: set its softness by eye.")
    return own / of.scale, min(sharpest, usual) / of.scale, usual / of.scale
