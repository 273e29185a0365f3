"""What contents and meets are given while their pictures are planned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from tropein.core.compose.forms import Changed, Rows
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.places import Foot, View
from tropein.core.compose.step import Step, step
from tropein.core.document import ContentBase, Layer, Shot
from tropein.core.document.content import RIDE
from tropein.core.effects import sampled
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Matrix, apply, scaling

if TYPE_CHECKING:
    from tropein.core.compose.plan import Planner


@dataclass(frozen=True)
class Making:
    """A content's context (document.content.Context): `outer` is the frame of the stack its layer is in, `frame` the content's own."""

    planner: Planner
    layer: Layer
    outer: float
    frame: float
    scale: float
    part: tuple[float, float] | None = None

    @property
    def in_depth(self) -> bool:
        return self.layer.place.depth is not None

    def view(self, frame: float) -> View | None:
        return self.planner.places.view(self.layer, self.outer + frame - self.frame)

    @property
    def shot(self) -> Shot:
        return self.planner.shot

    def footage(self, footage: str, index: int) -> Step:
        return self.planner.frame_of(footage, index, self.scale)

    def stack(self, stack: list[str]) -> Step:
        return self.planner.stack_within(self.layer, stack, self.frame, self.outer, self.scale)

    def finished(self, layer: str, frame: float | None = None, scale: float | None = None) -> Step | None:
        at, by = self.frame if frame is None else frame, self.scale if scale is None else scale
        return self.planner.finished(self.shot.layers[layer], at, by)

    def drawn(self, content: ContentBase) -> Step | None:
        values, scale = self.values(content, self.frame), self.scale
        if values is None:
            return None
        return self.made(
            content.kind, values, content.size(self.shot), lambda window: content.draw(values, window, scale)
        )

    def values(self, content: ContentBase, frame: float) -> dict[str, Any] | None:
        values = dict(sampled(content, frame))
        for name in content.points():
            moved = self.carried(content, name, frame)
            if moved is None:
                return None
            values[name] = tuple(apply(moved, np.array([values[name]]))[0].tolist())
            del values[name + RIDE]
        return values

    def carried(self, content: ContentBase, name: str, frame: float) -> Matrix | None:
        return self.planner.places.point_matrix(content, name, frame)

    def matte(self, matte: str, frame: float, scale: float = 0.0) -> tuple[Step, Matrix] | tuple[None, None]:
        planner = self.planner if not scale else replace(self.planner, scale=scale, window=None)
        found, outer = self.shot.mattes.get(matte), self.outer + frame - self.frame
        matrix = planner.places.matrix(self.layer, outer)
        if found is None or matrix is None:
            return None, None
        return Mattes(planner).matte(found, outer).lasts, scaling(planner.scale, planner.scale) @ matrix

    def font(self, font: str) -> str | None:
        found = self.planner.fonts(font)
        return None if found is None else str(found)

    def step(self, op: str, parameters: object, inputs: tuple[Step, ...], make: Callable[..., Any]) -> Step:
        return step(f"content-{op}", parameters, inputs, make)

    def made(
        self,
        op: str,
        parameters: object,
        size: tuple[int, int],
        make: Callable[..., Picture],
        inputs: tuple[Step, ...] = (),
    ) -> Step:
        window = Window(0, 0, *(max(1, round(side * self.scale)) for side in size))
        return step(f"content-{op}", (parameters, window, self.scale), inputs, lambda *given: make(window, *given))


@dataclass(frozen=True)
class MeetingOf:
    """What a meeting is given (document.meet.Meeting)."""

    planner: Planner
    layer: Layer
    frame: float
    laid: Callable[[], Step]

    @property
    def scale(self) -> float:
        return self.planner.scale

    @property
    def window(self) -> Window:
        return self.planner.frame_window

    @property
    def under(self) -> Step:
        return self.laid()

    def layer_at(self, frame: float) -> Step | None:
        made = self.planner.layer(self.layer, frame) if self.planner.shows(self.layer, frame) else None
        return None if made is None else made.lasts

    def foot(self) -> Foot | None:
        return self.planner.places.foot(self.layer, self.frame)

    def step(
        self, op: str, parameters: object, inputs: tuple[Step, ...], make: Callable[..., Any], rows: Rows | None = None
    ) -> Step:
        return step(op, parameters, inputs, make, rows and Changed(rows))
