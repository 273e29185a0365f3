"""Grade: the primary colour operations, folded into one table a channel."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec3, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import DISPLAY, GRID, WORKING, convert
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.tone import tone
from tropein.core.rows import tones
from tropein.core.rows.points import Use

_NUMBERS = ("exposure", "temperature", "tint", "contrast", "pivot", "black", "white", "gamma")
_COLOURS = ("light_offset", "slope", "offset", "power")


def balanced_by(gains: NDArray[np.float64]) -> tuple[float, float, float]:
    """The exposure, temperature and tint that are these linear gains of red, green and blue."""
    r, g, b = np.log2(np.maximum(np.asarray(gains, np.float64), 1e-6))
    luma = float(np.log2(2 ** np.array([r, g, b]) @ [0.2126, 0.7152, 0.0722]))
    return luma, float(3 * (r - b)), float(-6 * (g - (r + b) / 2))


def balance(temperature: float, tint: float) -> NDArray[np.float64]:
    """Linear gains of red, green and blue; each unit of temperature is a third of a stop between red and blue."""
    gains = np.array([2 ** (temperature / 6), 2 ** (-tint / 6), 2 ** (-temperature / 6)])
    return gains / (gains @ [0.2126, 0.7152, 0.0722])


def _tables(values: Values, grid: NDArray[np.float32]) -> NDArray[np.float32]:
    """(3, n) what becomes of linear values."""
    numbers, colours = tuple(values[n] for n in _NUMBERS), tuple(tuple(values[n]) for n in _COLOURS)
    return _tabulated(numbers, colours, grid is GRID)


@lru_cache(64)
def _tabulated(
    numbers: tuple[float, ...], colours: tuple[tuple[float, float, float], ...], fine: bool
) -> NDArray[np.float32]:
    grid = GRID if fine else tones.GRID
    exposure, temperature, tint, contrast, pivot, black, white, gamma = numbers
    lifted, slope, offset, power = colours
    gains = balance(temperature, tint) * 2**exposure
    x = np.clip(grid[:, None].astype(np.float64) * gains + np.array(lifted), 0, 1e6).astype(np.float32)
    v = convert(x, WORKING, DISPLAY).astype(np.float64)
    v = (v - black) / max(white - black, 1e-4)
    v = (v - pivot) * contrast + pivot
    v = np.sign(v) * np.abs(v) ** (1 / max(gamma, 1e-3))
    v = np.maximum(v * np.array(slope) + np.array(offset), 0) ** np.array(power)  # ASC CDL, order of its section 3
    out = convert(np.maximum(v, 0).astype(np.float32), DISPLAY, WORKING)
    return np.ascontiguousarray(np.nan_to_num(out, posinf=1e6).T, np.float32)


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    return tone(picture, _tables(values, GRID), values["saturation"])


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [tones.toned(_tables(values, tones.GRID), values["saturation"])]


@effect(_apply, _rows, itself)
class Grade(EffectBase):
    """Exposure and balance in linear light, then contrast, levels and slope, offset, power on display values."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Grade")
    kind: Literal["grade"] = "grade"
    exposure: AnimatedNumber = control(0.0, "Exposure", soft=(-4, 4), hard=(-20, 20), unit="stops")
    temperature: AnimatedNumber = control(
        0.0, "Temperature", soft=(-6, 6), hard=(-30, 30), step=0.05, help="Warmer to the right, cooler to the left."
    )
    tint: AnimatedNumber = control(
        0.0, "Tint", soft=(-6, 6), hard=(-30, 30), step=0.05, help="Magenta to the right, green to the left."
    )
    light_offset: AnimatedVec3 = control(
        (0.0, 0.0, 0.0), "Light offset", soft=(-0.2, 0.2), step=0.001, widget="triple", help="Light that is added, as a veil of haze adds it, or taken away."
    )  # fmt: skip
    contrast: AnimatedNumber = control(1.0, "Contrast", soft=(0, 3), hard=(0, 20))
    pivot: AnimatedNumber = control(
        0.46, "Pivot", soft=(0, 1), hard=(0, 1), help="The display value contrast leaves alone."
    )
    black: AnimatedNumber = control(0.0, "Black point", soft=(-0.3, 0.5), hard=(-4, 4), step=0.002)
    white: AnimatedNumber = control(1.0, "White point", soft=(0.3, 2), hard=(-4, 16), step=0.002)
    gamma: AnimatedNumber = control(1.0, "Gamma", soft=(0.2, 4), hard=(0.01, 20))
    saturation: AnimatedNumber = control(1.0, "Saturation", soft=(0, 3), hard=(0, 20))
    slope: AnimatedColour = control((1.0, 1.0, 1.0), "Slope", soft=(0, 3), hard=(0, 64), widget="triple")
    offset: AnimatedVec3 = control((0.0, 0.0, 0.0), "Offset", soft=(-0.5, 0.5), step=0.002, widget="triple")
    power: AnimatedColour = control((1.0, 1.0, 1.0), "Power", soft=(0.2, 3), hard=(0, 64), widget="triple")
