"""Motion blur of an insert that is moved."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tropein.core.errors import BadInput
from tropein.core.match.measure import MEASURES, Fix, MeasureBase, Seen

TURN = 360.0


@MEASURES.add
class MotionBlur(MeasureBase):
    """How long a blur its way through the frame would leave while the shutter is open, and it has not: by the way and the shot's shutter,
    which is more certain than what is seen of it."""

    title: ClassVar[str] = "Motion blur"
    act: ClassVar[str] = "Blur it by its own way"
    unit: ClassVar[str] = "px"
    order: ClassVar[int] = 60
    visible_from: ClassVar[float] = 1.5
    kind: Literal["motion-blur"] = "motion-blur"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        shot, layer = seen.shot, seen.layer
        if shot.shutter_deg <= 0:
            raise BadInput("The shot's shutter is at 0: nothing is blurred by motion.")
        places = seen.renderer.planner(shot).places
        ends = [places.matrix(layer, frame + side / 2) for side in (-1, 1)]
        if any(e is None for e in ends):
            raise BadInput(f"{layer.name} lies nowhere at frame {frame}.")
        w, h = layer.content.size(shot)
        spots = np.array(
            [
                [w / 4, h / 4, 1],
                [3 * w / 4, h / 4, 1],
                [w / 4, 3 * h / 4, 1],
                [3 * w / 4, 3 * h / 4, 1],
                [w / 2, h / 2, 1],
            ]
        )
        there = [spots @ np.asarray(e).T for e in ends]
        a, b = (p[:, :2] / p[:, 2:] for p in there)
        length = float(np.linalg.norm(b - a, axis=1).max()) * shot.shutter_deg / TURN
        if layer.place.motion_blur:
            return 0.0, f"It moves by {length:.1f} px while the shutter is open, and is blurred by that."
        return -length, f"It moves by {length:.1f} px while the shutter is open, and shows none of it."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        if off == 0:
            return None
        path = f"/layers/{seen.layer.id}/place/motion_blur"
        return Fix(
            label=f"blur {seen.layer.name} by its motion", patch=[{"op": "replace", "path": path, "value": True}]
        )
