"""Effects on colour as other programs read them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.document import EffectBase
from tropein.core.effects import by_points, run, sampled
from tropein.core.effects.grade import Grade
from tropein.core.errors import BadInput
from tropein.core.interchange.cube import written_cube
from tropein.core.match.cdl import Cdl, read_cdl
from tropein.core.match.colours import graded
from tropein.core.raster.colour import decoded, encoded
from tropein.core.raster.picture import Picture, Window

OF_CDL = {"slope", "offset", "power", "saturation"}


GRADES = (".cdl", ".ccc", ".cc")


def read_grade(data: bytes, name: str, effect_id: str) -> Grade:
    """The first grade of a .cdl, .ccc or .cc file, as an effect of this id; BadInput as of `read_cdl`."""
    return graded(read_cdl(data, name), effect_id)


def as_cube(effect: EffectBase, frame: float, name: str) -> str:
    """What an effect makes of every colour at a frame, as a table. BadInput for one that does not treat every pixel alike."""
    if effect.use != "Colour" or (by_points(effect.kind) is None and effect.kind != "lookup"):
        raise BadInput("Only what treats each colour by itself can be written as a table.")
    values = sampled(effect, frame)
    mix = values.pop("mix")

    def look(display: NDArray[np.float64]) -> NDArray[Any]:
        flat = display.reshape(-1, 3)
        pixels = np.ones((1, len(flat), 4), np.float32)
        pixels[..., :3] = decoded(np.ascontiguousarray(flat[None], np.float32))
        done = run(effect.kind, Picture(pixels, Window(0, 0, len(flat), 1)), values, 1.0).pixels
        made = pixels[..., :3] + np.float32(mix) * (done[..., :3] - pixels[..., :3])
        return encoded(np.ascontiguousarray(made, np.float32)).reshape(display.shape)

    return written_cube(look, name)


def as_cdl(effect: EffectBase, frame: float) -> Cdl:
    """A grade that is no more than slope, offset, power and saturation. BadInput for all others."""
    if not isinstance(effect, Grade):
        raise BadInput("Only a grade can be written so; write this as a .cube table.")
    values, plain = sampled(effect, frame), sampled(Grade(kind="grade", id="plain"), 0)
    more = [n for n in plain if n not in OF_CDL and n != "mix" and not np.allclose(values[n], plain[n], atol=1e-6)]
    if more or values["mix"] < 1:
        titles = [str(Grade.model_fields[n].title).lower() for n in more] or ["mix"]
        raise BadInput(
            f"This grade also sets {', '.join(titles)}, which such a file cannot hold: write it as a .cube table."
        )
    slope, offset, power = (tuple(float(v) for v in values[n]) for n in ("slope", "offset", "power"))
    return Cdl(slope, offset, power, float(values["saturation"]))  # type: ignore[arg-type]
