"""Shadow where something touches the floor."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.floor import contact_shadow, floor_hit
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import scaling


@MEETS.add
class Touches(MeetBase):
    """The shadow of the foot of a layer that stands in a solved scene: what it keeps of the light from above off the floor."""

    title: ClassVar[str] = "Shadow on the floor"
    kind: Literal["touches"] = "touches"
    shadow: AnimatedNumber = control(
        0.5, "Shadow", soft=(0, 1), hard=(0, 1), help="Of its foot on the floor of a solved scene, lit from above."
    )
    soft: AnimatedNumber = control(20.0, "Soft edge", soft=(1, 200), hard=(1e-6, 1e6), step=0.5)

    def before(self, meeting: Meeting) -> Any:
        amount = sample(self.shadow, meeting.frame)
        cast = meeting.foot() if amount > 0 else None
        if cast is None:
            return None
        soft, window = sample(self.soft, meeting.frame), meeting.window
        to_picture = np.linalg.inv(cast.ride_matrix) @ scaling(1 / meeting.scale, 1 / meeting.scale)

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
        return meeting.step("floor-shadow", (numbers, amount, soft, window), (), make)
