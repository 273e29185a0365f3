"""A cut-out."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.places import Places
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, AnimatedNumber, ContentHash, Layer, Vec2, control
from tropein.core.document.base import Frame, Model
from tropein.core.document.matte import Cuts
from tropein.core.document.references import Stored
from tropein.core.matte import foreground
from tropein.core.pieces.own import OwnPiece
from tropein.core.pieces.settled import covered
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import Matrix, Move


class CutoutStroke(Model):
    """A line drawn over a frame of the footage, in its full-size pixels: what it covers is the subject, or is not."""

    frame: Frame
    keep: bool = True
    points: list[Vec2] = Field(min_length=1, max_length=2000)
    width: Annotated[float, Field(gt=0, le=500)] = 16.0


@PIECES.add
class CutoutPiece(OwnPiece):
    """A subject cut out of a layer's own footage by strokes. `samples` is its coverage through the shot, once carried."""

    title: ClassVar[str] = "Cut-out"
    kind: Literal["cutout"] = "cutout"
    strokes: list[CutoutStroke] = Field(default_factory=list, max_length=1000)
    samples: Annotated[ContentHash, Stored("coverage")] | None = None
    fine: AnimatedNumber = control(
        0.0, "Hair reach", soft=(0, 80), hard=(0, 200), step=1, unit="px",
        help="How far hairs and blur stand out from the outline: so far the edge is told by colour.",
    )  # fmt: skip
    fine_within: Cuts = {}
    clean: AnimatedNumber = control(
        1.0, "Clean edge", soft=(0, 1), hard=(0, 1),
        help="How far the old background is taken out of the edge of a layer that is cut by this.",
    )  # fmt: skip

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        index = on.pictures.footage_frame(layer, frame)
        assert index is not None
        size, reach = on.shot.footage[layer.footage or ""].size, sample(self.fine, frame) * working
        within = self._fine_within(on, layer, picture, working, frame)
        return covered(self.strokes, self.samples, picture, index, size, on.pictures.cutouts, reach, within)

    def _fine_within(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        within, matrix = on.cuts(self.fine_within, frame), on.pictures.places.matrix(layer, frame)
        if within is None or matrix is None:
            return None
        return on.seen_from(within, Move(matrix).scaled(on.pictures.scale, working).matrix, picture)

    def unmixed(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step:
        amount, own = sample(self.clean, frame), on.pictures.own_picture(layer, frame)
        made = None if own is None or amount <= 0 else self.told(on, layer, *own, frame)
        if made is None:
            return picture

        def make(p: Picture, alpha: Coverage) -> Picture:
            pixels = p.pixels.copy()
            pixels[..., :3] = foreground.cleaned(p.pixels[..., :3], alpha.plane, amount, working)
            return Picture(pixels, p.window)

        return step("clean-edge", (amount, working), (picture, made), make)

    @property
    def has_marks(self) -> bool:
        return True

    def marks_matrix(self, places: Places, frame: float) -> Matrix | None:
        return places.matrix(places.shot.layers[self.layer], frame)
