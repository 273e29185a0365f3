"""Flares."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, Ride, control
from tropein.core.document.base import Id, chosen_matte
from tropein.core.document.content import CONTENTS, ContentBase, Context, starting
from tropein.core.document.references import Ref
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.flare import Parts, flare
from tropein.core.raster.picture import Picture, Window

SOURCE = 0.016  # of the frame's width: how large a source is taken to be


def in_frame(x: float, y: float, radius: float, width: float, height: float) -> float:
    """How much of a small disc lies within the frame, its middle counting most: 0..1."""
    share = 1.0
    for value, side in ((x, width), (y, height)):
        t = np.clip((min(value, side - value) / max(radius, 1e-6) + 1) / 2, 0, 1)
        share *= float(t * t * (3 - 2 * t))
    return share


def covered(over: Coverage, at: tuple[float, float], radius: float) -> float:
    """How much of a small disc a coverage hides, its middle counting most: 0..1."""
    r, w = max(radius, 1.0), over.window
    xs, ys = (
        np.clip(np.arange(int(np.floor(v - r)), int(np.ceil(v + r)) + 1), low, high - 1)
        for v, low, high in ((at[0], w.x0, w.x1), (at[1], w.y0, w.y1))
    )
    weight = np.maximum(1 - (((xs + 0.5 - at[0])[None] ** 2 + (ys + 0.5 - at[1])[:, None] ** 2) / (r * r)), 0)
    seen = over.plane[np.ix_(ys - w.y0, xs - w.x0)]
    return float((weight * seen).sum() / max(float(weight.sum()), 1e-9))


@CONTENTS.add
class FlareContent(ContentBase):
    """A light source as a lens sees it: its core and halo, rays, a streak, a ring, and ghosts across the frame. It dims by itself where it leaves the frame, or goes behind something."""

    title: ClassVar[str] = "Flare"
    kind: Literal["flare"] = "flare"
    centre: AnimatedVec2 = control((620.0, 180.0), "Source", step=1, unit="px", widget="point", group="Source")
    centre_ride: Ride | None = None
    power: AnimatedNumber = control(5.0, "Power", soft=(0, 30), hard=(0, 1e4), step=0.05, group="Source")
    colour: AnimatedColour = control((1.0, 0.86, 0.68), "Colour", soft=(0, 1), widget="colour", group="Source")
    large: AnimatedNumber = control(1.0, "Size", soft=(0.2, 4), hard=(0.01, 50), group="Source")
    core: AnimatedNumber = control(
        1.0,
        "Core",
        soft=(0, 2),
        hard=(0, 100),
        help="The source itself; at 0 it is the one that was filmed.",
        group="Source",
    )
    dimmed_by: Annotated[Id, Ref("mattes", "is dimmed by", on_delete="clear", sees="picture")] | None = chosen_matte(
        "Dimmed by", "A matte of what may pass before the source: the flare goes as that covers it.", group="Source"
    )
    halo: AnimatedNumber = control(1.0, "Halo", soft=(0, 3), hard=(0, 100), group="Glare")
    rays: AnimatedNumber = control(1.0, "Rays", soft=(0, 3), hard=(0, 100), group="Glare")
    blades: AnimatedNumber = control(
        7.0,
        "Blades",
        soft=(3, 12),
        hard=(3, 24),
        step=1,
        help="Of the aperture: an even number gives as many rays, an odd one twice as many.",
        group="Glare",
    )
    streak: AnimatedNumber = control(0.5, "Streak", soft=(0, 4), hard=(0, 100), group="Glare")
    ring: AnimatedNumber = control(0.6, "Ring", soft=(0, 3), hard=(0, 100), group="Glare")
    ghosts: AnimatedNumber = control(12.0, "Ghosts", soft=(0, 24), hard=(0, 60), step=1, group="Ghosts")
    ghost_light: AnimatedNumber = control(0.6, "Ghosts' light", soft=(0, 3), hard=(0, 100), group="Ghosts")
    spread: AnimatedNumber = control(0.045, "Colours part", soft=(0, 0.2), hard=(0, 1), step=0.001, group="Lens")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1, group="Lens")
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Lamp glare": {},
        "Cold beacon": starting(colour=(0.62, 0.82, 1.0), power=6.0, streak=2.2, rays=0.5, ring=0.2, ghosts=8.0),
        "Low sun": starting(
            colour=(1.0, 0.72, 0.42), power=8.0, large=1.5, streak=0.1, rays=1.4, blades=8.0, ghosts=16.0
        ),
        "Glint": starting(power=1.4, large=0.5, halo=0.6, rays=1.6, blades=6.0, streak=0.0, ring=0.0, ghosts=0.0),
    }

    def picture(self, context: Context) -> Any:
        cover, matrix = context.matte(self.dimmed_by, context.frame) if self.dimmed_by else (None, None)
        values, scale = context.values(self, context.frame), context.scale
        if cover is None or matrix is None or values is None:
            return context.drawn(self)
        x, y, d = matrix @ [*values["centre"], 1.0]
        radius = SOURCE * context.shot.size[0] * values["large"] * float(np.hypot(*matrix[:2, 0]))
        at = (float(x / d), float(y / d))

        def make(window: Window, over: Coverage) -> Picture:
            return self.draw(values | {"open": 1 - covered(over, at, radius)}, window, scale)

        return context.made(self.kind, (values, at, radius), self.size(context.shot), make, (cover,))

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        pixels = np.zeros((window.height, window.width, 4), np.float32)
        x, y = (v * scale for v in values["centre"])
        own = window.width * values["large"]
        power = values["power"] * in_frame(x, y, SOURCE * own, window.width, window.height) * values.get("open", 1.0)
        if power <= 0:
            return Picture(pixels, window)
        parts = Parts(values["halo"], values["rays"], values["streak"], values["ring"], values["spread"], own)
        light = flare(
            window.height, window.width, (x, y), parts, int(values["seed"]), round(values["blades"]), round(values["ghosts"]),
            values["ghost_light"], values["core"],
        )  # fmt: skip
        for c in range(3):
            np.multiply(light[..., c], np.float32(power * values["colour"][c]), out=pixels[..., c])
        return Picture(pixels, window)
