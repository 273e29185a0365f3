"""Gradients."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, AnimatedVec2, Ride, control
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.raster.colour import DISPLAY, WORKING, convert
from tropein.core.raster.picture import Picture, Pixels, Window


class _Gradient(ContentBase):
    """What gradients share: a colour at either end, which may be clear."""

    first: AnimatedColour = control((0.02, 0.05, 0.12), "First colour", soft=(0, 1), widget="colour")
    first_cover: AnimatedNumber = control(1.0, "First covers", soft=(0, 1), hard=(0, 1))
    last: AnimatedColour = control((0.9, 0.5, 0.2), "Last colour", soft=(0, 1), widget="colour")
    last_cover: AnimatedNumber = control(1.0, "Last covers", soft=(0, 1), hard=(0, 1))
    ease: AnimatedNumber = control(
        0.0, "Ease", soft=(0, 1), hard=(0, 1), help="At 0 it runs evenly, at 1 it starts and ends gently."
    )

    def picture(self, context: Context) -> Any:
        return context.drawn(self)


def _mixed(t: Pixels, values: dict[str, Any], window: Window) -> Picture:
    """(h, w) shares of the way, from the first colour to the last, even to the eye: mixed as display values."""
    t = np.clip(t, 0, 1)
    t = t + np.float32(values["ease"]) * (t * t * (3 - 2 * t) - t)
    cover = np.float32(values["first_cover"]) + t * np.float32(values["last_cover"] - values["first_cover"])
    ends = convert(np.array([values["first"], values["last"]], np.float32), WORKING, DISPLAY)
    colours = convert(ends[0] + t[..., None] * (ends[1] - ends[0]), DISPLAY, WORKING)
    return Picture(np.ascontiguousarray(np.dstack([colours * cover[..., None], cover]), np.float32), window)


@CONTENTS.add
class LinearGradient(_Gradient):
    """Runs from one place to another, in a straight line."""

    title: ClassVar[str] = "Gradient"
    kind: Literal["gradient"] = "gradient"
    start: AnimatedVec2 = control((0.0, 0.0), "From", step=1, unit="px", widget="point")
    start_ride: Ride | None = None
    end: AnimatedVec2 = control((0.0, 540.0), "To", step=1, unit="px", widget="point")
    end_ride: Ride | None = None

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        start, way = np.array(values["start"]), np.array(values["end"]) - np.array(values["start"])
        square = max(float(way @ way), 1e-6)
        x, y = _places(window, scale)
        return _mixed(((x - start[0]) * way[0] + (y - start[1]) * way[1]) / np.float32(square), values, window)


@CONTENTS.add
class RoundGradient(_Gradient):
    """Runs from a middle outwards: an iris, a pool of light, a sun."""

    title: ClassVar[str] = "Round gradient"
    kind: Literal["round-gradient"] = "round-gradient"
    centre: AnimatedVec2 = control((480.0, 270.0), "Centre", step=1, unit="px", widget="point")
    centre_ride: Ride | None = None
    inner: AnimatedNumber = control(0.0, "Begins at", soft=(0, 600), hard=(0, 1e5), step=1, unit="px")
    outer: AnimatedNumber = control(240.0, "Ends at", soft=(1, 1200), hard=(0, 1e5), step=1, unit="px")

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        x, y = _places(window, scale)
        away = np.hypot(x - values["centre"][0], y - values["centre"][1]).astype(np.float32)
        inner, outer = values["inner"], values["outer"]
        return _mixed((away - np.float32(inner)) / np.float32(max(outer - inner, 0.5 / scale)), values, window)


def _places(window: Window, scale: float) -> tuple[Pixels, Pixels]:
    """(1, w) and (h, 1): where pixels lie, in the content's own."""
    x = (np.arange(window.x0, window.x1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale)
    y = (np.arange(window.y0, window.y1, dtype=np.float32) + np.float32(0.5)) / np.float32(scale)
    return x[None], y[:, None]
