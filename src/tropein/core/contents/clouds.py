"""Clouds."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, control
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Window

FRAMES = 24.0  # what speeds are counted in


@CONTENTS.add
class CloudsContent(ContentBase):
    """Moving clouds between two colours, clear where they are thin: mist, fire, energy, or what drives a matte."""

    title: ClassVar[str] = "Clouds"
    varies: ClassVar[bool] = True
    kind: Literal["clouds"] = "clouds"
    billow: AnimatedNumber = control(160.0, "Size", soft=(4, 800), hard=(2, 8000), step=1, unit="px")
    stretch: AnimatedNumber = control(1.5, "Stretch", soft=(0.1, 10), hard=(0.02, 50), help="How much wider than high.")
    detail: AnimatedNumber = control(5.0, "Detail", soft=(1, 8), hard=(1, 9), step=1)
    ridges: AnimatedNumber = control(
        0.0, "Ridges", soft=(0, 1), hard=(0, 1), help="At 0 they billow, at 1 they are veins."
    )
    contrast: AnimatedNumber = control(2.0, "Contrast", soft=(0, 8), hard=(0, 100))
    level: AnimatedNumber = control(-0.2, "Level", soft=(-1, 1), hard=(-20, 20), help="How much there is of them.")
    boil: AnimatedNumber = control(0.5, "Boil", soft=(0, 4), hard=(-50, 50), help="How fast they change in place.")
    drift: AnimatedVec2 = control(
        (0.0, 0.0), "Drift", step=1, unit="px", widget="vec2", help="How far they go in 24 frames."
    )
    thin: AnimatedColour = control((0.25, 0.28, 0.32), "Thin colour", soft=(0, 1), widget="colour")
    thick: AnimatedColour = control((0.75, 0.78, 0.8), "Thick colour", soft=(0, 1), widget="colour")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)

    def picture(self, context: Context) -> Any:
        return context.drawn(self)

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        stretch, frame = max(values["stretch"], 0.02), values["frame"]
        high = max(values["billow"] * scale, 1.0)
        x, y = (v * scale * frame / FRAMES for v in values["drift"])
        # drawn as if all were as wide as high, then widened: a lattice has square cells
        x0, x1 = int(np.floor((window.x0 - x) / stretch)), int(np.ceil((window.x1 - x) / stretch)) + 2
        y0, y1 = int(np.floor(window.y0 - y)), int(np.ceil(window.y1 - y)) + 2
        noise = fractal(
            x1 - x0, y1 - y0, high, x0=x0, y0=y0, drift=values["boil"] * frame / FRAMES, seed=int(values["seed"]),
            octaves=round(values["detail"]),
        )  # fmt: skip
        if values["ridges"] > 0:
            noise += np.float32(values["ridges"]) * (np.float32(0.5) - 2 * np.abs(noise) - noise)
        to = np.array([[1 / stretch, 0, (window.x0 + 0.5 - x) / stretch - x0 - 0.5], [0, 1, window.y0 - y - y0]])
        noise = cv2.warpAffine(
            noise, to, (window.width, window.height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )  # fmt: skip
        t = np.clip(noise * np.float32(values["contrast"]) + np.float32(0.5 + values["level"]), 0, 1)[..., None]
        pixels = np.empty((window.height, window.width, 4), np.float32)
        thin, thick = np.float32(values["thin"]), np.float32(values["thick"])
        pixels[..., :3] = (thin + t * (thick - thin)) * t
        pixels[..., 3:] = t
        return Picture(pixels, window)
