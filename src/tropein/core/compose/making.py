"""What contents and meets are given while their pictures are planned."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from tropein.core.compose.places import Foot
from tropein.core.compose.step import Step, step
from tropein.core.document import ContentBase, Layer, Shot
from tropein.core.effects import sampled
from tropein.core.raster.picture import Picture, Window

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

    @property
    def shot(self) -> Shot:
        return self.planner.shot

    def footage(self, footage: str, index: int) -> Step:
        return self.planner.frame_of(footage, index, self.scale)

    def stack(self, stack: list[str]) -> Step:
        return self.planner.stack_within(self.layer, stack, self.frame, self.outer, self.scale)

    def finished(self, layer: str) -> Step | None:
        return self.planner.finished(self.shot.layers[layer], self.frame, self.scale)

    def drawn(self, content: ContentBase) -> Step:
        values, scale = sampled(content, self.frame), self.scale
        w, h = content.size(self.shot)
        window = Window(0, 0, max(1, round(w * scale)), max(1, round(h * scale)))

        def make() -> Picture:
            made: Picture = content.draw(values, window, scale)
            return made

        return step(f"content-{content.kind}", (values, window, scale), (), make)


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

    def foot(self) -> Foot | None:
        return self.planner.places.foot(self.layer, self.frame)

    def step(self, op: str, parameters: object, inputs: tuple[Step, ...], make: Callable[..., Any]) -> Step:
        return step(op, parameters, inputs, make)
