"""Which tones and hues a picture has: what sheets draw their ramps and strips from."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.effects.hue_band import CB, CR
from tropein.core.raster.colour import LUMA, encoded

TONES, HUES, LOOKED_AT, LEAST_CHROMA = 64, 48, 320, 0.02


class Tones(BaseModel):
    """Counts 0..1 of the most: of display brightness from black to white, and of hues by their angle in the plane of chroma from blue on, weighted by how
    strong they are."""

    brightness: list[float]
    hues: list[float]


def tones(renderer: Renderer, shot: Shot, frame: int, layer_id: str = "", effect: str = "") -> Tones:
    """Of what a layer shows (of a veil or plate, of the whole picture) as it is without one of its effects."""
    seen = looked_at(shot, Look(without=layer_id, effect=effect)) if effect else shot
    scale = min(1.0, LOOKED_AT / shot.size[0])
    planner = renderer.planner(seen, scale, "draft")
    window = planner.frame_window
    layer = seen.layers.get(layer_id)
    step = planner.layer(layer, frame) if layer is not None and layer.content.has_picture else planner.plan(frame)
    pixels = np.zeros((1, 1, 4), np.float32) if step is None else renderer.run(step).fill(window)
    alpha = pixels[..., 3]
    whole = alpha > 0.5
    if not whole.any():
        return Tones(brightness=[0.0] * TONES, hues=[0.0] * HUES)
    display = encoded(np.ascontiguousarray((pixels[whole][:, :3] / alpha[whole][:, None])[None], np.float32))[0]
    luma = display @ LUMA
    p, q = (display[:, 2] - luma) * CB, (display[:, 0] - luma) * CR
    chroma = np.hypot(p, q)
    at = np.mod(np.arctan2(q, p) / (2 * np.pi), 1)
    strong = chroma > LEAST_CHROMA
    counts = np.bincount((np.clip(luma, 0, 0.9999) * TONES).astype(int), minlength=TONES).astype(float)
    hues = np.bincount((at[strong] * HUES).astype(int) % HUES, chroma[strong], minlength=HUES)
    return Tones(brightness=_of_most(counts), hues=_of_most(hues))


def _of_most(counts: np.ndarray) -> list[float]:  # type: ignore[type-arg]
    top = float(np.percentile(counts, 98)) or float(counts.max()) or 1.0
    return [round(float(v), 3) for v in np.minimum(counts / top, 1)]
