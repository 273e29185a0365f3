"""Distance in a solved scene."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, AnimatedNumber, Id, PieceBase, control
from tropein.core.document.references import Ref
from tropein.core.matte import distance
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.floor import floor_hit


@PIECES.add
class DistancePiece(PieceBase):
    """Keeps what is far away in a solved scene: at every pixel the distance along the camera's ray to the floor."""

    title: ClassVar[str] = "Distance"
    kind: Literal["distance"] = "distance"
    track: Annotated[
        Id, Ref("tracks", "measures from the camera of", what="a camera track", kinds=("camera",), on_delete="drop")
    ]
    near: AnimatedNumber = control(100.0, "Nothing up to", soft=(0, 2000), hard=(0, 1e6), step=1, help="Scene units.")
    far: AnimatedNumber = control(400.0, "All from", soft=(0, 4000), hard=(0, 1e6), step=1, help="Scene units.")
    height: AnimatedNumber = control(
        0.0, "Height", soft=(-200, 200), hard=(-1e6, 1e6), step=0.5, help="Of the level plane over the floor."
    )

    def coverage(self, on: Mattes, frame: float) -> Step | None:
        places, window, scale = on.pictures.places, on.window, on.pictures.scale
        camera = places.solved(self.track, frame)
        plate = places.with_plate(on.shot.tracks[self.track].footage, frame)
        if camera is None or abs(np.linalg.det(plate)) < 1e-12:
            return None
        near, far, height = (sample(v, frame) for v in (self.near, self.far, self.height))
        to_picture = np.linalg.inv(plate) @ np.diag([1 / scale, 1 / scale, 1.0])

        def make() -> Coverage:
            size, corner = (window.width, window.height), (window.x0, window.y0)
            _, _, away = floor_hit(
                camera.pose, camera.focal, camera.centre, height, to_picture, corner, size, camera.lens
            )
            return Coverage(distance.coverage(away, near, far), window)

        numbers = (camera.pose.tobytes(), camera.focal, camera.centre.tobytes(), camera.radial, to_picture.tobytes())
        return step("distance", (numbers, near, far, height, window), (), make)
