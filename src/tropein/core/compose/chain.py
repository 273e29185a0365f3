"""A layer's effects, one after another, as steps."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.forms import Pointwise
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import CentredEffect, EffectBase, Layer
from tropein.core.document.kept import Kept
from tropein.core.effects import by_points, reach_of, run, same_always, sampled
from tropein.core.effects.registry import Values
from tropein.core.raster import blend
from tropein.core.raster import coverage as cov
from tropein.core.raster.colour import Table
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import IDENTITY, Matrix, Move, scaling

if TYPE_CHECKING:
    from tropein.core.compose.plan import Planner


@dataclass(frozen=True)
class Chain:
    """The effects of a layer at a frame, on pictures at a scale: of its own pixels, or of what a veil lies on."""

    planner: Planner
    layer: Layer
    frame: float
    scale: float

    def after(self, picture: Step) -> Step:
        """A picture after all of them; where they are the same at every frame the steps are kept."""
        if not self.layer.chain:
            return picture
        if not _alike.of(self.layer):
            return self._made(picture)
        return self.planner.chains.of(self.layer, picture.key, self.scale, make=lambda: self._made(picture))

    def before(self, effect: EffectBase) -> Step | None:
        """The layer's picture that an effect works on; None where it has none of its own."""
        planner, layer = self.planner, self.layer
        made = planner.content(layer, self.frame, self.scale) if layer.content.has_picture else None
        if made is None:
            return None
        if layer.cuts:
            made = Mattes(planner.inside(layer, self.frame)).unmixed(layer, made, self.scale, self.frame)
        return self._made(made, effect)

    def needed(self, under: Step, where: Step) -> Step:
        """What a veil's effects need of the picture beneath it to make what is seen of them; all of it where that is not known, or they are done
        on the way."""
        effects = [effect for effect in self.layer.looks if effect.on]
        reaches = [reach_of(effect, sampled(effect, self.frame), self.scale) for effect in effects]
        reach = math.fsum(r for r in reaches if r is not None)
        if None in reaches or all(by_points(effect.kind) for effect in effects):
            return under
        return step("near", round(reach, 3), (under, where), lambda p, c: cov.near(p, c, reach))

    def _made(self, picture: Step, until: EffectBase | None = None) -> Step:
        for effect in self.layer.looks:
            if effect is until:
                break
            if effect.on:
                picture = self._one(picture, effect)
        return picture

    def _one(self, picture: Step, effect: EffectBase) -> Step:
        values, scale = sampled(effect, self.frame), self.scale
        mix = values.pop("mix")
        if mix <= 0:
            return picture
        if isinstance(effect, CentredEffect):
            own = self._space(effect)
            if own is None:
                return picture
            values["own"] = np.round(own, 9).tolist()
        where = self._cut(picture, effect)
        asked = effect.asks(AskingOf(self, effect, picture)) if effect.asks_for_more else ()
        steps = tuple(a for a in asked if isinstance(a, Step))
        plain = [None if isinstance(a, Step) else a for a in asked]
        at = [i for i, a in enumerate(asked) if isinstance(a, Step)]
        points = by_points(effect.kind) is not None
        reach = None if points else reach_of(effect, values, scale)

        def make(p: Picture, *more: Any) -> Picture:
            limit = more[len(at)] if len(more) > len(at) else None
            seen = p if limit is None or reach is None else cov.near(p, limit, reach)
            done = run(effect.kind, seen, _with(values, plain, at, more), scale)
            if limit is not None:
                return cov.mix_where(p, done, limit, mix)
            return done if mix >= 1 else blend.mix(p, done, mix)

        form = Pointwise(effect.kind, values, mix, scale) if points else None
        return step(effect.kind, (values, mix, scale, plain, at), (picture, *steps, *where), make, form)

    def _space(self, effect: CentredEffect) -> Matrix | None:
        """From the pixels of the picture an effect works on to the shot pixels its centre is given in, before it rode
        anywhere, 3x3; None where its ride hides it."""
        to_shot = scaling(1 / self.scale, 1 / self.scale)
        places = self.planner.inside(self.layer, self.frame).places
        if self.layer.content.has_picture:
            matrix = places.matrix(self.layer, self.frame)
            to_shot = to_shot if matrix is None else matrix @ to_shot
        if effect.ride is None:
            return to_shot
        moved = places.ridden(effect.ride, np.array(sample(effect.centre, self.frame)), self.frame)
        if moved is None or abs(np.linalg.det(moved)) < 1e-12:
            return None
        return np.linalg.inv(moved) @ to_shot

    def _cut(self, picture: Step, effect: EffectBase) -> tuple[Step, ...]:
        """What an effect is limited to, as the picture it works on sees it; empty when it works everywhere."""
        if not self.layer.content.has_picture:
            over_frame = self.planner.covered(self.layer, effect.cuts, self.frame)
            return () if over_frame is None else (over_frame,)
        seen = self.seen_by(picture, lambda mattes: mattes.cuts(effect.cuts, self.frame))
        return () if seen is None else (seen,)

    def seen_by(self, picture: Step, made: Callable[[Mattes], Step | None]) -> Step | None:
        """Coverage of the frame the layer is in, as its own picture sees it."""
        own = self.layer.content.has_picture
        inner = self.planner.inside(self.layer, self.frame) if own else self.planner
        mattes = Mattes(inner)
        coverage = made(mattes)
        matrix = inner.places.matrix(self.layer, self.frame) if own else IDENTITY
        if coverage is None or matrix is None:
            return None
        total = Move(matrix).scaled(self.planner.scale, self.scale).matrix
        if np.allclose(total, np.eye(3), atol=1e-9):
            return coverage
        return mattes.seen_from(coverage, total, picture)


@dataclass(frozen=True)
class AskingOf:
    """What an effect may ask for (document.effect.Asking)."""

    chain: Chain
    effect: EffectBase
    picture: Step

    @property
    def frame(self) -> float:
        return self.chain.frame

    def at(self, frame: float) -> Step | None:
        made = replace(self.chain, frame=frame).before(self.effect)
        return None if made is None else made.lasts

    def matte(self, matte: str | None) -> Step | None:
        found = self.chain.planner.shot.mattes.get(matte) if matte else None
        return None if found is None else self._seen(lambda mattes: mattes.matte(found, self.frame))

    def brightness(self, layer: str | None) -> Step | None:
        found = self.chain.planner.shot.layers.get(layer) if layer else None
        return None if found is None else self._seen(lambda mattes: mattes.brightness(found, self.frame))

    def table(self, table: str | None) -> Step | None:
        tables = self.chain.planner.tables
        if table is None:
            return None

        def read() -> Table:
            found = tables(table)
            return np.empty(0, np.float32) if found is None else found

        return step("table", table, (), read)

    def away(self) -> float | None:
        found = self.chain.planner.places.scene_and_depth(self.chain.layer, self.frame)
        return None if found is None else found[1]

    def _seen(self, made: Callable[[Mattes], Step | None]) -> Step | None:
        return self.chain.seen_by(self.picture, made)


def _with(values: Values, plain: list[Any], at: list[int], made: tuple[Any, ...]) -> Values:
    """An effect's values with what it asked for beside them: numbers as they are, what steps made in their places."""
    if not plain:
        return values
    given = list(plain)
    for i, one in zip(at, made, strict=False):
        given[i] = one
    return {**values, "given": given}


_alike: Kept[bool] = Kept(lambda layer: all(same_always(e) and not e.cuts for e in layer.looks))
