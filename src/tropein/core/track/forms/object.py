"""Objects in boxes."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.ride import Path
from tropein.core.raster.warp import apply
from tropein.core.track.box import Box, ObjectFound
from tropein.core.track.file import FILES, FileBase, Sample

BOX_SHOWN = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])


class ObjectSample(Sample):
    """`box`: centre x, y, width, height; turned clockwise by `angle_deg`."""

    box: tuple[float, float, float, float] | None
    angle_deg: float = 0.0

    def values(self) -> list[object]:
        return [*(self.box or ("",) * 4), self.angle_deg]


@FILES.add
class ObjectFile(FileBase):
    kind: Literal["object"] = "object"
    frames: list[ObjectSample]

    def path(self, spot: str = "") -> Path:
        boxes = [box_of(s) for s in self.in_order]
        ends = np.array([_ends(b) if b else np.zeros((2, 2)) for b in boxes]).reshape(-1, 2, 2)
        good = np.array([b is not None and not s.lost for b, s in zip(boxes, self.in_order, strict=True)], bool)
        return Path(self.numbers, ends, good, "similarity")

    def columns(self) -> list[str]:
        return ["x", "y", "width", "height", "angle_deg"]

    def square(self, row: Sample, point: int, half: float) -> NDArray[np.float64] | None:
        assert isinstance(row, ObjectSample)
        box = box_of(row)
        return None if box is None else apply(box.matrix(), BOX_SHOWN) + 0.5


def _ends(box: Box) -> NDArray[np.float64]:
    """The middles (2, 2) of the box's left and right side: what carries its place, size and angle."""
    a = np.radians(box.angle_deg)
    side = box.sides[0] / 2 * np.array([np.cos(a), np.sin(a)])
    return np.array([box.centre - side, box.centre + side])


def object_sample(found: ObjectFound) -> ObjectSample:
    """One frame of an object track."""
    x, y, w, h = (round(float(v), 4) for v in (*found.box.centre, *found.box.sides))
    return ObjectSample(
        frame=found.frame, confidence=round(min(max(found.confidence, 0.0), 1.0), 4), lost=found.lost, reason=found.reason,
        box=(x, y, w, h), angle_deg=round(found.box.angle_deg, 4),
    )  # fmt: skip


def box_of(sample: ObjectSample) -> Box | None:
    return None if sample.box is None else Box(np.array(sample.box[:2]), np.array(sample.box[2:]), sample.angle_deg)


def found_object(sample: ObjectSample) -> ObjectFound | None:
    box = box_of(sample)
    return None if box is None else ObjectFound(sample.frame, box, sample.confidence, sample.lost, sample.reason)
