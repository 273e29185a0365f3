"""Grain."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.grain import film_grain
from tropein.core.raster.picture import Picture

FINEST_PX = 0.28  # finer grain than this is white noise: a pixel's own width
GRAIN_WIDTH = 3.545


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    amount, size = values["amount"], values["size"] * scale
    if amount <= 0 or picture.window.empty:
        return picture
    # reducing a picture averages grain away once its pixels are wider than a grain's own width, 2 sqrt(pi) sigma
    amount *= min(1.0, GRAIN_WIDTH * max(values["size"], FINEST_PX) * scale)
    w = picture.window
    colour, tones, seed = values["colour"], values["tones"], int(values["seed"])
    return Picture(film_grain(picture.pixels, w.x0, w.y0, size, amount, colour, tones, seed, values["frame"]), w)


@effect(_apply)
class Grain(EffectBase):
    """Lays grain over the picture, new in every frame and the same at every render."""

    use: ClassVar[str] = "Grain"
    varies: ClassVar[bool] = True
    model_config = ConfigDict(title="Grain")
    kind: Literal["grain"] = "grain"
    amount: AnimatedNumber = control(
        0.02, "Amount", soft=(0, 0.1), hard=(0, 1), step=0.001, help="Standard deviation, as a share of white."
    )
    size: AnimatedNumber = control(0.6, "Size", soft=(0, 3), hard=(0, 40), step=0.05, unit="px")
    colour: AnimatedNumber = control(
        0.4, "Colour", soft=(0, 1), hard=(0, 1), help="At 0 all channels share one grain, at 1 each has its own."
    )
    tones: AnimatedNumber = control(
        0.5,
        "Middle tones",
        soft=(0, 1),
        hard=(0, 1),
        help="How much more grain the middle tones show than black and white.",
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1)
