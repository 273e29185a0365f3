"""Arcs."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, Ride, control
from tropein.core.document.base import Id, chosen_matte, parse_rate
from tropein.core.document.content import CONTENTS, ContentBase, Context, starting
from tropein.core.document.references import Ref
from tropein.core.raster.bolts import Way, bolt, halo, lines
from tropein.core.raster.growth import Tree, tree
from tropein.core.raster.growth import pieces as branches
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import apply

GROWN_WIDTH = 960.0  # of a frame: what grows is the same at any size it is looked at in


@CONTENTS.add
class ArcsContent(ContentBase):
    """Branching lines from one place to another that grow, rest and jump: lightning, current, cracks, veins."""

    title: ClassVar[str] = "Arcs"
    varies: ClassVar[bool] = True
    kind: Literal["arcs"] = "arcs"
    start: AnimatedVec2 = control((300.0, 120.0), "From", step=1, unit="px", widget="point", group="Way")
    start_ride: Ride | None = None
    end: AnimatedVec2 = control((660.0, 420.0), "To", step=1, unit="px", widget="point", group="Way")
    end_ride: Ride | None = None
    grown: AnimatedNumber = control(
        1.0, "Grown", soft=(0, 1), hard=(0, 1), help="How far it has grown from where it begins.", group="Way"
    )
    through: Annotated[Id, Ref("mattes", "grows through", on_delete="clear", sees="picture")] | None = chosen_matte(
        "Grows through",
        "A matte that it fills, from where it begins, instead of going straight: veins, roots, frost.",
        group="Way",
    )
    close: AnimatedNumber = control(
        16.0, "Lines apart", soft=(4, 60), hard=(1, 1000), step=0.5, unit="px", help="Of what grows through a matte.", group="Way"
    )  # fmt: skip
    wander: AnimatedNumber = control(
        0.18, "Wander", soft=(0, 0.6), hard=(0, 3), help="How far it strays from the straight way.", group="Way"
    )
    rough: AnimatedNumber = control(0.62, "Roughness", soft=(0.2, 1), hard=(0, 1.2), group="Way")
    jumps: AnimatedNumber = control(2.5, "Jumps", soft=(0, 12), hard=(0, 60), step=0.1, unit="/s", group="Way")
    branches: AnimatedNumber = control(6.0, "Branches", soft=(0, 20), hard=(0, 40), step=1, group="Way")
    reach: AnimatedNumber = control(
        0.28, "Branches reach", soft=(0, 1), hard=(0, 3), help="As a share of the whole way.", group="Way"
    )
    width: AnimatedNumber = control(1.5, "Width", soft=(0.3, 12), hard=(0, 500), step=0.1, unit="px", group="Look")
    taper: AnimatedNumber = control(0.45, "Taper", soft=(0, 1), hard=(0, 1), group="Look")
    flicker: AnimatedNumber = control(0.5, "Flicker", soft=(0, 1), hard=(0, 1), group="Look")
    colour: AnimatedColour = control((0.8, 0.88, 1.0), "Core colour", soft=(0, 1), widget="colour", group="Look")
    light: AnimatedNumber = control(
        14.0, "Light", soft=(0, 40), hard=(0, 1000), step=0.1, help="What its colour is multiplied by.", group="Look"
    )
    glow_colour: AnimatedColour = control((0.36, 0.5, 1.0), "Glow colour", soft=(0, 1), widget="colour", group="Look")
    glow: AnimatedNumber = control(10.0, "Glow", soft=(0, 40), hard=(0, 1000), step=0.1, group="Look")
    glow_size: AnimatedNumber = control(
        46.0, "Glow size", soft=(0, 200), hard=(0, 2000), step=1, unit="px", group="Look"
    )
    covers: AnimatedNumber = control(
        0.0, "Covers", soft=(0, 1), hard=(0, 1), help="At 1 it hides what it lies on, as dark cracks do.", group="Look"
    )
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1, group="Look")
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Lightning": {},
        "Current": starting(wander=0.1, rough=0.75, jumps=9.0, branches=3.0, reach=0.12, width=1.0, flicker=0.8, colour=(0.9, 0.85, 1.0), glow_colour=(0.55, 0.3, 1.0), glow_size=26.0),
        "Ember veins": starting(
            wander=0.2, jumps=0.0, branches=14.0, reach=0.34, width=1.8, flicker=0.1, colour=(1.0, 0.36, 0.07), light=5.0, glow_colour=(1.0, 0.2, 0.03), glow=4.0, glow_size=18.0
        ),
        "Cracks": starting(
            wander=0.24, rough=0.8, jumps=0.0, branches=12.0, reach=0.36, width=1.6, flicker=0.0, colour=(0.012, 0.011, 0.01), light=1.0, glow=0.0, covers=1.0
        ),
    }  # fmt: skip

    def picture(self, context: Context) -> Any:
        values = context.values(self, context.frame)
        if values is None:
            return None
        time, scale = context.frame / float(parse_rate(context.shot.rate)), context.scale
        if self.through is not None:
            return self._through(context, values)
        still = values["jumps"] == 0 and values["flicker"] == 0
        values["frame"] = 0.0 if still else context.frame
        return context.made(
            self.kind,
            values,
            self.size(context.shot),
            lambda window: _drawn(values, 0.0 if still else time, scale, window),
        )

    def _through(self, context: Context, values: dict[str, Any]) -> Any:
        """What grows through a matte: once, as the matte is at the frame its beginning is tied at, and then goes where that goes."""
        tied = float(self.start_ride.reference_frame) if self.start_ride else 0.0
        grown_at = min(1.0, GROWN_WIDTH / context.shot.size[0])
        cover, matrix = context.matte(str(self.through), tied, grown_at)
        moved = context.carried(self, "start", context.frame)
        if cover is None or moved is None or abs(np.linalg.det(matrix)) < 1e-12:
            return None
        x, y, d = matrix @ [*sample(self.start, tied), 1.0]
        given = ((float(x / d), float(y / d)), sample(self.close, tied) * grown_at, int(values["seed"]))
        grown = context.step("growth", given, (cover,), lambda over: tree(over.plane, *given))
        time, scale = context.frame / float(parse_rate(context.shot.rate)), context.scale
        back = np.diag([scale, scale, 1.0]) @ moved @ np.linalg.inv(matrix)
        if values["flicker"] > 0:
            values["frame"] = context.frame

        def make(window: Window, of: Tree) -> Picture:
            pieces = branches(of, apply(back, of.at), values["width"] * scale, values["grown"], values["taper"])
            return _lit(values, pieces, time, scale, window)

        return context.made(self.kind, (values, np.round(back, 9)), self.size(context.shot), make, (grown,))


def _drawn(values: dict[str, Any], time: float, scale: float, window: Window) -> Picture:
    seed = int(values["seed"])
    way = Way(values["wander"], values["rough"], values["jumps"], round(values["branches"]), values["reach"])
    start, end = (np.array(values[n]) * scale for n in ("start", "end"))
    pieces = bolt(seed, start, end, values["width"] * scale, way, time, values["grown"], values["taper"])
    return _lit(values, pieces, time, scale, window)


def _lit(values: dict[str, Any], pieces: NDArray[np.float64], time: float, scale: float, window: Window) -> Picture:
    seed = int(values["seed"])
    plane = lines(pieces, window.height, window.width)
    level = 1 - values["flicker"] * (0.5 + 0.5 * np.sin(41 * time + seed) * np.sin(23.7 * time + 2 * seed))
    pixels = np.empty((window.height, window.width, 4), np.float32)
    cover = np.minimum(plane, 1) * np.float32(values["covers"])
    pixels[..., 3] = cover
    lit = plane * np.float32(values["light"] * level)
    spread = None
    if values["glow"] > 0 and len(pieces):
        spread = halo(plane, values["glow_size"], scale) * np.float32(values["glow"] * level)
    for c in range(3):
        np.multiply(lit, np.float32(values["colour"][c]), out=pixels[..., c])
        if spread is not None:
            pixels[..., c] += spread * np.float32(values["glow_colour"][c])
    return Picture(pixels, window)
