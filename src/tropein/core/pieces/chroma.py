"""Chroma key."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, AnimatedNumber, Colour, Layer, control
from tropein.core.matte.chroma import Keying
from tropein.core.matte.screen import CELL_PX
from tropein.core.pieces import keying
from tropein.core.pieces.own import AgainstEmpty, spread
from tropein.core.raster import coverage as cov
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.warp import Move

FULL_COLOUR_FROM = 0.6  # at about half size footage of halved chroma has all its colour


@PIECES.add
class ChromaPiece(AgainstEmpty):
    """Keeps what does not have the colour of the screen behind it, in a layer's own footage."""

    title: ClassVar[str] = "Chroma key"
    kind: Literal["chroma"] = "chroma"
    screen: Annotated[Colour | None, Field(description="linear Rec.709; none finds the screen by itself")] = None
    clean_through: Annotated[
        bool,
        Field(
            description="the empty screen is put together from all of the layer's own footage, whose camera stands still; "
            "a frame or a clip that is named goes before"
        ),
    ] = False
    even: AnimatedNumber = control(
        1.0,
        "Uneven light",
        soft=(0, 1),
        hard=(0, 1),
        help="How far the screen's own light and dark are followed.",
    )
    low: AnimatedNumber = control(
        0.03, "Clear below", soft=(0, 0.5), hard=(0, 0.99), step=0.005, help="What covers less than this is screen."
    )
    high: AnimatedNumber = control(
        0.97, "Solid above", soft=(0.3, 1), hard=(0.01, 1), step=0.005, help="What covers more than this is solid."
    )
    core: AnimatedNumber = control(
        6.0, "Solid core", soft=(0, 40), hard=(0, 400), step=0.5, unit="px",
        help="Holes farther than this inside the subject are closed; 0 leaves them.",
    )  # fmt: skip
    spill: AnimatedNumber = control(
        1.0,
        "Take out spill",
        soft=(0, 1),
        hard=(0, 2),
        help="How much of the screen's light on the subject is taken out.",
    )
    balance: AnimatedNumber = control(
        0.0, "Spill balance", soft=(0, 1), hard=(0, 1),
        help="At 0 the screen's light is subtracted, at 1 its colour is held down to the other two.",
    )  # fmt: skip

    def told(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        return self.keyed(on, layer, picture, working, frame)[2]

    def behind(self, on: Mattes, layer: Layer, frame: float) -> Step | None:
        """The screen it sees behind a layer's own pixels (keying.Behind); None where the layer shows nothing."""
        own = on.pictures.own_picture(layer, frame)
        return None if own is None else self.keyed(on, layer, *own, frame)[1]

    def keyed(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> tuple[Step, Step, Step]:
        """The picture it is made from, the screen behind it, and its coverage."""
        picture = _sharpened(on, layer.footage or "", picture, working)
        place = self.empty(on, layer, picture, working, frame)
        if place is not None:
            place = _sharpened(on, self.clean_footage or layer.footage or "", place, working)
        screen = keying.behind(self.screen, sample(self.even, frame), picture, place, working)
        return picture, screen, keying.keyed(self._keying(frame), picture, screen, working)

    def empty(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        named = super().empty(on, layer, picture, working, frame)
        if named is not None or not self.clean_through:
            return named
        return keying.seen_through(spread(on, layer, working), self.screen, max(2, round(CELL_PX * working)))

    def unmixed(self, on: Mattes, layer: Layer, picture: Step, working: float, frame: float) -> Step:
        own, behind, keyed = self.keyed(on, layer, picture, working, frame)
        made = keying.unmixed(self._keying(frame), own, behind, keyed)
        kept = self._kept_beside(on, layer, keyed, picture, working, frame)
        return made if kept is None else step("kept-beside-key", (), (made, picture, kept), cov.mix_where)

    def _keying(self, frame: float) -> Keying:
        return Keying(*(sample(v, frame) for v in (self.low, self.high, self.core, self.spill, self.balance)))

    def _kept_beside(
        self, on: Mattes, layer: Layer, keyed: Step, picture: Step, working: float, frame: float
    ) -> Step | None:
        """Where, of a layer's own pixels, its matte keeps what the key in it does not: shapes that keep, closed holes. There the
        picture is as it was, whatever colour it has."""
        matte = next(m for m in on.shot.mattes.values() if any(p is self for p in m.pieces.values()))
        others = [p for p in matte.in_order if p is not self and p.on and p.how == "add"]
        matrix = on.pictures.places.matrix(layer, frame)
        in_frame = on.in_frame(layer, keyed, working, frame)
        plain = self.how == "add" and not self.invert and (others or sample(matte.holes, frame) > 0)
        if not plain or matrix is None or in_frame is None:
            return None
        alone = on.edged(in_frame, self, frame)
        window = on.window

        def more(whole: Coverage, key: Coverage) -> Coverage:
            share = np.clip(2 * (whole.plane - key.plane) / np.maximum(whole.plane, 1e-4), 0, 1)
            return Coverage(share.astype(np.float32), window)

        beside = step("beside-key", window, (on.matte(matte, frame), alone), more)
        return on.seen_from(beside, Move(matrix).scaled(on.pictures.scale, working).matrix, picture)


def _sharpened(on: Mattes, footage: str, picture: Step, working: float) -> Step:
    """The picture a key is made from: where the file holds little colour, its detail is put back."""
    cells = on.pictures.chroma_cells(footage)
    return picture if cells is None or working <= FULL_COLOUR_FROM else keying.sharpened(picture, cells)
