"""Small documents for tests."""

from __future__ import annotations

from typing import Any

from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.document.upgrade3 import one_layer_and_addresses

MEDIA = "0" * 32


def in_full(**short: Any) -> dict[str, Any]:
    """Layers, mattes and cues written in short, as version 2 of the document had them, as they are today."""
    full = one_layer_and_addresses(short)
    return {name: full[name] for name in short}


def layer(layer_id: str, **more: Any) -> dict[str, Any]:
    return {"kind": "footage", "id": layer_id, "name": layer_id, "footage": "wall", **more}


def document(layers: list[dict[str, Any]] | None = None, **more: Any) -> dict[str, Any]:
    """A shot of 320x180 and 48 frames on the footage "wall", with the plate and the given layers over it."""
    plate = layer("plate", place={"position": {"value": [160, 90]}})
    every = [*(layers or []), plate]
    footage = {
        "id": "wall",
        "name": "Wall",
        "kind": "clip",
        "media": MEDIA,
        "size": [320, 180],
        "rate": "24/1",
        "frames": 48,
    }
    return {
        "schema_version": 2, "name": "Test", "size": [320, 180], "rate": "24/1", "frames": 48, "trim": [0, 47],
        "footage": {"wall": footage}, "layers": {i["id"]: i for i in every}, "stack": [i["id"] for i in every],
        "plate": "plate", **more,
    }  # fmt: skip


def shot(layers: list[dict[str, Any]] | None = None, **more: Any) -> Shot:
    return load_shot(document(layers, **more))
