"""Instrument parts."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, Ride, control
from tropein.core.document.content import CONTENTS, ContentBase, Context, starting
from tropein.core.raster.bolts import halo
from tropein.core.raster.picture import Picture, Pixels, Window


@CONTENTS.add
class InstrumentContent(ContentBase):
    """One ring of a drawn instrument: a line, an arc, dashes, ticks, a sweeping hand, a cross. Several, one in another, make a display."""

    title: ClassVar[str] = "Instrument"
    varies: ClassVar[bool] = True
    kind: Literal["instrument"] = "instrument"
    centre: AnimatedVec2 = control((480.0, 270.0), "Middle", step=1, unit="px", widget="point", group="Ring")
    centre_ride: Ride | None = None
    radius: AnimatedNumber = control(120.0, "Radius", soft=(0, 500), hard=(0, 1e5), step=1, unit="px", group="Ring")
    thick: AnimatedNumber = control(3.0, "Thickness", soft=(0.5, 120), hard=(0, 1e5), step=0.1, unit="px", group="Ring")
    begin: AnimatedNumber = control(
        -90.0,
        "Begins at",
        soft=(-180, 180),
        hard=(-36000, 36000),
        step=0.5,
        unit="°",
        help="0 is to the right, 90 down.",
        group="Ring",
    )
    span: AnimatedNumber = control(360.0, "Span", soft=(0, 360), hard=(0, 360), step=0.5, unit="°", group="Ring")
    parts: AnimatedNumber = control(1.0, "Parts", soft=(1, 120), hard=(1, 720), step=1, group="Ring")
    gap: AnimatedNumber = control(
        0.0, "Gaps", soft=(0, 1), hard=(0, 1), help="How much of each part is left out.", group="Ring"
    )
    longer: AnimatedNumber = control(
        0.0,
        "Every so many longer",
        soft=(0, 12),
        hard=(0, 100),
        step=1,
        help="Of ticks; at 0 all are alike.",
        group="Ring",
    )
    spin: AnimatedNumber = control(
        0.0, "Turns", soft=(-180, 180), hard=(-3600, 3600), step=0.5, unit="°/s", group="Ring"
    )
    trail: AnimatedNumber = control(
        0.0,
        "Fades along",
        soft=(0, 1),
        hard=(0, 1),
        help="From full at its end to nothing where it begins: a hand that sweeps.",
        group="Ring",
    )
    colour: AnimatedColour = control((0.55, 0.95, 0.9), "Colour", soft=(0, 1), widget="colour", group="Look")
    light: AnimatedNumber = control(1.4, "Light", soft=(0, 8), hard=(0, 1000), step=0.05, group="Look")
    glow: AnimatedNumber = control(0.5, "Glow", soft=(0, 4), hard=(0, 100), group="Look")
    glow_size: AnimatedNumber = control(
        12.0, "Glow size", soft=(0, 80), hard=(0, 1000), step=0.5, unit="px", group="Look"
    )
    covers: AnimatedNumber = control(0.0, "Covers", soft=(0, 1), hard=(0, 1), group="Look")
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Ring": {},
        "Ticks": starting(radius=138.0, thick=10.0, parts=72.0, gap=0.82, longer=6.0, spin=6.0),
        "Dashes": starting(radius=164.0, thick=2.0, parts=24.0, gap=0.45, spin=-12.0),
        "Sweep": starting(radius=60.0, thick=118.0, span=70.0, trail=1.0, spin=80.0, light=0.5, glow=0.0),
        "Arc": starting(radius=182.0, thick=7.0, span=110.0, begin=150.0, spin=24.0),
    }

    def picture(self, context: Context) -> Any:
        return context.drawn(self)

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        plane = ring(values, window, scale, values["spin"] * values["frame"] / 24)
        pixels = np.empty((window.height, window.width, 4), np.float32)
        level = plane * np.float32(values["light"])
        if values["glow"] > 0:
            level += halo(plane, values["glow_size"], scale) * np.float32(values["glow"] * values["light"])
        for c in range(3):
            np.multiply(level, np.float32(values["colour"][c]), out=pixels[..., c])
        np.multiply(plane, np.float32(values["covers"]), out=pixels[..., 3])
        return Picture(pixels, window)


def ring(values: dict[str, Any], window: Window, scale: float, turned: float) -> Pixels:
    """(h, w) coverage: by the distance to its edges, a pixel wide."""
    x = (np.arange(window.x0, window.x1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale) - np.float32(
        values["centre"][0]
    )
    y = (np.arange(window.y0, window.y1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale) - np.float32(
        values["centre"][1]
    )
    away = np.hypot(x[None], y[:, None])
    angle = np.mod(
        np.arctan2(y[:, None], x[None]) - np.float32(math.radians(values["begin"] + turned)), np.float32(2 * math.pi)
    )
    span, parts = math.radians(max(values["span"], 1e-3)), max(1, round(values["parts"]))
    each = span / parts
    which = np.clip(np.floor(angle / np.float32(each)), 0, parts - 1)
    half = np.full(1, values["thick"] / 2, np.float32)
    if values["longer"] >= 2:
        half = half * np.where(which % round(values["longer"]) == 0, np.float32(1), np.float32(0.5))
    cover = _line(
        (half - np.abs(away - np.float32(values["radius"]))) * np.float32(scale), 2 * half * np.float32(scale)
    )
    whole = values["span"] >= 360
    if not whole or values["gap"] > 0:
        lit = np.float32(each * (1 - values["gap"]))
        within = angle - which * np.float32(each)
        # to the nearer end of the part, along the circle: before it has begun, to the beginning of the next
        along = np.minimum(within, lit - within)
        next_one = (which < parts - 1) | whole
        along = np.where(next_one, np.maximum(along, within - np.float32(each)), along)
        if not whole:
            before = angle - np.float32(2 * math.pi)
            along = np.where(
                angle > span, np.maximum(np.float32(lit - each) - (angle - np.float32(span)), before), along
            )
        size = away * np.float32(scale)
        cover = cover * _line(along * size, lit * size)
    if values["trail"] > 0:
        gone = np.where(angle > math.pi + span / 2, 0, np.clip(angle / np.float32(span), 0, 1))
        cover = cover * (1 - np.float32(values["trail"]) * (1 - gone**2))
    return cover.astype(np.float32)


def _line(inside: Pixels, width: Pixels) -> Pixels:
    """Coverage by how far a pixel lies within a line's edge, both in pixels; one thinner than a pixel fades."""
    thin = np.minimum(width, 1)
    cover = np.clip(inside + np.float32(0.5), 0, 1) * (4 * thin / (thin + 1) ** 2)
    return cover.astype(np.float32)
