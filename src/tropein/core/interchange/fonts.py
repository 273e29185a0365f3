"""Font files that people bring: opened in a limited child before anything else reads them."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from tropein.core.errors import BadInput, ReaderStopped
from tropein.core.limited import Limits, Say, run

READABLE = (".ttf", ".otf")
MOST_BYTES = 32 << 20
LIMITS = Limits(memory_bytes=2 << 30, quiet_s=20, total_s=20)
SAMPLE = "Hamburgefonstiv 0123"
SIZES = (12, 256)  # px it is tried at


def read_font(data: bytes, name: str, limits: Limits = LIMITS) -> str:
    """What the font calls itself; BadInput, in words, for a file that is none, or draws nothing."""
    if not name.lower().endswith(READABLE):
        raise BadInput(f"{name}: fonts are read from {' and '.join(READABLE)} files.")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "font"
        path.write_bytes(data)
        try:
            return str(run("tropein.core.interchange.fonts:looked_into", [str(path), name], limits))
        except ReaderStopped as error:
            raise BadInput(f"{name} is damaged, or no font.") from error


def looked_into(say: Say, path: str, name: str) -> Any:
    """In the child."""
    from fontTools.ttLib import TTFont
    from PIL import ImageFont

    try:
        with TTFont(path, lazy=True) as font:
            if "cmap" not in font or not font.getBestCmap():
                raise BadInput(f"{name} holds no letters.")
            called = str(font["name"].getDebugName(4) or "") if "name" in font else ""
        for px in SIZES:
            ImageFont.truetype(path, px).getmask(SAMPLE)
    except BadInput:
        raise
    except Exception as error:  # libraries raise all there is for numbers and structures that cannot be
        raise BadInput(f"{name} is damaged, or no font.") from error
    return "".join(c for c in called if c.isprintable())[:120].strip() or Path(name).stem
