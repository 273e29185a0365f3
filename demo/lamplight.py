"""The quay by a lamp that gutters and warms: the plate once more, in other light."""

from __future__ import annotations

import math
import tempfile
from pathlib import Path
from typing import Any

from tropein.core.compose.loop import render_part
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.media.adhoc import borrow
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources


def light_at(frame: int) -> tuple[float, float]:
    """(stops, warmth): it gutters, and gutters less, while it warms."""
    gutter = 0.32 * math.sin(frame * 1.7) * math.sin(frame * 0.61 + 1) ** 2
    dip = -0.9 * math.exp(-(((frame - 40) / 5.0) ** 2))
    return gutter + dip - 0.25, 0.6 + 2.4 * frame / 71


def quay_by_lamplight(plate: Path, folder: Path) -> list[Path]:
    """A film of its own."""
    with tempfile.TemporaryDirectory() as place:
        store = MediaStore(Path(place))
        media, record = borrow(store, [plate])
        (w, h), frames = record.size, record.frames
        keys: dict[str, Any] = {}
        for k, name in enumerate(("exposure", "temperature")):
            values = [{"frame": f, "value": round(light_at(f)[k], 4), "ease": "linear"} for f in range(frames)]
            keys[name] = {"value": values[0]["value"], "keys": values}
        clip = {
            "id": "clip",
            "name": "Quay",
            "kind": "clip",
            "media": media,
            "size": [w, h],
            "rate": record.rate,
            "frames": frames,
        }
        layer = {
            "id": "plate", "name": "Plate", "content": {"kind": "footage", "footage": "clip"}, "place": {"position": {"value": [w / 2, h / 2]}},
            "effects": {"g": {"kind": "grade", "id": "g", **keys}}, "chain": ["g"],
        }  # fmt: skip
        shot = load_shot(
            {
                "schema_version": 4, "name": "Lamplight", "size": [w, h], "rate": record.rate, "frames": frames, "trim": [0, frames - 1],
                "footage": {"clip": clip}, "layers": {"plate": layer}, "stack": ["plate"], "plate": "plate",
            }
        )  # fmt: skip
        sources = Sources(store, final=True)
        out = folder / "quay-by-lamplight.mp4"
        render_part(Renderer(sources, lambda samples, spot: None, 256 << 20), shot, 0, frames - 1, 1.0, "h264", out)
        sources.close()
    return [out]
