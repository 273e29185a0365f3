"""Beams."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import cv2
import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, Ride, control
from tropein.core.document.base import Id, chosen_matte
from tropein.core.document.content import CONTENTS, ContentBase, Context, starting
from tropein.core.document.references import Ref
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Pixels, Window
from tropein.core.raster.streaming import HALF, enlarged, halved, streaming

SHOT_FRAMES = 24.0


@CONTENTS.add
class BeamsContent(ContentBase):
    """Light that streams from a place through an opening, or through a matte, in shafts: a window, a door ajar, clouds."""

    title: ClassVar[str] = "Beams"
    varies: ClassVar[bool] = True
    kind: Literal["beams"] = "beams"
    source: AnimatedVec2 = control((180.0, -120.0), "Light", step=1, unit="px", widget="point", group="Way")
    source_ride: Ride | None = None
    opening: AnimatedVec2 = control((330.0, 120.0), "Opening", step=1, unit="px", widget="point", group="Way")
    opening_ride: Ride | None = None
    wide: AnimatedVec2 = control((170.0, 120.0), "Opening's size", step=1, unit="px", widget="vec2", group="Way")
    through: Annotated[Id, Ref("mattes", "streams through", on_delete="clear", sees="picture")] | None = chosen_matte(
        "Streams through", "A matte that lets the light through, instead of the opening.", group="Way"
    )
    length: AnimatedNumber = control(
        0.62, "Length", soft=(0, 0.95), hard=(0, 0.98), help="How much farther from the light it goes.", group="Way"
    )
    decay: AnimatedNumber = control(0.75, "Decay", soft=(0, 1), hard=(0, 1), group="Way")
    colour: AnimatedColour = control((1.0, 0.86, 0.62), "Colour", soft=(0, 1), widget="colour", group="Look")
    light: AnimatedNumber = control(1.6, "Light", soft=(0, 10), hard=(0, 1000), step=0.05, group="Look")
    edge: AnimatedNumber = control(0.3, "Soft edge", soft=(0, 1), hard=(0, 1), help="Of the opening.", group="Look")
    shafts: AnimatedNumber = control(0.7, "Shafts", soft=(0, 1), hard=(0, 1), group="Look")
    grain: AnimatedNumber = control(
        46.0, "Shafts' size", soft=(4, 200), hard=(1, 4000), step=1, unit="px", group="Look"
    )
    boil: AnimatedNumber = control(0.35, "Boil", soft=(0, 4), hard=(-50, 50), group="Look")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1, group="Look")
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Window": {},
        "Through clouds": starting(
            source=(560.0, -220.0), opening=(520.0, 60.0), wide=(560.0, 60.0), length=0.7, decay=0.85, shafts=1.0, grain=70.0, colour=(1.0, 0.93, 0.8), light=1.2, edge=0.8
        ),
        "From a door": starting(
            source=(210.0, 190.0), opening=(300.0, 290.0), wide=(54.0, 190.0), length=0.72, decay=0.85, shafts=0.5, grain=44.0, colour=(0.7, 0.85, 1.0), light=1.5, edge=0.15
        ),
    }  # fmt: skip

    def picture(self, context: Context) -> Any:
        cover, matrix = context.matte(self.through, context.frame) if self.through else (None, None)
        values, scale = context.values(self, context.frame), context.scale
        if cover is None or matrix is None or values is None:
            return context.drawn(self)
        back = np.linalg.inv(matrix) if abs(np.linalg.det(matrix)) > 1e-12 else np.eye(3)
        to = np.diag([scale, scale, 1.0]) @ back

        def make(window: Window, over: Coverage) -> Picture:
            at = np.array([[1, 0, over.window.x0], [0, 1, over.window.y0], [0, 0, 1.0]])
            seen = cv2.warpPerspective(over.plane, to @ at, (window.width, window.height), flags=cv2.INTER_LINEAR)
            return _streamed(values, seen, window, scale)

        return context.made(self.kind, (values, np.round(to, 9)), self.size(context.shot), make, (cover,))

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        x = (np.arange(window.x0, window.x1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale)
        y = (np.arange(window.y0, window.y1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale)
        (cx, cy), (w, h) = values["opening"], (max(v, 1e-3) / 2 for v in values["wide"])
        away = np.maximum(
            np.abs(x - np.float32(cx))[None] / np.float32(w), np.abs(y - np.float32(cy))[:, None] / np.float32(h)
        )
        soft = np.float32(max(values["edge"], 2 / (min(w, h) * scale + 2)))
        t = np.clip((1 + soft / 2 - away) / soft, 0, 1)
        return _streamed(values, t * t * (3 - 2 * t), window, scale)


def _streamed(values: dict[str, Any], opening: Pixels, window: Window, scale: float) -> Picture:
    """What streams through an opening (h, w), 0..1, away from the light."""
    h, w = opening.shape
    small = halved(opening)
    if values["shafts"] > 0:
        cell = max(values["grain"] * scale / HALF, 2.0)
        drift = values["boil"] * values["frame"] / SHOT_FRAMES
        noise = fractal(small.shape[1], small.shape[0], cell, drift=drift, seed=int(values["seed"]), octaves=3)
        small = small * np.clip(1 + np.float32(2.6 * values["shafts"]) * noise, 0, 4)
    x, y = (v * scale for v in values["source"])
    drawn = streaming(small, ((x - window.x0) / HALF, (y - window.y0) / HALF), values["length"], values["decay"])
    lit = enlarged(drawn, h, w)
    pixels = np.zeros((h, w, 4), np.float32)
    for c in range(3):
        np.multiply(lit, np.float32(values["light"] * values["colour"][c]), out=pixels[..., c])
    return Picture(pixels, window)
