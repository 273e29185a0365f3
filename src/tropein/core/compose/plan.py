"""From a document and a frame to steps with keys: what did not change keeps its key and is not computed again."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from hashlib import blake2b
from typing import Protocol

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.places import Paths, Places
from tropein.core.document import Footage, FootageLayer, Layer, Shot, VeilLayer, parse_rate
from tropein.core.effects import run, sampled
from tropein.core.raster import blend
from tropein.core.raster.blend import Laying
from tropein.core.raster.picture import Picture, Window, nothing
from tropein.core.raster.warp import (
    Edge,
    Matrix,
    Quality,
    resize,
    scaling,
    warp_blurred,
)

Make = Callable[..., Picture]


@dataclass(frozen=True, eq=False)
class Step:
    """One operation: `make(*pictures of the inputs)`; `key` names its result for ever."""

    key: str
    make: Make
    inputs: tuple[Step, ...] = ()


class Footages(Protocol):
    """Where pictures of footage come from (see media.source.Sources)."""

    def level(self, media: str, scale: float) -> int: ...
    def picture(self, media: str, index: int, level: int) -> tuple[Picture, float]: ...


def step(op: str, parameters: object, inputs: tuple[Step, ...], make: Make) -> Step:
    """A step whose key is the hash of its operation, parameters and inputs."""
    text = repr((op, parameters, [i.key for i in inputs]))
    return Step(blake2b(text.encode(), digest_size=16).hexdigest(), make, inputs)


@dataclass(frozen=True)
class Planner:
    """Plans frames of one shot. `scale` is preview pixels per shot pixel; `paths`: see
    Places."""

    shot: Shot
    footages: Footages
    paths: Paths
    scale: float = 1.0
    quality: Quality = "final"

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
        for layer_id in reversed(self.shot.stack):
            layer = self.shot.layers[layer_id]
            opacity = sample(layer.opacity, frame)
            if not layer.visible or not self._lives(layer, frame) or opacity <= 0:
                continue
            if isinstance(layer, VeilLayer):
                under, overs = self._veil(self._laid(under, overs), layer, frame, opacity), []
            elif isinstance(layer, FootageLayer) and (picture := self.layer(layer, frame)) is not None:
                overs.append((picture, Laying(layer.blend, opacity)))
        return self._laid(under, overs)

    def layer(self, layer: FootageLayer, frame: float) -> Step | None:
        """One layer's picture placed in the frame, or None where it shows nothing."""
        footage = self.shot.footage[layer.footage]
        index = self._footage_frame(layer, footage, frame)
        matrix = self.places.matrix(layer.place, footage, frame)
        if index is None or matrix is None:
            return None
        working = self._working_scale(matrix, footage)
        picture = self._effects(self._source(footage, index, working), layer, frame, working)
        window, quality = self.frame_window, self.quality
        shrink = scaling(1 / working, 1 / working)
        totals = [
            scaling(self.scale, self.scale) @ m @ shrink
            for m in self.places.within_shutter(layer, footage, frame, matrix, self.scale, self.quality)
        ]
        held_edge = layer.place.steady.edge if layer.place.steady else "nothing"
        edge: Edge = "nothing" if held_edge == "zoom" else held_edge
        parameters = (np.round(totals, 9).tolist(), window, quality, edge)
        return step("warp", parameters, (picture,), lambda p: warp_blurred(p, totals, window, quality, edge))

    def _lives(self, layer: Layer, frame: float) -> bool:
        return layer.span is None or layer.span[0] <= frame < layer.span[1] + 1

    def _footage_frame(self, layer: FootageLayer, footage: Footage, frame: float) -> int | None:
        """Which of the footage's frames shows at a shot frame; rates that differ are met by the nearest earlier one."""
        if footage.kind == "sound":
            return None
        if footage.kind == "still":
            return 0
        ratio = float(parse_rate(footage.rate) / parse_rate(self.shot.rate))
        index = math.floor((math.floor(frame) - layer.start) * ratio + 1e-6)
        if 0 <= index < footage.frames:
            return index
        if layer.end == "nothing":
            return None
        return index % footage.frames if layer.end == "loop" else min(max(index, 0), footage.frames - 1)

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
            values = {k: v for k, v in values.items() if k not in ("id", "on", "kind")}

            def make(p: Picture, kind: str = effect.kind, values: dict = values, mix: float = mix) -> Picture:
                done = run(kind, p, values, scale)
                return done if mix >= 1 else blend.mix(p, done, mix)

            picture = step(effect.kind, (values, mix, scale), (picture,), make)
        return picture

    def _veil(self, under: Step, layer: VeilLayer, frame: float, opacity: float) -> Step:
        changed = self._effects(under, layer, frame, self.scale)
        if opacity >= 1 or changed is under:
            return changed
        return step("veil", opacity, (under, changed), lambda a, b: blend.mix(a, b, opacity))

    def _laid(self, under: Step, overs: list[tuple[Step, Laying]]) -> Step:
        if not overs:
            return under
        window, display = self.frame_window, self.shot.blend_in == "display"
        layings = [laying for _, laying in overs]
        return step(
            "stack", (layings, display, window), (under, *(picture for picture, _ in overs)),
            lambda base, *pictures: blend.stack(base, pictures, layings, window, display),
        )  # fmt: skip
