"""Blacks and whites."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tropein.core.document import new_id
from tropein.core.effects.levels import Levels
from tropein.core.errors import BadInput
from tropein.core.match.measure import MEASURES, WHOLE, Fix, MeasureBase, Seen, added, brightness, laid, lightness

LOW, HIGH = 1.0, 99.0  # percentiles that stand for black and white
RARE = 0.1  # of what lies behind a little counts: a lamp, a gap between boards
LEAST_PIXELS = 60


@MEASURES.add
class BlackAndWhite(MeasureBase):
    """How much blacker, or whiter, it is than anything it is laid over, in L*: haze, glass and lenses leave no plate as black as what was never filmed."""

    title: ClassVar[str] = "Black and white"
    act: ClassVar[str] = "Match blacks and whites"
    unit: ClassVar[str] = "L*"
    order: ClassVar[int] = 10
    visible_from: ClassVar[float] = 2.0
    kind: Literal["levels"] = "levels"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        (low, high), (black, white) = ends(seen, frame)
        below, above = (float(v) for v in (_l(black) - _l(low), _l(high) - _l(white)))
        if max(below, above) < self.visible_from:
            return 0.0, "It is neither blacker nor whiter than what it is laid over."
        if below >= above:
            return -below, f"Its blacks are {below:.1f} L* darker than anything behind it."
        return above, f"Its whites are {above:.1f} L* lighter than anything behind it."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        if off == 0:
            return None
        (low, high), (black, white) = ends(seen, frame)
        layer = seen.layer
        low, high = min(low, high - 0.02), max(high, low + 0.02)
        to = [float(np.clip(v, black, white)) for v in (low, high)]
        # what stands at its black and white goes to the plate's, all else evenly between
        values = {"black": low, "white": high, "black_out": to[0], "white_out": max(to[1], to[0] + 0.005)}
        made = Levels.model_validate(
            {"kind": "levels", "id": new_id(), **{k: {"value": round(v, 4)} for k, v in values.items()}}
        )
        return Fix(
            label=f"bring blacks and whites of {layer.name} into the plate's",
            patch=added(layer, "effects", made),
            to=f"{to[0]:.2f} to {to[1]:.2f}",
        )


def _l(display: float) -> float:
    return float(lightness(np.full((1, 1), display, np.float32))[0, 0])


def ends(seen: Seen, frame: int) -> tuple[tuple[float, float], tuple[float, float]]:
    """(the insert's black and white, those of all that lies beneath), as display brightness. BadInput in words where it covers too little."""
    of = laid(seen, frame)
    alpha = of.insert[..., 3]
    whole = alpha > WHOLE
    if whole.sum() < LEAST_PIXELS:
        raise BadInput(f"{seen.layer.name} covers too little at frame {frame}: its black and white cannot be told.")

    own = brightness((of.insert[whole][:, :3] / alpha[whole][:, None])[None])[0]
    around = brightness(of.under)
    a = tuple(float(v) for v in np.percentile(own, (LOW, HIGH)))
    b = tuple(float(v) for v in np.percentile(around, (RARE, 100 - RARE)))
    return a, b  # type: ignore[return-value]
