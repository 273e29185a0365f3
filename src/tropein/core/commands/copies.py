"""Copies and twins of layers."""

from __future__ import annotations

from typing import ClassVar

from tropein.core.animate.sample import sample
from tropein.core.commands.common import Layers, Plain, copied, in_stack_order, known, movable, named, repoint
from tropein.core.commands.group import blank
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.base import Frame
from tropein.core.document.removal import stacks
from tropein.core.errors import BadInput


@command
class Duplicate(Command):
    """Copies layers, each before the one it is a copy of; among them, what hangs from another hangs from that one's copy."""

    name: ClassVar[str] = "duplicate"
    title: ClassVar[str] = "Duplicate"
    layers: Layers

    def run(self, shot: Shot, document: Plain) -> Change:
        chosen = in_stack_order(shot, movable(shot, known(shot, "layers", self.layers)))
        ids: dict[str, str] = {}
        for layer in chosen:
            ids_of: dict[str, str] = {}
            fresh = copied(document, layer, ids_of)
            document["layers"][fresh]["name"] = f"{shot.layers[layer].name} copy"[:120]
            stack = next(stack for stack in stacks(document) if layer in stack)
            stack.insert(stack.index(layer), fresh)
            ids |= ids_of
        repoint(document, ids)
        return Change(f"duplicate {named(shot, chosen)}", [f"layers/{ids[layer]}" for layer in chosen])


@command
class Twin(Command):
    """Lays in a twin of a layer: the layer's finished picture as it is at any time, with a place of its own. It hangs from the layer, and stands right
    behind it."""

    name: ClassVar[str] = "twin"
    title: ClassVar[str] = "Make a twin"
    layer: Id
    frame: Frame = 0

    def run(self, shot: Shot, document: Plain) -> Change:
        known(shot, "layers", [self.layer])
        layer = shot.layers[self.layer]
        if not layer.content.has_picture:
            raise BadInput(f"{layer.name} shows nothing: it can have no twin.")
        twin = blank(shot, f"{layer.name} twin"[:120], {"kind": "twin", "layer": layer.id})
        place = layer.place
        if place.depth is not None or place.corners is not None:
            twin["place"] = dict(document["layers"][layer.id]["place"])
        elif layer.id != shot.plate:
            tied = place.ride or place.hang
            frame = tied.reference_frame if tied else self.frame
            for name in ("position", "scale", "rotation", "pivot"):
                twin["place"][name] = {"value": sample(getattr(place, name), frame), "keys": []}
            twin["place"]["hang"] = {"layer": layer.id, "reference_frame": frame}
        document["layers"][twin["id"]] = twin
        stack = next(stack for stack in stacks(document) if layer.id in stack)
        stack.insert(stack.index(layer.id) + (0 if layer.id == shot.plate else 1), twin["id"])
        return Change(f"make a twin of {layer.name}", [f"layers/{twin['id']}"])
