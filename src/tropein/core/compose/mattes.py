"""Mattes as steps: every piece, how they join, and what is cut by them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.pictures import Pictures
from tropein.core.compose.step import Step, step
from tropein.core.document import Cut, Layer, Matte, Piece, PieceBase, Shot
from tropein.core.matte import solid
from tropein.core.raster import coverage as cov
from tropein.core.raster.colour import LUMA
from tropein.core.raster.coverage import Coverage, Joining
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Matrix


@dataclass(frozen=True)
class Mattes:
    """Coverage of one shot's mattes, in the frame at the plan's scale."""

    pictures: Pictures

    @property
    def shot(self) -> Shot:
        return self.pictures.places.shot

    @property
    def window(self) -> Window:
        return self.pictures.frame_window

    def matte(self, matte: Matte, frame: float) -> Step:
        """A matte at a frame. One without pieces covers everything: it does not cut yet."""
        kept, key = self.pictures.matte_steps, (id(matte), frame)
        if key not in kept:
            kept[key] = (matte, self._matte(matte, frame))
        return kept[key][1]

    def _matte(self, matte: Matte, frame: float) -> Step:
        window = self.window
        if not matte.order:
            return step("matte-full", window, (), lambda: cov.full(window))
        steps, joinings = [], []
        for piece in matte.in_order:
            if not piece.on or piece.unknown or (piece.span and not piece.span[0] <= frame < piece.span[1] + 1):
                continue
            made = piece.coverage(self, frame) or step("nothing-covered", window, (), lambda: cov.full(window, 0.0))
            steps.append(self.edged(made, piece, frame))
            joinings.append(Joining(piece.how, sample(piece.opacity, frame), piece.invert))
        made = step("matte", (joinings, window), tuple(steps), lambda *p: cov.combine(p, joinings, window))
        holes, crumbs = (sample(v, frame) * self.pictures.scale for v in (matte.holes, matte.crumbs))
        if max(holes, crumbs) < 0.5:
            return made
        mend = (round(holes, 3), round(crumbs, 3))
        return step("mended", mend, (made,), lambda c: Coverage(solid.mended(c.plane, *mend), c.window))

    def cuts(self, cuts: dict[str, Cut], frame: float) -> Step | None:
        """What several cuts leave together; None when there are none."""
        parts = []
        for one in cuts.values():
            made = self.edged(self.matte(self.shot.mattes[one.matte], frame), one, frame)
            if one.side == "outside":
                made = step("outside", (), (made,), cov.inverted)
            parts.append(made)
        if len(parts) < 2:
            return parts[0] if parts else None
        return step("cuts", (), tuple(parts), lambda *p: cov.product(p))

    def brightness(self, layer: Layer, frame: float) -> Step | None:
        """How bright a layer is where it lies, 0..1, in linear light."""
        made, window = self.pictures.layer(layer, frame), self.window
        return None if made is None else step("luminance", window, (made,), lambda p: _luminance(p, window))

    def seen_from(self, coverage: Step, to_frame: Matrix, picture: Step) -> Step:
        """Coverage as a layer's own picture sees it; `to_frame` takes its pixels to the frame's."""
        return step(
            "seen-from", np.round(to_frame, 9).tolist(), (coverage, picture),
            lambda c, p: cov.seen_from(c, to_frame, p.window),
        )  # fmt: skip

    def unmixed(self, layer: Layer, picture: Step, working: float, frame: float) -> Step:
        """The layer's picture without the light of what was behind it, where one of its cuts keeps what is not screen, or what was
        cut out of it."""
        piece = self._own_screen(layer)
        return picture if piece is None else piece.unmixed(self, layer, picture, working, frame)

    def _own_screen(self, layer: Layer) -> Piece | None:
        for one in layer.cuts.values():
            for piece in self.shot.mattes[one.matte].in_order:
                keeps = (one.side == "inside") == ((piece.how != "subtract") != piece.invert)
                if type(piece).unmixed is not PieceBase.unmixed and piece.looks_at == layer.id and piece.on and keeps:
                    return piece
        return None

    def edged(self, made: Step, what: Piece | Cut, frame: float) -> Step:
        """Grown and softened; a shape has done so itself, along its outline."""
        if isinstance(what, Cut) or not what.own_edges:
            by = sample(what.grow, frame) * self.pictures.scale
            if abs(by) > 1e-3:
                made = step("grow", round(by, 6), (made,), lambda c: cov.grown(c, by))
        sigma = sample(what.soften, frame) * self.pictures.scale
        if sigma < 0.05:
            return made
        return step("soften", round(sigma, 6), (made,), lambda c: cov.softened(c, sigma))

    def in_frame(self, layer: Layer, made: Step, working: float, frame: float) -> Step | None:
        """Coverage of a layer's own pixels, brought to where the layer lies."""
        return self.pictures.placed_coverage(layer, made, working, frame)


def _luminance(picture: Picture, window: Window) -> Coverage:
    return Coverage(np.clip(picture.fill(window)[..., :3] @ LUMA, 0, 1).astype(np.float32), window)
