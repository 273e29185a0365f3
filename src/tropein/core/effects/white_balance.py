"""White balance."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows.points import Point, Use

NEUTRAL_K = 6504.0
TINT_STEP = 1 / 12  # of a stop of green, each
Array = NDArray[np.float64]

_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)
_CONES = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])  # Bradford


def white_of(kelvin: float) -> Array:
    """XYZ of a light of this temperature, Y = 1: daylight from 4,000 K (CIE 15), a black body below (Kim et al. 2002), clipped to 1,667..25,000."""
    t = float(np.clip(kelvin, 1667, 25_000))
    u = 1e3 / t
    body_x = (
        np.polyval([-0.2661239, -0.2343589, 0.8776956, 0.179910], u)
        if t < 4000
        else np.polyval([-3.0258469, 2.1070379, 0.2226347, 0.240390], u)
    )
    body = np.polyval(
        [-1.1063814, -1.34811020, 2.18555832, -0.20219683]
        if t < 2222
        else [-0.9549476, -1.37418593, 2.09137015, -0.16748867],
        body_x,
    )
    if t < 4000:
        x, y = body_x, body
    else:
        x = np.polyval([-4.6070, 2.9678, 0.09911, 0.244063] if t <= 7000 else [-2.0064, 1.9018, 0.24748, 0.237040], u)
        y = -3.000 * x * x + 2.870 * x - 0.275
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(64)
def balancing(kelvin: float, tint: float, grey: tuple[float, float, float]) -> NDArray[np.float32]:
    """(3, 3) of linear light: what was shot in light of `kelvin` as it would look in daylight, and `grey` without a cast."""
    source, target = _CONES @ white_of(kelvin), _CONES @ white_of(NEUTRAL_K)
    adapt = np.linalg.inv(_CONES @ _XYZ) @ np.diag(target / source) @ _CONES @ _XYZ
    light = np.maximum(np.array(grey, float), 1e-3)
    gains = (light @ [0.2126, 0.7152, 0.0722]) / light
    gains = gains * np.array([1, 2 ** (-tint * TINT_STEP), 1])
    return (adapt @ np.diag(gains)).astype(np.float32)


def _matrix(values: Values) -> NDArray[np.float32]:
    grey = tuple(float(c) for c in values["grey"])
    return balancing(float(values["kelvin"]), float(values["tint"]), grey)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    if picture.window.empty:
        return picture
    pixels = picture.pixels.copy()
    pixels[..., :3] = np.maximum(picture.pixels[..., :3] @ _matrix(values).T, 0)
    return Picture(pixels, picture.window)


def balanced(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero = np.float32(0)
    return (
        max(n[0] * r + n[1] * g + n[2] * b, zero), max(n[3] * r + n[4] * g + n[5] * b, zero), max(n[6] * r + n[7] * g + n[8] * b, zero),
    )  # fmt: skip


BALANCED = Point(balanced, count=9)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(BALANCED, _matrix(values).ravel().tolist())]


@effect(_apply, _rows, itself)
class WhiteBalance(EffectBase):
    """Takes a cast away: by the temperature of the light it was shot in, or by a colour that should be grey."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="White balance")
    kind: Literal["white-balance"] = "white-balance"
    kelvin: AnimatedNumber = control(
        NEUTRAL_K,
        "Shot in light of",
        soft=(2000, 12_000),
        hard=(1667, 25_000),
        step=10,
        unit="K",
        help="Lamps 2,900, a clear sky 10,000; lower ones are warm, and become cooler.",
    )
    tint: AnimatedNumber = control(
        0.0, "Tint", soft=(-12, 12), hard=(-100, 100), step=0.1, help="Magenta to the right."
    )
    grey: AnimatedColour = control(
        (0.18, 0.18, 0.18), "Should be grey", soft=(0, 1), widget="colour", help="Pick it in the picture."
    )
