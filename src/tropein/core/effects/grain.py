"""Grain."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.grain import film_grain, strength_at
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows import grains
from tropein.core.rows.points import Use


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    w = picture.window
    if values["amount"] <= 0 or w.empty:
        return picture
    amount = strength_at(values["amount"], values["size"], scale)
    size, seed = values["size"] * scale, int(values["seed"])
    made = film_grain(
        picture.pixels, w.x0, w.y0, size, amount, values["colour"], values["tones"], seed, values["frame"]
    )
    return Picture(made, w)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    if values["amount"] <= 0:
        return []
    amount, size, colour, tones = (values[name] for name in ("amount", "size", "colour", "tones"))
    return [grains.film(amount, size, colour, tones, int(values["seed"]), values["frame"], scale)]


@effect(_apply, _rows)
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
