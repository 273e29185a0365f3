"""Difference key."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, AnimatedNumber, Layer, control
from tropein.core.matte import difference
from tropein.core.pieces import keying
from tropein.core.pieces.own import AgainstEmpty, spread


@PIECES.add
class DifferencePiece(AgainstEmpty):
    """Keeps what differs from an empty picture of the same place: a frame without the subject, another clip, or else the median of
    the layer's own footage."""

    title: ClassVar[str] = "Difference key"
    kind: Literal["difference"] = "difference"
    threshold: AnimatedNumber = control(0.12, "Threshold", soft=(0, 0.6), hard=(0, 4), step=0.005)
    softness: AnimatedNumber = control(0.12, "Softness", soft=(0, 0.6), hard=(0, 4), step=0.005)
    shadow: AnimatedNumber = control(
        0.4,
        "Let shadows pass",
        soft=(0, 1),
        hard=(0, 1),
        help="How far a shadow may dim the empty place and still be empty.",
    )

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        empty = self.empty(on, layer, picture, working, frame) or keying.median(spread(on, layer, working))
        chosen = difference.Difference(*(sample(v, frame) for v in (self.threshold, self.softness, self.shadow)))
        return step(
            "difference", chosen, (picture, empty),
            lambda p, e: keying.where(p, difference.coverage(p.pixels[..., :3], e.pixels[..., :3], chosen)),
        )  # fmt: skip
