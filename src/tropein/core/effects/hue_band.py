"""Hue band."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import Values, effect, itself
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.straight import Colours, on_display
from tropein.core.rows.points import Point, Use

# brightness, and two directions of colour across it (the luma and chroma of video, orthogonal enough to turn hues in)
CB, CR = 1 / 1.8556, 1 / 1.5748
LEAST_CHROMA = 0.02


def _numbers(values: Values) -> tuple[float, ...]:
    turn = np.radians(values["turn"])
    r, g, b = (np.clip(abs((values["hue"] / 60 + off) % 6 - 3) - 1, 0, 1) for off in (0.0, 4.0, 2.0))
    luma = float(LUMA @ np.array([r, g, b]))
    at = np.arctan2((r - luma) * CR, (b - luma) * CB)  # the angle of the band's colour in the plane of chroma
    half, soft = np.radians(values["width"]) / 2, max(np.radians(values["soft"]), 1e-3)
    return (
        *LUMA.tolist(), float(at), float(half + soft), float(1 / soft), float(np.cos(turn)), float(np.sin(turn)), values["saturation"],
        values["lightness"], values["rest"],
    )  # fmt: skip


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    wr, wg, wb, at, reach, by, c, s, saturation, lightness, rest = _numbers(values)

    def change(v: Colours) -> Colours:
        luma = v @ np.array([wr, wg, wb], np.float32)
        p, q = (v[..., 2] - luma) * CB, (v[..., 0] - luma) * CR
        off = np.abs(np.mod(np.arctan2(q, p) - at + np.pi, 2 * np.pi) - np.pi)
        t = np.clip((reach - off) * by, 0, 1)
        inside = t * t * (3 - 2 * t) * np.clip(np.hypot(p, q) / LEAST_CHROMA, 0, 1)
        gain = rest + inside * (saturation - rest)
        turned = p + inside * (c * p - s * q - p), q + inside * (s * p + c * q - q)
        p, q = turned[0] * gain, turned[1] * gain
        luma = luma * (1 + inside * lightness)
        b, r = luma + p / CB, luma + q / CR
        return np.stack([r, (luma - wr * r - wb * b) / wg, b], -1)

    return on_display(picture, change)


def hue_band(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    zero, one, pi = np.float32(0), np.float32(1), np.float32(np.pi)
    cb, cr = np.float32(CB), np.float32(CR)
    luma = n[0] * r + n[1] * g + n[2] * b
    p, q = (b - luma) * cb, (r - luma) * cr
    off = np.float32(np.arctan2(q, p)) - n[3]
    off = abs(off - np.float32(2) * pi * np.floor((off + pi) / (np.float32(2) * pi)))
    t = min(max((n[4] - off) * n[5], zero), one)
    inside = (
        t * t * (np.float32(3) - np.float32(2) * t) * min(np.sqrt(p * p + q * q) * np.float32(1 / LEAST_CHROMA), one)
    )
    gain = n[10] + inside * (n[8] - n[10])
    u = (p + inside * (n[6] * p - n[7] * q - p)) * gain
    v = (q + inside * (n[7] * p + n[6] * q - q)) * gain
    luma *= one + inside * n[9]
    r, b = luma + v / cr, luma + u / cb
    return r, (luma - n[0] * r - n[2] * b) / n[1], b


HUE_BAND = Point(hue_band, domain="display", count=11)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    return [Use(HUE_BAND, _numbers(values))]


@effect(_apply, _rows, itself)
class HueBand(EffectBase):
    """Turns, strengthens or drains one range of hues, and drains the rest: keep one colour, or make it another."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Hue band")
    kind: Literal["hue-band"] = "hue-band"
    hue: AnimatedNumber = control(0.0, "Hue", soft=(0, 360), hard=(-3600, 3600), step=0.5, unit="°")
    width: AnimatedNumber = control(50.0, "Width", soft=(0, 180), hard=(0, 360), step=0.5, unit="°")
    soft: AnimatedNumber = control(25.0, "Softness", soft=(0, 90), hard=(0, 180), step=0.5, unit="°")
    turn: AnimatedNumber = control(0.0, "Turned by", soft=(-180, 180), hard=(-3600, 3600), step=0.5, unit="°")
    saturation: AnimatedNumber = control(1.0, "Saturation", soft=(0, 3), hard=(0, 20))
    lightness: AnimatedNumber = control(0.0, "Lightness", soft=(-1, 1), hard=(-1, 8))
    rest: AnimatedNumber = control(
        1.0, "The rest's saturation", soft=(0, 2), hard=(0, 20), help="At 0 only the band has colour."
    )
