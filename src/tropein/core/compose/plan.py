"""From a document and a frame to steps with keys: what did not change keeps its key and is not computed again."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Protocol

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.between import by_motion
from tropein.core.compose.chain import Chain
from tropein.core.compose.forms import SAME_SCALE, Blended, CutBy, Mixed, Placed, Read, Stacked, Veiled
from tropein.core.compose.making import Making, MeetingOf
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.pictures import Cutouts, Fonts, Tables, no_cutouts, no_fonts, no_tables
from tropein.core.compose.places import Paths, Places
from tropein.core.compose.scales import working_scale
from tropein.core.compose.shutter import within_shutter
from tropein.core.compose.step import Step, step
from tropein.core.compose.timing import footage_frame, layer_frame
from tropein.core.document import Cut, Footage, Layer, Matte, Shot
from tropein.core.document.kept import Kept
from tropein.core.document.references import Found, Ref, pointers
from tropein.core.media.coded import Coded
from tropein.core.raster import blend
from tropein.core.raster import coverage as cov
from tropein.core.raster.blend import Laying
from tropein.core.raster.picture import Picture, Window, nothing
from tropein.core.raster.warp import IDENTITY, Edge, Matrix, Move, Quality, resize, warp_blurred
from tropein.core.raster.yuv import Cells

Part = tuple[float, float] | None  # of what fills a space: between which distances, far and near


class Footages(Protocol):
    """Where pictures of footage come from (see media.source.Sources)."""

    def level(self, media: str, scale: float) -> int: ...
    def chroma_cells(self, media: str) -> Cells | None: ...
    def read(self, media: str, index: int, level: int) -> Coded: ...


@dataclass(frozen=True)
class Planner:
    """Plans frames of one shot. `scale` is preview pixels per shot pixel; `paths`: see Places. With a `base`, a group, frames are those
    of that group, `window` the part of them that is wanted, in pixels."""

    shot: Shot
    footages: Footages
    paths: Paths
    scale: float = 1.0
    quality: Quality = "final"
    cutouts: Cutouts = no_cutouts
    base: str | None = None
    window: Window | None = None
    tables: Tables = no_tables
    fonts: Fonts = no_fonts
    known_places: Places | None = None  # of the same shot and base
    # what was planned before, of one set of footage: effects on pictures, and whole layers
    chains: Kept[Step] = field(default_factory=Kept)
    layers: Kept[Step | None] = field(default_factory=Kept)

    @cached_property
    def _around(self) -> tuple[object, ...]:
        """What of the shot the step of a layer may depend on, and how it is drawn."""
        shot = self.shot
        return shot.size, shot.rate, shot.frames, shot.shutter_deg, self.scale, self.quality

    @cached_property
    def places(self) -> Places:
        known = self.known_places
        return known if known is not None and known.base == self.base else Places(self.shot, self.paths, self.base)

    @cached_property
    def _inner(self) -> dict[tuple[str, float], Planner]:
        """Planners of groups that lie elsewhere, at a frame."""
        return {}

    @cached_property
    def matte_steps(self) -> dict[tuple[int, float], tuple[Matte, Step]]:
        """Mattes that were planned already: many layers may be cut by one."""
        return {}

    @property
    def frame_window(self) -> Window:
        if self.window is not None:
            return self.window
        w, h = self.shot.size
        return Window(0, 0, max(1, round(w * self.scale)), max(1, round(h * self.scale)))

    def plan(self, frame: float) -> Step:
        """The whole stack at a frame."""
        self._forget()
        return self.stack(self.shot.stack, frame)

    def _forget(self) -> None:
        """What was worked out for another frame is of no use any more."""
        self._inner.clear()
        self.matte_steps.clear()

    def stack(self, stack: list[str], frame: float) -> Step:
        """Layers laid over each other at a frame. Those between two veils are laid in one pass."""
        under = step("nothing", (), (), nothing)
        overs: list[tuple[Step, Laying]] = []

        def laid() -> Step:
            nonlocal under, overs
            under, overs = self._laid(under, overs), []
            return under

        for layer, part in self._in_order(stack, frame):
            opacity = sample(layer.opacity, frame)
            if not self.shows(layer, frame) or opacity <= 0:
                continue
            if layer.kind == "beneath":
                under, overs = self._veil(laid(), layer, frame, opacity), []
            elif (picture := self.layer(layer, frame, part)) is not None:
                meeting = MeetingOf(self, layer, frame, laid)
                for meet in layer.meetings if layer.id != self.shot.plate else ():
                    if not meet.on:
                        continue
                    picture = meet.over(picture, meeting)
                    if (before := meet.before(meeting)) is not None:
                        overs.append((before, Laying("normal", opacity)))
                overs.append((picture, Laying(layer.blend, opacity)))
        return laid()

    def _in_order(self, stack: list[str], frame: float) -> list[tuple[Layer, Part]]:
        """A stack from its last to the lens, layers of open groups among the others; neighbours in one scene lie by their depth, far ones
        first, what fills the space about its place in parts between the others."""
        order: list[tuple[Layer, Part]] = []
        run: list[tuple[float, Layer]] = []
        group = None
        for layer in [*self._flat(stack, frame), None]:
            here = self.places.scene_and_depth(layer, frame) if layer is not None else None
            if here is None or here[0] != group:
                order += _by_depth(run)
                run, group = [], here[0] if here else None
            if layer is not None and here is not None:
                run.append((here[1], layer))
            elif layer is not None:
                order.append((layer, None))
        return order

    def _flat(self, stack: list[str], frame: float) -> Iterator[Layer]:
        for layer_id in reversed(stack):
            layer = self.shot.layers[layer_id]
            if layer.stack is None or not is_open(layer):
                yield layer
            elif self.shows(layer, frame):
                yield from self._flat(layer.stack, frame)

    def matte(self, matte_id: str, frame: float) -> Step:
        """A matte's coverage of the frame."""
        self._forget()
        return Mattes(self).matte(self.shot.mattes[matte_id], frame)

    def layer(self, layer: Layer, frame: float, part: Part = None) -> Step | None:
        """One layer's picture placed in the frame and cut, or None where it shows nothing. While something else is changed the step
        of one that depends on nothing but itself is kept."""
        grouped = self.base is not None or self.window is not None or layer.id in self.places.groups
        if grouped or part is not None or not _alone.of(layer):
            return self._layer(layer, frame, part)
        footage = self.shot.footage.get(layer.footage or "")
        of = None if footage is None else _facts.of(footage)
        return self.layers.of(layer, frame, of, self._around, make=lambda: self._layer(layer, frame))

    def _layer(self, layer: Layer, frame: float, part: Part = None) -> Step | None:
        own = self.own_picture(layer, frame, part)
        if own is None:
            return None
        picture, working = own
        if layer.cuts:
            picture = Mattes(self.inside(layer, frame)).unmixed(layer, picture, working, frame)
        placed = self.placed(layer, Chain(self, layer, frame, working).after(picture), working, frame)
        coverage = self.covered(layer, layer.cuts, frame)
        if placed is None or coverage is None:
            return placed
        return step("cut", (), (placed, coverage), cov.cut, CutBy())

    def finished(self, layer: Layer, frame: float, working: float) -> Step | None:
        """A layer's picture with its effects and as it is cut, in its own pixels at a scale; None where it shows nothing."""
        within = replace(self, base=self.places.groups.get(layer.id), window=None)
        matrix, made = within.places.matrix(layer, frame), within.content(layer, frame, working)
        if made is None or matrix is None:
            return None
        if layer.cuts:
            made = Mattes(within).unmixed(layer, made, working, frame)
        made = Chain(within, layer, frame, working).after(made)
        coverage = Mattes(within).cuts(layer.cuts, frame)
        if coverage is None:
            return made
        seen = Mattes(within).seen_from(coverage, Move(matrix).scaled(within.scale, working).matrix, made)
        return step("cut", (), (made, seen), cov.cut, CutBy())

    def own_picture(self, layer: Layer, frame: float, part: Part = None) -> tuple[Step, float] | None:
        """A layer's own pixels before anything is done to them, and their scale; None where it shows nothing."""
        matrix = self.places.matrix(layer, frame)
        if matrix is None:
            return None
        working = working_scale(matrix, layer.content.size(self.shot), self.scale)
        made = self.content(layer, frame, working, part)
        return None if made is None else (made, working)

    def content(self, layer: Layer, frame: float, working: float, part: Part = None) -> Step | None:
        """What a layer's content makes at a frame, and what lies between two of its frames where it has whole ones only."""
        at = layer_frame(self.shot, layer, frame)
        if at is None:
            return None
        making, content, between = Making(self, layer, frame, at, working, part), layer.content, layer.time.between
        share = at - int(at)
        if content.in_shot_time or between == "nearest" or share < LEAST_SHARE:
            made: Step | None = content.picture(making)
            return made
        last = self.shot.footage[layer.footage].frames - 1 if layer.footage else self.shot.frames - 1
        after = int(at) + 1
        after = after if after <= last else 0 if layer.time.end == "loop" else last
        ends = [content.picture(replace(making, frame=float(f))) for f in (int(at), after)]
        if any(end is None for end in ends):
            return None
        if between == "mixed":
            return step("mixed", round(share, 6), tuple(ends), lambda a, b: blend.mix(a, b, share), Mixed(share))
        return step("by-motion", round(share, 6), tuple(ends), lambda a, b: by_motion(a, b, share))

    def stack_within(self, layer: Layer, stack: list[str], frame: float, outer_frame: float, working: float) -> Step:
        """A group's layers in a picture of its own, as far as that is seen in the frame."""
        matrix = self.places.matrix(layer, outer_frame)
        window = None if matrix is None else self._seen_of(Move(matrix).scaled(self.scale, working).matrix)
        return replace(self, base=layer.id, scale=working, window=window).stack(stack, frame)

    def _seen_of(self, to_frame: Matrix) -> Window | None:
        """The part of a group's frame that is seen in this one; None where that is the frame itself."""
        if np.allclose(to_frame, IDENTITY, atol=1e-9) or abs(np.linalg.det(to_frame)) < 1e-12:
            return self.window
        f = self.frame_window
        corners = (
            np.array([[f.x0, f.y0, 1], [f.x1, f.y0, 1], [f.x1, f.y1, 1], [f.x0, f.y1, 1]], float)
            @ np.linalg.inv(to_frame).T
        )
        if corners[:, 2].min() <= 1e-9:
            return self.window
        xy = corners[:, :2] / corners[:, 2:]
        w, h = f.width * MOST_SEEN, f.height * MOST_SEEN
        low = np.maximum(np.floor(xy.min(0)) - ROOM_PX, [f.x0 - w, f.y0 - h])
        high = np.minimum(np.ceil(xy.max(0)) + ROOM_PX, [f.x1 + w, f.y1 + h])
        x0, y0, x1, y1 = (int(v) for v in (*low, *high))
        return Window(x0, y0, max(x1, x0 + 1), max(y1, y0 + 1))

    def inside(self, layer: Layer, frame: float) -> Planner:
        """The planner whose frame is that of the group a layer is in, where the group lies elsewhere than this frame does."""
        group = self.places.groups.get(layer.id)
        if group is None or group == self.base:
            return self
        matrix = self.places.group_matrix(layer.id, frame)
        if matrix is None or matrix is IDENTITY or np.array_equal(matrix, IDENTITY):
            return self
        if (group, frame) not in self._inner:
            window = self._seen_of(Move(matrix).scaled(self.scale, self.scale).matrix)
            self._inner[group, frame] = replace(self, base=group, window=window)
        return self._inner[group, frame]

    def covered(self, layer: Layer, cuts: dict[str, Cut], frame: float) -> Step | None:
        """What a layer's cuts leave, in this frame: mattes within a group go where the group goes."""
        if not cuts:
            return None
        inner = self.inside(layer, frame)
        made = Mattes(inner).cuts(cuts, frame)
        if made is None or inner is self:
            return made
        matrix = self.places.group_matrix(layer.id, frame)
        assert matrix is not None
        return self._brought(made, [Move(matrix).scaled(self.scale, self.scale)], "nothing")

    def footage_frame(self, layer: Layer, frame: float) -> int | None:
        """Which frame of its footage a layer shows."""
        return footage_frame(self.shot, layer, frame)

    def frame_of(self, footage: str, index: int, working: float) -> Step:
        """A certain frame of footage."""
        return self._source(self.shot.footage[footage], index, working)

    def chroma_cells(self, footage: str) -> Cells | None:
        return self.footages.chroma_cells(self.shot.footage[footage].media)

    def placed(self, layer: Layer, picture: Step, working: float, frame: float) -> Step | None:
        """A picture of a layer's own pixels where the layer lies."""
        moves = self._moves(layer, working, frame)
        return None if moves is None else self._warped(picture, *moves)

    def placed_coverage(self, layer: Layer, made: Step, working: float, frame: float) -> Step | None:
        """Coverage of a layer's own pixels where the layer lies."""
        moves = self._moves(layer, working, frame)
        return None if moves is None else self._brought(made, *moves)

    def _moves(self, layer: Layer, working: float, frame: float) -> tuple[list[Move], Edge] | None:
        """How a layer's own pixels come to the frame, and what lies beyond their edges."""
        move = self.places.move(layer, frame)
        if move is None:
            return None
        moves = within_shutter(self.places, layer, frame, move, self.scale, self.quality)
        edge = layer.place.steady.edge if layer.place.steady else "nothing"
        return [m.scaled(self.scale, working) for m in moves], "nothing" if edge == "zoom" else edge

    def _brought(self, made: Step, moves: list[Move], edge: Edge) -> Step:
        window, quality = self.frame_window, self.quality
        parameters = ([m.key() for m in moves], window, quality, edge)
        return step("placed-coverage", parameters, (made,), lambda c: cov.placed(c, moves, window, quality, edge))

    def _warped(self, picture: Step, moves: list[Move], edge: Edge) -> Step:
        window, quality = self.frame_window, self.quality
        parameters = ([m.key() for m in moves], window, quality, edge)
        return step(
            "warp", parameters, (picture,), lambda p: warp_blurred(p, moves, window, quality, edge),
            Placed(moves, window, quality, edge),
        )  # fmt: skip

    def shows(self, layer: Layer, frame: float) -> bool:
        """Whether a layer is switched on and lives at a frame."""
        return layer.visible and (layer.span is None or layer.span[0] <= frame < layer.span[1] + 1)

    def _source(self, footage: Footage, index: int, working: float) -> Step:
        level = self.footages.level(footage.media, working)
        footages, media = self.footages, footage.media

        def make(coded: Coded) -> Picture:
            picture, own = coded.picture(), coded.scale
            return picture if abs(own - working) < SAME_SCALE else resize(picture, working / own)

        def read() -> Coded:
            coded = footages.read(media, index, level)
            return coded.reduced(working) if level else coded  # level 0 is reduced in light

        coded = step("coded", (media, index, level, round(working, 6) if level else 0), (), read)
        return step("source", round(working, 6), (coded,), make, Read(working))

    def _veil(self, under: Step, layer: Layer, frame: float, opacity: float) -> Step:
        where = self.covered(layer, layer.cuts, frame)
        chain = Chain(self, layer, frame, self.scale)
        seen = under if where is None else chain.needed(under, where)
        changed = chain.after(seen)
        if changed is seen:
            return under
        if layer.blend != "normal":
            how = (layer.blend, self.shot.blend_in == "display")
            changed = step("veil-blend", how, (under, changed), lambda a, b: blend.within(a, b, *how), Blended(*how))
        if where is not None:
            return step(
                "veil-cut",
                opacity,
                (under, changed, where),
                lambda a, b, c: cov.mix_where(a, b, c, opacity),
                Veiled(opacity),
            )
        if opacity >= 1:
            return changed
        return step("veil", opacity, (under, changed), lambda a, b: blend.mix(a, b, opacity), Veiled(opacity))

    def _laid(self, under: Step, overs: list[tuple[Step, Laying]]) -> Step:
        if not overs:
            return under
        window, display = self.frame_window, self.shot.blend_in == "display"
        layings = [laying for _, laying in overs]
        return step(
            "stack", (layings, display, window), (under, *(picture for picture, _ in overs)),
            lambda base, *pictures: blend.stack(base, pictures, layings, window, display), Stacked(layings, display, window),
        )  # fmt: skip


def _by_depth(run: list[tuple[float, Layer]]) -> list[tuple[Layer, Part]]:
    """Layers of one scene, far ones first. One that fills the space about its place is parted at the cards nearest to that."""
    placed: list[tuple[float, Layer, Part]] = []
    cards = [away for away, layer in run if not layer.content.fills_depth]
    for away, layer in run:
        at = (
            sorted(sorted(cards, key=lambda d: abs(d - away))[:MOST_PARTS], reverse=True)
            if layer.content.fills_depth
            else []
        )
        if not at:
            placed.append((away, layer, None))
            continue
        ends = [math.inf, *at, 0.0]
        for far, near in zip(ends, ends[1:], strict=False):
            placed.append((math.inf if far == math.inf else (far + near) / 2, layer, (far, near)))
    return [(layer, part) for _, layer, part in sorted(placed, key=lambda p: -p[0])]


MOST_PARTS = 5  # cards between which one cloud is parted
LEAST_SHARE = 1e-4  # nearer to a whole frame than this nothing is mixed
MOST_SEEN, ROOM_PX = 2, 4  # how far beyond the frame a group's picture is made, in frames; and a margin


def is_open(group: Layer) -> bool:
    """Whether a group does nothing of its own to its layers but move them, so that they mix with what lies beneath as if it were not there."""
    place = group.place
    own = (
        place.depth,
        place.corners,
        place.steady,
        any(e.on for e in group.looks),
        group.cuts,
        any(m.on for m in group.meetings),
    )
    whole = group.opacity.still and group.opacity.value == 1
    return not any(own) and whole and group.blend == "normal" and group.time.plain


def _of_footage(found: Found) -> bool:
    return isinstance(found.mark, Ref) and found.mark.to == "footage"


_facts: Kept[str] = Kept(lambda footage: str(footage.model_dump_json()))
_alone: Kept[bool] = Kept(lambda layer: layer.stack is None and all(_of_footage(f) for f in pointers(layer)))
