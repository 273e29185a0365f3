"""Fill."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tropein.core.document import AnimatedColour, AnimatedNumber, control
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.raster.picture import Picture, Window


@CONTENTS.add
class FillContent(ContentBase):
    """One colour all over the frame, to be cut by a matte, laid in with a blend, or looked through."""

    title: ClassVar[str] = "Fill"
    kind: Literal["fill"] = "fill"
    colour: AnimatedColour = control((0.5, 0.5, 0.5), "Colour", soft=(0, 1), widget="colour")
    cover: AnimatedNumber = control(1.0, "Covers", soft=(0, 1), hard=(0, 1))

    def picture(self, context: Context) -> Any:
        return context.drawn(self)

    def draw(self, values: dict[str, Any], window: Window, scale: float) -> Picture:
        pixels = np.empty((window.height, window.width, 4), np.float32)
        pixels[:] = np.array([*values["colour"], 1], np.float32) * np.float32(values["cover"])
        return Picture(pixels, window)
