"""Put layers in depth."""

from __future__ import annotations

from typing import ClassVar

from tropein.core.animate.sample import sample
from tropein.core.commands.common import Layers, Plain, known, movable, named
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Shot
from tropein.core.document.base import Frame
from tropein.core.errors import BadInput

CARRIER_WIDTH = 100.0


@command
class PutInDepth(Command):
    """Puts layers in depth before the frame, each where and as large as it is seen at a frame."""

    name: ClassVar[str] = "put-in-depth"
    title: ClassVar[str] = "Put in depth"
    layers: Layers
    frame: Frame = 0

    def run(self, shot: Shot, document: Plain) -> Change:
        chosen = movable(shot, known(shot, "layers", self.layers))
        w, h = shot.size
        for layer in (shot.layers[i] for i in chosen):
            if not layer.content.has_place:
                raise BadInput(f"{layer.name} has no place that could lie in depth.")
            x, y = sample(layer.place.position, self.frame)
            width = CARRIER_WIDTH
            if layer.content.has_picture:
                width = abs(layer.content.size(shot)[0] * sample(layer.place.scale, self.frame)[0])
            document["layers"][layer.id]["place"]["depth"] = {
                "position": {"value": [x - w / 2, y - h / 2, 0.0]},
                "width": {"value": max(0.01, round(width, 2))},
            }
        return Change(f"put {named(shot, chosen)} in depth", [f"layers/{layer}" for layer in chosen])
