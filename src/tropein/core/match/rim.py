"""A light or dark rim along the edge of an insert."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.document import new_id
from tropein.core.errors import BadInput
from tropein.core.match.measure import HALF, MEASURES, WHOLE, Fix, MeasureBase, Seen, added, brightness, laid, lightness
from tropein.core.meets.edge import Edge

BESIDE_PX = 7  # how far in, and out, what an edge lies between is looked for
BAND_PX = 3
FEWEST = 60
WIDTH_PX = 3.0
MOST_STOPS = 2.0


@MEASURES.add
class Rim(MeasureBase):
    """How much lighter (or, below 0, darker) its edge is than both what lies within it and what lies behind: what is left of a screen, or of another
    place, shows so."""

    title: ClassVar[str] = "Rim"
    act: ClassVar[str] = "Take the rim off"
    unit: ClassVar[str] = "L*"
    order: ClassVar[int] = 45
    visible_from: ClassVar[float] = 4.0
    kind: Literal["rim"] = "rim"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        off, _ = _rim(seen, frame)
        if abs(off) < self.visible_from:
            return off, "Its edge is neither lighter nor darker than what it lies between."
        return off, f"Along its edge runs a {'light' if off > 0 else 'dark'} rim of {abs(off):.1f} L*."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        if abs(off) < self.visible_from:
            return None
        _, stops = _rim(seen, frame)
        layer = seen.layer
        edge = next((m for m in layer.meetings if isinstance(m, Edge)), None)
        patch: list[dict[str, Any]]
        if edge is not None:
            value = round(edge.exposure.value + stops, 2)
            patch = edge.exposure.set_at(f"/layers/{layer.id}/meets/{edge.id}/exposure", frame, value)
        else:
            made = Edge.model_validate(
                {"kind": "edge", "id": new_id(), "width": {"value": WIDTH_PX}, "exposure": {"value": round(stops, 2)}}
            )
            patch = added(layer, "meets", made)
        return Fix(label=f"take the rim off {layer.name}", patch=patch, to=f"by {stops:+.1f} stops")


def _rim(seen: Seen, frame: int) -> tuple[float, float]:
    """(how many L* the edge lies beyond what is on either side, the stops by which its own light would have to change)."""
    of = laid(seen, frame)
    alpha = np.ascontiguousarray(of.insert[..., 3])
    inner, outer = (
        _near(alpha > WHOLE, of.insert[..., :3] / np.maximum(alpha, 1e-3)[..., None]),
        _near(alpha < 0.02, of.under),
    )
    solid = (alpha > HALF).astype(np.uint8)
    kernel = np.ones((2 * BAND_PX + 1,) * 2, np.uint8)
    band = (cv2.dilate(solid, kernel) > 0) & (
        cv2.erode(np.pad(solid, BAND_PX, mode="edge"), kernel)[BAND_PX:-BAND_PX, BAND_PX:-BAND_PX] == 0
    )
    band &= (alpha > 0.1) & (inner[1] > 0) & (outer[1] > 0)
    if band.sum() < FEWEST:
        raise BadInput(f"{seen.layer.name} has too little of an edge at frame {frame} to tell whether it has a rim.")
    cover = alpha[band][:, None]
    light = of.insert[band][:, :3] + (1 - cover) * of.under[band]
    shown = [lightness(brightness(v[None])[0]) for v in (light, inner[0][band], outer[0][band])]
    low, high = np.minimum(shown[1], shown[2]), np.maximum(shown[1], shown[2])
    beyond = np.where(shown[0] > high, shown[0] - high, np.where(shown[0] < low, shown[0] - low, 0))
    off = float(np.mean(beyond))
    mean = [float(v.mean()) for v in (of.insert[band][:, :3] / cover, inner[0][band])]
    stops = float(np.clip(np.log2(max(mean[1], 1e-4) / max(mean[0], 1e-4)), -MOST_STOPS, MOST_STOPS))
    return off, stops


def _near(where: Any, light: Any) -> tuple[Any, Any]:
    """What is `where`, gone on for some pixels beyond it, and how much of it there is."""
    weight = where.astype(np.float32)
    # what touches the edge is still mixed
    weight = cv2.erode(weight, np.ones((3, 3), np.uint8))
    sigma = BESIDE_PX / 2
    share = cv2.GaussianBlur(weight, (0, 0), sigma)
    mean = (
        cv2.GaussianBlur(np.asarray(light, np.float32) * weight[..., None], (0, 0), sigma)
        / np.maximum(share, 1e-4)[..., None]
    )
    return mean, share > 0.01
