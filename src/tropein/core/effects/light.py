"""Pool of light."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numba as nb
import numpy as np
from pydantic import ConfigDict

from tropein.core.document import AnimatedColour, AnimatedNumber, CentredEffect, control
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.pool import pool_of_light
from tropein.core.rows.points import Point, Use


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    light = tuple(values["strength"] * c for c in values["colour"])
    return pool_of_light(
        picture, np.array(values["own"]), values["centre"], values["inner"], values["outer"], light, 1 - values["dim"],
        values["aim"], values["cone"], values["cone_soft"],
    )  # fmt: skip


@nb.njit(inline="always")
def _fall(x, y, n):  # type: ignore[no-untyped-def]
    """From the centre to a pixel, in the light's own space, and how much of the light gets there."""
    zero, one = np.float32(0), np.float32(1)
    w = one / (n[6] * x + n[7] * y + n[8])
    dx = (n[0] * x + n[1] * y + n[2]) * w - n[9]
    dy = (n[3] * x + n[4] * y + n[5]) * w - n[10]
    t = min(max((n[11] - np.sqrt(dx * dx + dy * dy)) * n[12], zero), one)
    return dx, dy, t * t * (np.float32(3) - np.float32(2) * t)


def pool(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    _, _, fall = _fall(x, y, n)
    return r * (n[13] + n[14] * fall), g * (n[13] + n[15] * fall), b * (n[13] + n[16] * fall)


def cone(r, g, b, a, x, y, n):  # type: ignore[no-untyped-def]
    dx, dy, fall = _fall(x, y, n)
    if fall > np.float32(0):
        off = abs(np.float32(math.atan2(dy, dx)) - n[17])
        off = min(off, np.float32(2 * math.pi) - off)
        edge = min(max((n[18] + n[19] - off) * n[20], np.float32(0)), np.float32(1))
        fall *= edge * edge * (np.float32(3) - np.float32(2) * edge)
    return r * (n[13] + n[14] * fall), g * (n[13] + n[15] * fall), b * (n[13] + n[16] * fall)


POOL, CONE = Point(pool, count=17), Point(cone, count=21)


def _rows(values: Values, scale: float, window: Window) -> list[Use]:
    outer = max(values["outer"], values["inner"] + 1e-3)
    light = [values["strength"] * c for c in values["colour"]]
    numbers = [
        *np.array(values["own"], float).ravel(), *values["centre"], outer, 1 / max(outer - values["inner"], 1e-6), 1 - values["dim"], *light,
    ]  # fmt: skip
    if values["cone"] >= 360:
        return [Use(POOL, numbers)]
    aim, soft = math.radians(values["aim"]), math.radians(values["cone_soft"])
    numbers += [math.atan2(math.sin(aim), math.cos(aim)), math.radians(values["cone"] / 2), soft, 1 / max(soft, 1e-6)]
    return [Use(CONE, numbers)]


@effect(_apply, _rows)
class PoolOfLight(CentredEffect):
    """Coloured light that falls on the picture from a place: round, or a cone. It brightens what is there, as light does."""

    use: ClassVar[str] = "Light"
    model_config = ConfigDict(title="Pool of light")
    kind: Literal["light"] = "light"
    colour: AnimatedColour = control((1.0, 0.72, 0.4), "Colour", soft=(0, 1), step=0.01, widget="colour")
    strength: AnimatedNumber = control(1.0, "Strength", soft=(0, 4), hard=(0, 64), step=0.02)
    inner: AnimatedNumber = control(40.0, "Full within", soft=(0, 600), hard=(0, 1e5), step=1, unit="px")
    outer: AnimatedNumber = control(260.0, "Gone beyond", soft=(1, 1500), hard=(1, 1e5), step=1, unit="px")
    aim: AnimatedNumber = control(
        90.0, "Aim", soft=(-180, 180), step=0.5, unit="°", help="Where a cone points: 0 is to the right, 90 down."
    )
    cone: AnimatedNumber = control(
        360.0, "Cone", soft=(5, 360), hard=(0, 360), step=1, unit="°", help="How wide it shines; at 360 all round."
    )
    cone_soft: AnimatedNumber = control(20.0, "Cone's edge", soft=(0, 90), hard=(0, 180), step=0.5, unit="°")
    dim: AnimatedNumber = control(
        0.0, "Dim the rest", soft=(0, 1), hard=(0, 1), help="How much of the light that was there is taken away."
    )
