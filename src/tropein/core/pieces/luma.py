"""Luma key."""

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
class LumaPiece(OwnPiece):
    """Keeps a range of brightness of a layer's own footage."""

    title: ClassVar[str] = "Luma key"
    kind: Literal["luma"] = "luma"
    low: AnimatedNumber = control(0.5, "From", soft=(0, 1), hard=(-1, 4), step=0.005, help="Display brightness.")
    high: AnimatedNumber = control(4.0, "To", soft=(0, 1), hard=(-1, 4), step=0.005)
    softness: AnimatedNumber = control(0.1, "Softness", soft=(0, 0.5), hard=(0, 4), step=0.005)

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        low, high, softness = (sample(v, frame) for v in (self.low, self.high, self.softness))
        return step(
            "luma", (low, high, softness), (picture,),
            lambda p: Coverage(ranges.luma(p.pixels, low, high, softness), p.window),
        )  # fmt: skip
