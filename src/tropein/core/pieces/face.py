"""A part of a face."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, Id, PieceBase
from tropein.core.document.references import Ref
from tropein.core.raster import coverage as cov
from tropein.core.raster.coverage import Coverage, Joining
from tropein.core.raster.outline import fill, flatten
from tropein.core.raster.picture import Window
from tropein.core.raster.warp import apply
from tropein.core.track.face_mesh import PARTS
from tropein.core.track.forms.face import LOOP

FacePart = Literal[
    "left eye", "right eye", "eyes", "left iris", "right iris", "irises", "lips", "mouth opening", "left brow",
    "right brow", "oval", "skin",
]  # fmt: skip


@PIECES.add
class FacePiece(PieceBase):
    """A part of a tracked face; a blink closes the eyes and what lies in them."""

    title: ClassVar[str] = "Part of a face"
    kind: Literal["face"] = "face"
    track: Annotated[Id, Ref("tracks", "looks for a face in", what="a face track", kinds=("face",), on_delete="drop")]
    part: FacePart = "oval"

    def coverage(self, on: Mattes, frame: float) -> Step | None:
        """Outlines through the mesh; lids that meet enclose nothing."""
        places, scale = on.pictures.places, on.pictures.scale
        adds, takes = PARTS[self.part]
        loops = []
        for name in (*adds, *takes):
            path = places.path(self.track, LOOP + name)
            points = path.at(frame, 0.0, "bridge") if path is not None else None
            if points is None:
                return None
            seen = places.with_plate(on.shot.tracks[self.track].footage, frame)
            loops.append(np.round(apply(seen, points) * scale, 4))
        window, count = on.window, len(adds)

        def make() -> Coverage:
            filled = [_smooth_loop(points, window) for points in loops]
            joins = [Joining("add")] * count + [Joining("subtract")] * (len(filled) - count)
            return cov.combine(filled, joins, window)

        return step("face-part", ([points.tolist() for points in loops], count, window), (), make)


def _smooth_loop(points: np.ndarray[Any, Any], window: Window) -> Coverage:
    """A closed curve through the points, its tangents those of Catmull and Rom (1974)."""
    tangent = (np.roll(points, -1, 0) - np.roll(points, 1, 0)) / 6
    none = np.zeros((len(points), 2))
    vertices, widths = flatten(points, -tangent, tangent, none, True)
    return fill(vertices, widths, window)
