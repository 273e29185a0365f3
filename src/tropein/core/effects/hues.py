"""Hues."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedVec2, EffectBase, control
from tropein.core.effects.hue_band import CB, CR
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

# by their angle in the plane of chroma, 45 degrees apart
NAMES = ("blue", "magenta", "red", "orange", "yellow", "green", "teal", "azure")
_WR, _WG, _WB = (float(v) for v in LUMA)
_CB, _CR = float(CB), float(CR)
EACH = 8 / (2 * np.pi)


def _numbers(values: Values) -> tuple[float, ...]:
    """How far each hue is pulled, and by which angle it is turned."""
    pairs = [values[name] for name in NAMES]
    return (*(max(float(pull), 0.0) for pull, _ in pairs), *(float(np.radians(turn)) for _, turn in pairs))


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    numbers = np.array(_numbers(values))

    def change(v: Colours) -> Colours:
        luma = v @ LUMA
        p, q = (v[..., 2] - luma) * CB, (v[..., 0] - luma) * CR
        at = np.mod(np.arctan2(q, p) * EACH, 8)
        i = np.floor(at).astype(int) % 8
        t = at - np.floor(at)
        pull = numbers[i] + (numbers[(i + 1) % 8] - numbers[i]) * t
        turn = numbers[8 + i] + (numbers[8 + (i + 1) % 8] - numbers[8 + i]) * t
        c, s = np.cos(turn) * pull, np.sin(turn) * pull
        b = luma + (c * p - s * q) / CB
        r = luma + (s * p + c * q) / CR
        return np.asarray(np.stack([r, (luma - _WR * r - _WB * b) / _WG, b], -1), v.dtype)

    return on_display(picture, change)


def turned(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    f = np.float32
    luma = f(_WR) * r + f(_WG) * g + f(_WB) * b
    p, q = (b - luma) * f(_CB), (r - luma) * f(_CR)
    at = np.arctan2(q, p) * f(EACH)
    at = at + f(8) if at < f(0) else at
    pull, turn = f(0), f(0)
    # every hue has its share by how near it is, so that no table is looked up
    for i in range(8):
        d = abs(at - f(i))
        d = min(d, f(8) - d)
        w = max(f(1) - d, f(0))
        pull += w * n[i]
        turn += w * n[8 + i]
    c, s = np.cos(turn) * pull, np.sin(turn) * pull
    blue = luma + (c * p - s * q) * f(1 / _CB)
    red = luma + (s * p + c * q) * f(1 / _CR)
    return red, (luma - f(_WR) * red - f(_WB) * blue) * f(1 / _WG), blue


TURNED = Point(turned, domain="display", count=16)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(TURNED, _numbers(values))]


def _hue(title: str) -> AnimatedVec2:
    made: AnimatedVec2 = control((1.0, 0.0), title, soft=(0, 2), step=0.02, widget="hue", help="How strong it is, and by how many degrees it is turned.")  # fmt: skip
    return made


@effect(_apply, _rows, itself)
class Hues(EffectBase):
    """Each hue of a picture made stronger or weaker, or turned towards its neighbours, without touching the others."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Hues")
    kind: Literal["hues"] = "hues"
    blue: AnimatedVec2 = _hue("Blue")
    magenta: AnimatedVec2 = _hue("Magenta")
    red: AnimatedVec2 = _hue("Red")
    orange: AnimatedVec2 = _hue("Orange")
    yellow: AnimatedVec2 = _hue("Yellow")
    green: AnimatedVec2 = _hue("Green")
    teal: AnimatedVec2 = _hue("Teal")
    azure: AnimatedVec2 = _hue("Azure")
