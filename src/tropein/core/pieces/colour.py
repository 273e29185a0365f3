"""Colour range."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, AnimatedNumber, Layer, control
from tropein.core.matte import ranges
from tropein.core.pieces.own import OwnPiece
from tropein.core.raster.coverage import Coverage


@PIECES.add
class ColourPiece(OwnPiece):
    """Keeps a range of hue, saturation and lightness of a layer's own footage."""

    title: ClassVar[str] = "Colour range"
    kind: Literal["colour"] = "colour"
    hue: AnimatedNumber = control(0.0, "Hue", soft=(0, 360), hard=(-360, 720), step=0.5, unit="°")
    hue_width: AnimatedNumber = control(60.0, "Hue width", soft=(0, 360), hard=(0, 360), step=0.5, unit="°")
    saturation: AnimatedNumber = control(0.2, "Saturation from", soft=(0, 1), hard=(0, 1), step=0.005)
    dark: AnimatedNumber = control(0.0, "Lightness from", soft=(0, 1), hard=(0, 4), step=0.005)
    light: AnimatedNumber = control(4.0, "Lightness to", soft=(0, 1), hard=(0, 4), step=0.005)
    softness: AnimatedNumber = control(
        0.2, "Softness", soft=(0, 1), hard=(0, 1), step=0.01, help="As a share of each range."
    )

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        values = (self.hue, self.hue_width, self.saturation, self.dark, self.light, self.softness)
        chosen = ranges.ColourRange(*(sample(v, frame) for v in values))
        return step("colour", chosen, (picture,), lambda p: Coverage(ranges.colour(p.pixels, chosen), p.window))
