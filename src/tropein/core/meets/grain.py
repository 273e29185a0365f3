"""Grain of the plate."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.base import Model
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.raster.grain import film_grain, strength_at
from tropein.core.raster.grain_like import BANDS, grain_like, table_of, tile_like
from tropein.core.raster.picture import Picture
from tropein.core.rows.grains import alike, film

Share = Annotated[float, Field(ge=0, le=1000)]


class GrainLike(Model):
    """Grain as it was measured (core.match.spectrum). tones: how strong it is, as a share of the amount, in equal parts of display brightness; bands:
    how much of it is how fine (raster.grain_like); mix: how its channels go together."""

    tones: list[Share] = Field(min_length=2, max_length=32)
    bands: list[Share] = Field(min_length=BANDS, max_length=BANDS)
    mix: list[Annotated[float, Field(ge=-10, le=10)]] = Field(min_length=6, max_length=6)


@MEETS.add
class GrainOver(MeetBase):
    """Grain in the frame's own pixels, however large the layer lies in it: that of the plate, where it was measured."""

    title: ClassVar[str] = "Grain"
    kind: Literal["grain"] = "grain"
    amount: AnimatedNumber = control(
        0.02, "Amount", soft=(0, 0.1), hard=(0, 1), step=0.001, help="Standard deviation, as a share of white."
    )
    size: AnimatedNumber = control(0.6, "Size", soft=(0, 3), hard=(0, 40), step=0.05, unit="px")
    colour: AnimatedNumber = control(
        0.4, "Colour", soft=(0, 1), hard=(0, 1), help="At 0 all channels share one grain, at 1 each has its own."
    )
    tones: AnimatedNumber = control(
        0.0, "Middle tones", soft=(0, 1), hard=(0, 1), help="How much more grain they show than black and white."
    )
    seed: AnimatedNumber = control(7.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
    like: GrainLike | None = None  # in place of size, colour and tones

    def over(self, picture: Any, meeting: Meeting) -> Any:
        frame, scale = meeting.frame, meeting.scale
        amount, size, colour, tones, seed = (
            float(sample(v, frame)) for v in (self.amount, self.size, self.colour, self.tones, self.seed)
        )
        if amount <= 0:
            return picture
        if self.like is not None:
            return _alike(self.like, amount, int(seed), picture, meeting)
        seen = strength_at(amount, size, scale)

        def make(p: Picture) -> Picture:
            w = p.window
            if w.empty:
                return p
            return Picture(film_grain(p.pixels, w.x0, w.y0, size * scale, seen, colour, tones, int(seed), frame), w)

        return meeting.step(
            "grain-over", (seen, size, scale, colour, tones, seed, frame), (picture,), make,
            lambda window: [film(amount, size, colour, tones, int(seed), frame, scale)],
        )  # fmt: skip


def _alike(like: GrainLike, amount: float, seed: int, picture: Any, meeting: Meeting) -> Any:
    frame, scale = meeting.frame, min(meeting.scale, 1.0)

    def given() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        gains = table_of(tuple(like.tones)) * np.float32(amount)
        return tile_like(tuple(like.bands), tuple(like.mix), scale, seed), gains

    def make(p: Picture) -> Picture:
        w = p.window
        return p if w.empty else Picture(grain_like(p.pixels, w.x0, w.y0, *given(), seed, frame), w)

    return meeting.step(
        "grain-like", (like, amount, scale, seed, frame), (picture,), make,
        lambda window: [alike(*given(), seed, frame)],
    )  # fmt: skip
