"""Text."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import StringConstraints

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, ContentHash, Model, Ride, control
from tropein.core.document.base import Name, chosen_font, setting
from tropein.core.document.base import Text as Storable
from tropein.core.document.content import CONTENTS, ContentBase, Context, starting
from tropein.core.document.references import Stored
from tropein.core.raster.bolts import halo
from tropein.core.raster.lettering import WEIGHTS, laid_out, lettered
from tropein.core.raster.picture import Picture, Window

MOST = 2000
RISES, BEGINS = 0.7, {"left": 0.0, "middle": 0.5, "right": 1.0}


class BroughtFont(Model):
    """A stored font, and what it calls itself."""

    stored: Annotated[ContentHash, Stored("font")]
    name: Name


@CONTENTS.add
class TextContent(ContentBase):
    """Words: titles, labels, numbers on a display. They may come letter by letter."""

    title: ClassVar[str] = "Text"
    kind: Literal["text"] = "text"
    text: Annotated[Storable, StringConstraints(max_length=MOST)] = setting(
        "Nothing moved out there", "Words", widget="text", group="Words"
    )
    face: Literal["plain", "even"] = setting(
        "plain", "Face", widget="choice", options={"plain": "plain", "even": "of even width"}, group="Words"
    )
    font: BroughtFont | None = chosen_font(
        "Own font", "From a .ttf or .otf file, in place of the face; letters it lacks are the plain face's.", "Words"
    )
    align: Literal["left", "middle", "right"] = setting(
        "middle", "Lines", widget="choice", options={"left": "from the left", "middle": "about the middle", "right": "from the right"}, group="Words"
    )  # fmt: skip
    at: AnimatedVec2 = control((480.0, 270.0), "Place", step=0.5, unit="px", widget="point", group="Words")
    at_ride: Ride | None = None
    height: AnimatedNumber = control(56.0, "Size", soft=(4, 240), hard=(0, 4000), step=0.5, unit="px", group="Words")
    weight: AnimatedNumber = control(500.0, "Weight", soft=WEIGHTS, hard=WEIGHTS, step=5, help="Of an own font only where its file holds several.", group="Words")  # fmt: skip
    spacing: AnimatedNumber = control(
        0.0,
        "Spacing",
        soft=(-0.1, 0.6),
        hard=(-1, 20),
        step=0.005,
        help="Between letters, in sizes of the font.",
        group="Words",
    )
    leading: AnimatedNumber = control(1.25, "Line height", soft=(0.8, 2.5), hard=(0, 20), group="Words")
    shown: AnimatedNumber = control(
        1.0, "Shown", soft=(0, 1), hard=(0, 1), help="From no letter to all, one after another.", group="Letters"
    )
    by: Literal["type", "fade", "rise"] = setting(
        "fade", "They come", widget="choice", options={"type": "at once", "fade": "fading in", "rise": "rising"}, group="Letters"
    )  # fmt: skip
    overlap: AnimatedNumber = control(
        5.0, "At a time", soft=(1, 20), hard=(1, 1000), step=0.5, help="How many letters are on their way.", group="Letters"
    )  # fmt: skip
    colour: AnimatedColour = control((0.9, 0.92, 0.95), "Colour", soft=(0, 1), widget="colour", group="Look")
    light: AnimatedNumber = control(1.0, "Light", soft=(0, 8), hard=(0, 1000), step=0.05, group="Look")
    covers: AnimatedNumber = control(1.0, "Covers", soft=(0, 1), hard=(0, 1), group="Look")
    outline: AnimatedNumber = control(0.0, "Outline", soft=(0, 12), hard=(0, 400), step=0.25, unit="px", group="Look")
    outline_colour: AnimatedColour = control(
        (0.0, 0.0, 0.0), "Outline colour", soft=(0, 1), widget="colour", group="Look"
    )
    glow: AnimatedNumber = control(0.0, "Glow", soft=(0, 4), hard=(0, 100), group="Look")
    glow_size: AnimatedNumber = control(
        14.0, "Glow size", soft=(0, 80), hard=(0, 1000), step=0.5, unit="px", group="Look"
    )
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Title": starting(text="THE LAST FERRY", height=72.0, weight=300.0, spacing=0.22),
        "Label": starting(
            text="BEARING 214\nDEPTH 38.5", face="even", align="left", at=(330.0, 270.0), height=30.0, weight=500.0, leading=1.4, colour=(0.55, 0.95, 0.9),
            light=1.4, covers=0.0, glow=0.5,
        ),
        "Subtitle": starting(text="Did you hear that?", at=(480.0, 478.0), height=34.0, weight=500.0, outline=2.0),
    }  # fmt: skip

    def picture(self, context: Context) -> Any:
        values, scale, stored = context.values(self, context.frame), context.scale, self.font and self.font.stored
        file = context.font(stored) if stored else None
        if file is None or values is None:
            return context.drawn(self)
        drawn, size = values | {"face": file}, self.size(context.shot)
        return context.made(self.kind, values | {"font": stored}, size, lambda window: self.draw(drawn, window, scale))

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        weight = int(np.clip(round(values["weight"]), *WEIGHTS))
        letters, widths = laid_out(values["text"], values["face"], weight, round(values["spacing"], 4))
        size, lines = values["height"], len(widths)
        x, y = values["at"]
        # a line's letters stand about its middle by the height of capitals; lines about the place
        capital = 0.73
        first = y + size * (capital / 2 - values["leading"] * (lines - 1) / 2)
        begins = [x - BEGINS[values["align"]] * w * size for w in widths]
        at = np.array([[begins[o.line] + o.x * size, first + values["leading"] * size * o.line] for o in letters])
        share = _shown(len(letters), values["shown"], values["by"], values["overlap"])
        if values["by"] == "rise" and len(letters):
            at[:, 1] += (1 - share) * RISES * size
        at = at.reshape(-1, 2) * scale
        given = (list(letters), at, share, weight, size * scale)
        fill = lettered(*given, 0.0, window)
        pixels = np.empty((window.height, window.width, 4), np.float32)
        level = fill * np.float32(values["light"])
        if values["glow"] > 0:
            level += halo(fill, values["glow_size"], scale) * np.float32(values["glow"] * values["light"])
        for c in range(3):
            np.multiply(level, np.float32(values["colour"][c]), out=pixels[..., c])
        np.multiply(fill, np.float32(values["covers"]), out=pixels[..., 3])
        if values["outline"] > 0:
            rim = np.maximum(lettered(*given, values["outline"] * scale, window) - fill, 0)
            for c in range(3):
                pixels[..., c] += rim * np.float32(values["outline_colour"][c])
            pixels[..., 3] += rim * (1 - pixels[..., 3])
        return Picture(pixels, window)


def _shown(count: int, shown: float, by: str, overlap: float) -> np.ndarray:  # type: ignore[type-arg]
    """How much is there of each letter, 0..1."""
    which = np.arange(count)
    if by == "type":
        return (which < round(shown * count)).astype(float)
    t = np.clip((shown * (count + overlap) - which) / overlap, 0, 1)
    return t * t * (3 - 2 * t)
