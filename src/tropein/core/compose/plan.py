"""From a document and a frame to steps with keys: what did not change keeps its key and is not computed again."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.cutout_piece import Cutouts, no_cutouts
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.places import Paths, Places
from tropein.core.compose.step import Step, step
from tropein.core.compose.timing import footage_frame
from tropein.core.document import CentredEffect, EffectBase, Footage, FootageLayer, Layer, Shot, VeilLayer
from tropein.core.effects import run, sampled
from tropein.core.raster import blend
from tropein.core.raster import coverage as cov
from tropein.core.raster.blend import Laying
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.edge import Edging, edged
from tropein.core.raster.floor import contact_shadow, floor_hit
from tropein.core.raster.picture import Picture, Window, nothing
from tropein.core.raster.warp import (
    Edge,
    Matrix,
    Move,
    Quality,
    resize,
    scaling,
    warp_blurred,
)
from tropein.core.raster.wrap import wrapped
from tropein.core.raster.yuv import Cells


class Footages(Protocol):
    """Where pictures of footage come from (see media.source.Sources)."""

    def level(self, media: str, scale: float) -> int: ...
    def chroma_cells(self, media: str) -> Cells | None: ...
    def picture(self, media: str, index: int, level: int) -> tuple[Picture, float]: ...


@dataclass(frozen=True)
class Planner:
    """Plans frames of one shot. `scale` is preview pixels per shot pixel; `paths`: see
    Places."""

    shot: Shot
    footages: Footages
    paths: Paths
    scale: float = 1.0
    quality: Quality = "final"
    cutouts: Cutouts = no_cutouts

    @property
    def places(self) -> Places:
        return Places(self.shot, self.paths)

    @property
    def frame_window(self) -> Window:
        w, h = self.shot.size
        return Window(0, 0, max(1, round(w * self.scale)), max(1, round(h * self.scale)))

    def plan(self, frame: float) -> Step:
        """The whole stack at a frame. Layers between two veils are laid in one pass."""
        under = step("nothing", (), (), nothing)
        overs: list[tuple[Step, Laying]] = []
        for layer in self._in_order(frame):
            opacity = sample(layer.opacity, frame)
            if not layer.visible or not self._lives(layer, frame) or opacity <= 0:
                continue
            if isinstance(layer, VeilLayer):
                under, overs = self._veil(self._laid(under, overs), layer, frame, opacity), []
            elif isinstance(layer, FootageLayer) and (picture := self.layer(layer, frame)) is not None:
                picture = self._edged(picture, layer, frame)
                if (amount := sample(layer.wrap, frame)) > 0 and layer.id != self.shot.plate:
                    under, overs = self._laid(under, overs), []
                    picture = self._wrapped(picture, under, amount, sample(layer.wrap_width, frame) * self.scale)
                if (shadow := self._shadow(layer, frame)) is not None:
                    overs.append((shadow, Laying("normal", opacity)))
                overs.append((picture, Laying(layer.blend, opacity)))
        return self._laid(under, overs)

    def _in_order(self, frame: float) -> list[Layer]:
        """The stack from the plate to the lens; neighbours in one scene lie by their depth, far ones first."""
        layers = [self.shot.layers[i] for i in reversed(self.shot.stack)]
        run: list[tuple[float, int]] = []
        order, group = list(layers), None
        for i, layer in enumerate([*layers, None]):
            here = None
            if layer is not None and not isinstance(layer, VeilLayer):
                here = self.places.group_and_depth(layer.place, frame)
            if here is None or here[0] != group:
                start = i - len(run)
                order[start:i] = [layers[k] for _, k in sorted(run, key=lambda r: -r[0])]
                run, group = [], here[0] if here else None
            if here is not None:
                run.append((here[1], i))
        return order

    def _shadow(self, layer: FootageLayer, frame: float) -> Step | None:
        """What a layer that stands in a solved scene keeps of the light from above off the floor."""
        depth = layer.place.depth
        if depth is None or (amount := sample(depth.shadow, frame)) <= 0:
            return None
        cast = self.places.foot(layer, frame)
        if cast is None:
            return None
        soft, window = sample(depth.shadow_soft, frame), self.frame_window
        to_picture = np.linalg.inv(cast.carried) @ scaling(1 / self.scale, 1 / self.scale)

        def make() -> Picture:
            camera, size = cast.camera, (window.width, window.height)
            x, z, _ = floor_hit(
                camera.pose, camera.focal, camera.centre, 0.0, to_picture, (window.x0, window.y0), size, camera.lens
            )
            shade = amount * contact_shadow(x, z, cast.middle, cast.half_way, cast.lift, soft)
            pixels = np.zeros((window.height, window.width, 4), np.float32)
            pixels[..., 3] = shade
            return Picture(pixels, window)

        numbers = (
            *(np.round(v, 9).tobytes() for v in (cast.camera.pose, to_picture, cast.middle, cast.half_way)),
            cast.camera.focal,
            cast.camera.radial,
            cast.lift,
        )
        return step("floor-shadow", (numbers, amount, soft, window), (), make)

    def matte(self, matte_id: str, frame: float) -> Step:
        """A matte's coverage of the frame."""
        return Mattes(self).matte(self.shot.mattes[matte_id], frame)

    def layer(self, layer: FootageLayer, frame: float) -> Step | None:
        """One layer's picture placed in the frame and cut, or None where it shows nothing."""
        own = self.own_picture(layer, frame)
        if own is None:
            return None
        picture, working = own
        mattes = Mattes(self)
        if layer.cut:
            picture = mattes.unmixed(layer, picture, working, frame)
        placed = self.placed(layer, self._effects(picture, layer, frame, working), working, frame)
        coverage = mattes.cuts(layer.cut, frame)
        if placed is None or coverage is None:
            return placed
        return step("cut", (), (placed, coverage), cov.cut)

    def own_picture(self, layer: FootageLayer, frame: float) -> tuple[Step, float] | None:
        """A layer's own pixels before anything is done to them, and their scale; None where it shows nothing."""
        footage = self.shot.footage[layer.footage]
        index = footage_frame(self.shot, layer, frame)
        matrix = self.places.matrix(layer, frame)
        if index is None or matrix is None:
            return None
        working = self._working_scale(matrix, footage)
        return self._source(footage, index, working), working

    def footage_frame(self, layer: FootageLayer, frame: float) -> int | None:
        """Which frame of its footage a layer shows."""
        return footage_frame(self.shot, layer, frame)

    def frame_of(self, footage: str, index: int, working: float) -> Step:
        """A certain frame of footage."""
        return self._source(self.shot.footage[footage], index, working)

    def chroma_cells(self, footage: str) -> Cells | None:
        return self.footages.chroma_cells(self.shot.footage[footage].media)

    def placed(self, layer: FootageLayer, picture: Step, working: float, frame: float) -> Step | None:
        """A picture of a layer's own pixels where the layer lies."""
        move = self.places.move(layer, frame)
        if move is None:
            return None
        window, quality = self.frame_window, self.quality
        totals = [
            m.scaled(self.scale, working)
            for m in self.places.within_shutter(layer, frame, move, self.scale, self.quality)
        ]
        held_edge = layer.place.steady.edge if layer.place.steady else "nothing"
        edge: Edge = "nothing" if held_edge == "zoom" else held_edge
        parameters = ([m.key() for m in totals], window, quality, edge)
        return step("warp", parameters, (picture,), lambda p: warp_blurred(p, totals, window, quality, edge))

    def _lives(self, layer: Layer, frame: float) -> bool:
        return layer.span is None or layer.span[0] <= frame < layer.span[1] + 1

    def _working_scale(self, matrix: Matrix, footage: Footage) -> float:
        """The scale a layer's own picture is worked on: exact for what is only scaled, else the power of two above."""
        a, b, c, d = matrix[0, 0], matrix[0, 1], matrix[1, 0], matrix[1, 1]
        if matrix[2, 0] or matrix[2, 1]:
            w, h = footage.size
            p = np.c_[[[0, 0], [w, 0], [w, h], [0, h]], np.ones(4)] @ matrix.T
            p = p[:, :2] / p[:, 2:]
            sides = np.linalg.norm(np.roll(p, -1, 0) - p, axis=1) / np.array([w, h, w, h])
            stretch = float(sides.max())
        else:
            stretch = max(math.hypot(a, c), math.hypot(b, d))
            if b == 0 and c == 0 and a == d == 1:
                return min(1.0, self.scale)
        wanted = min(1.0, max(stretch * self.scale, 1 / 64))
        return 2.0 ** math.ceil(math.log2(wanted) - 1e-9)

    def _source(self, footage: Footage, index: int, working: float) -> Step:
        level = self.footages.level(footage.media, working)
        footages, media = self.footages, footage.media

        def make() -> Picture:
            picture, own = footages.picture(media, index, level)
            return picture if abs(own - working) < 1e-3 else resize(picture, working / own)

        return step("source", (media, index, level, round(working, 6)), (), make)

    def _effects(self, picture: Step, layer: Layer, frame: float, scale: float) -> Step:
        for effect in layer.effects:
            if not effect.on:
                continue
            values = sampled(effect, frame)
            mix = values.pop("mix")
            if mix <= 0:
                continue
            values = {k: v for k, v in values.items() if k not in ("id", "on", "kind", "cut", "ride")}
            if isinstance(effect, CentredEffect):
                own = self._effect_space(layer, effect, frame, scale)
                if own is None:
                    continue
                values["own"] = np.round(own, 9).tolist()
            where = self._effect_cut(picture, layer, effect, frame, scale)

            def make(
                p: Picture, *limit: Coverage, kind: str = effect.kind, values: dict = values, mix: float = mix
            ) -> Picture:
                done = run(kind, p, values, scale)
                if limit:
                    return cov.mix_where(p, done, limit[0], mix)
                return done if mix >= 1 else blend.mix(p, done, mix)

            picture = step(effect.kind, (values, mix, scale), (picture, *where), make)
        return picture

    def _effect_space(self, layer: Layer, effect: CentredEffect, frame: float, scale: float) -> Matrix | None:
        """From the pixels of the picture an effect works on to the shot pixels its centre is given in, before it rode
        anywhere, 3x3; None where its ride hides it."""
        to_shot = scaling(1 / scale, 1 / scale)
        if isinstance(layer, FootageLayer):
            matrix = self.places.matrix(layer, frame)
            to_shot = to_shot if matrix is None else matrix @ to_shot
        if effect.ride is None:
            return to_shot
        moved = self.places.ridden(effect.ride, np.array(sample(effect.centre, frame)), frame)
        if moved is None or abs(np.linalg.det(moved)) < 1e-12:
            return None
        return np.linalg.inv(moved) @ to_shot

    def _effect_cut(
        self, picture: Step, layer: Layer, effect: EffectBase, frame: float, scale: float
    ) -> tuple[Step, ...]:
        """What an effect is limited to, as the picture it works on sees it; empty when it works everywhere."""
        mattes = Mattes(self)
        coverage = mattes.cuts(effect.cut, frame)
        if coverage is None:
            return ()
        if not isinstance(layer, FootageLayer):
            return (coverage,)
        matrix = self.places.matrix(layer, frame)
        assert matrix is not None
        total = Move(matrix).scaled(self.scale, scale).matrix
        if np.allclose(total, np.eye(3), atol=1e-9):
            return (coverage,)
        return (mattes.seen_from(coverage, total, picture),)

    def _veil(self, under: Step, layer: VeilLayer, frame: float, opacity: float) -> Step:
        changed = self._effects(under, layer, frame, self.scale)
        if changed is under:
            return under
        if layer.blend != "normal":
            how = (layer.blend, self.shot.blend_in == "display")
            changed = step("veil-blend", how, (under, changed), lambda a, b: blend.within(a, b, *how))
        where = Mattes(self).cuts(layer.cut, frame)
        if where is not None:
            return step("veil-cut", opacity, (under, changed, where), lambda a, b, c: cov.mix_where(a, b, c, opacity))
        if opacity >= 1:
            return changed
        return step("veil", opacity, (under, changed), lambda a, b: blend.mix(a, b, opacity))

    def _edged(self, picture: Step, layer: FootageLayer, frame: float) -> Step:
        soften, width, exposure, saturation = (
            sample(v, frame) for v in (layer.edge_soften, layer.edge_width, layer.edge_exposure, layer.edge_saturation)
        )
        how, window = Edging(soften * self.scale, width * self.scale, exposure, saturation), self.frame_window
        if layer.id == self.shot.plate or how.idle:
            return picture
        return step("edge", (how, window), (picture,), lambda p: edged(p, how, window))

    def _wrapped(self, picture: Step, under: Step, amount: float, width_px: float) -> Step:
        parameters = (round(amount, 6), round(width_px, 6))
        return step("wrap", parameters, (picture, under), lambda p, u: wrapped(p, u, amount, width_px))

    def _laid(self, under: Step, overs: list[tuple[Step, Laying]]) -> Step:
        if not overs:
            return under
        window, display = self.frame_window, self.shot.blend_in == "display"
        layings = [laying for _, laying in overs]
        return step(
            "stack", (layings, display, window), (under, *(picture for picture, _ in overs)),
            lambda base, *pictures: blend.stack(base, pictures, layings, window, display),
        )  # fmt: skip
