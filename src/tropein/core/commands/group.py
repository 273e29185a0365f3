"""Put layers into a group."""

from __future__ import annotations

from typing import ClassVar

from tropein.core.commands.common import Layers, Plain, in_stack_order, known, movable, of_one_stack, stack_of
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Layer, Shot, new_id
from tropein.core.document.base import Name


@command
class Group(Command):
    """Puts layers of one stack into a group, which stands where the one nearest the lens stood. Nothing is seen to change as long as the layers were
    neighbours."""

    name: ClassVar[str] = "group"
    title: ClassVar[str] = "Group"
    layers: Layers
    called: Name | None = None

    def run(self, shot: Shot, document: Plain) -> Change:
        chosen = in_stack_order(shot, movable(shot, known(shot, "layers", self.layers)))
        around = of_one_stack(shot, chosen)
        stack = stack_of(document, around)
        at, name = stack.index(chosen[0]), self.called or free_name(shot)
        between = stack[at : stack.index(chosen[-1]) + 1]
        group = blank(shot, name, {"kind": "group", "stack": chosen})
        stack[:] = [*stack[:at], group["id"], *(layer for layer in stack[at:] if layer not in chosen)]
        document["layers"][group["id"]] = group
        note = "" if len(between) == len(chosen) else "Layers that lay between them now lie beneath the group."
        return Change(f"group {len(chosen)} layers as {name}", [f"layers/{group['id']}"], note)


def blank(shot: Shot, name: str, content: Plain) -> Plain:
    """A plain layer that does nothing of its own: its place is the middle of the frame, where a picture of the shot's size is as it was."""
    middle = {"value": (shot.size[0] / 2, shot.size[1] / 2)}
    layer = Layer.model_validate({"id": new_id(), "name": name, "content": content, "place": {"position": middle}})
    return layer.model_dump(mode="json")


def free_name(shot: Shot) -> str:
    taken, n = {layer.name for layer in shot.layers.values()}, 1
    while f"Group {n}" in taken:
        n += 1
    return f"Group {n}"
