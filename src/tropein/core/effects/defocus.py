"""Defocus."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, Id, control
from tropein.core.document.base import chosen_matte, setting
from tropein.core.document.effect import Asking
from tropein.core.document.references import Ref
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.aperture import LEAST_PX, defocused, through_aperture
from tropein.core.raster.colour import LUMA
from tropein.core.raster.coverage import over
from tropein.core.raster.in_depth import behind_subject, by_distance
from tropein.core.raster.picture import Picture

MOST_TIMES = 8.0  # the radius, of what is nearer than what is sharp


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    coverage, away = values.get("given", (None, None))
    radius = values["radius"] * scale
    if away is not None and values["focus_at"] > 0:
        radius *= min(abs(1 - values["focus_at"] / max(away, 1e-6)), MOST_TIMES)
    if picture.window.empty or radius < LEAST_PX:
        return picture
    opaque = picture.opaque
    window = picture.window if opaque else picture.window.grow(math.ceil(radius) + 1)
    pixels = picture.pixels if opaque else picture.fill(window)
    if values["bloom"] > 0:  # what was clipped was brighter than it shows
        luma = pixels[..., :3] @ LUMA
        gain = 1 + np.float32(values["bloom"]) * np.clip((luma - np.float32(values["from_light"])) / 0.3, 0, 1) ** 2
        pixels = pixels.copy()
        pixels[..., :3] *= gain[..., None]
    border = cv2.BORDER_REPLICATE if opaque else cv2.BORDER_CONSTANT
    aperture = round(values["blades"]), values["roundness"], values["turn"]
    pixels = np.ascontiguousarray(pixels)
    if coverage is None:
        return Picture(defocused(pixels, radius, *aperture, border), window)

    def through(layer: NDArray[np.float32], r: float) -> NDArray[np.float32]:
        return through_aperture(np.ascontiguousarray(layer, np.float32), r, *aperture, border)

    plane, reads = over(coverage, window), values["reads"]
    if reads in ("subject", "rest"):
        plane = 1 - plane if reads == "subject" else plane
        return Picture(behind_subject(pixels, plane, radius, through), window)
    distance = 1 - plane if reads == "near" else plane
    return Picture(by_distance(pixels, distance, values["focus"], radius, through), window)


@effect(_apply)
class Defocus(EffectBase):
    """Out of focus as a lens has it: bright points open into the shape of the aperture."""

    use: ClassVar[str] = "Blur"
    model_config = ConfigDict(title="Defocus")
    kind: Literal["defocus"] = "defocus"
    radius: AnimatedNumber = control(12.0, "Radius", soft=(0, 60), hard=(0, 200), step=0.1, unit="px")
    blades: AnimatedNumber = control(6.0, "Blades", soft=(0, 12), hard=(0, 24), step=1, help="Below 3 it is a disc.")
    roundness: AnimatedNumber = control(0.5, "Roundness", soft=(0, 1), hard=(0, 1))
    turn: AnimatedNumber = control(0.0, "Turn", soft=(0, 90), hard=(-360, 360), step=0.5, unit="°")
    bloom: AnimatedNumber = control(
        1.5, "Bloom", soft=(0, 8), hard=(0, 100), help="How much brighter bright points are taken to be than they show."
    )
    from_light: AnimatedNumber = control(0.7, "Bloom from", soft=(0, 2), hard=(0, 100))
    by: Annotated[Id, Ref("mattes", "goes soft by", on_delete="clear", sees="picture")] | None = chosen_matte(
        "By a matte", "Soft only behind a subject, or by distance: nothing sharp bleeds into what is soft.", "Distance"
    )
    reads: Literal["subject", "rest", "far", "near"] = setting(
        "subject",
        "What it covers",
        widget="choice",
        options={
            "subject": "is the subject, and stays sharp",
            "rest": "goes soft, the rest stays sharp",
            "far": "is far: its grey is distance",
            "near": "is near: its grey is distance",
        },
        group="Distance",
    )
    focus: AnimatedNumber = control(
        0.0, "Sharp at", soft=(0, 1), hard=(0, 1), help="By distance: 0 is nearest, 1 is farthest.", group="Distance"
    )
    focus_at: AnimatedNumber = control(
        0.0,
        "Sharp at, in the scene",
        soft=(0, 40),
        hard=(0, 1e6),
        step=0.05,
        help="Of a layer in depth: how far from the camera things are sharp; it goes soft by its own distance. 0: not by that.",
        group="Distance",
    )

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        return asking.matte(self.by), asking.away()
