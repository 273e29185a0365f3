"""Lay in footage from the shelf."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.common import Plain, known, stack_of
from tropein.core.commands.group import blank
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Footage, Id, Shot, Vec2
from tropein.core.document.base import Frame
from tropein.core.errors import BadInput


@command
class LayIn(Command):
    """Lays footage into the stack: fitted into the frame, in its middle or where it is dropped. A clip shorter than the shot begins at the frame;
    one with its own alpha is repeated."""

    name: ClassVar[str] = "lay-in"
    title: ClassVar[str] = "Lay in footage"
    footage: Annotated[Footage, Field(description="as the shelf has it")]
    frame: Frame = 0
    at: Annotated[Vec2 | None, Field(description="pixels of the shot, or of the group's frame")] = None
    group: Annotated[Id | None, Field(description="the group it is laid into; none: the shot's own stack")] = None
    index: Annotated[int, Field(ge=0, le=100_000, description="its place in the stack, 0 nearest the lens")] = 0

    def run(self, shot: Shot, document: Plain) -> Change:
        if self.group is not None and shot.layers[known(shot, "layers", [self.group])[0]].stack is None:
            raise BadInput(f"{shot.layers[self.group].name} is no group.")
        footage = self.footage
        if footage.kind == "sound":
            raise BadInput("Sound cannot be laid in yet: a render takes the plate's own sound along.")
        if min(footage.size) < 1:
            raise BadInput(f"{footage.name} has no picture.")
        layer = blank(shot, footage.name, {"kind": "footage", "footage": footage.id})
        fit = min(1.0, shot.size[0] / footage.size[0], shot.size[1] / footage.size[1])
        layer["place"]["scale"]["value"] = [fit, fit]
        if self.at is not None:
            layer["place"]["position"]["value"] = list(self.at)
        if footage.kind != "still":
            within = footage.frames < shot.frames
            layer["time"]["start"] = float(max(0, min(self.frame, shot.frames - 1))) if within else 0.0
            layer["time"]["end"] = "loop" if footage.alpha else "hold"
        document["footage"].setdefault(footage.id, footage.model_dump(mode="json"))
        document["layers"][layer["id"]] = layer
        stack = stack_of(document, self.group)
        last = len(stack) - (1 if self.group is None and shot.plate is not None else 0)
        stack.insert(min(self.index, last), layer["id"])
        return Change(f"lay in {footage.name}", [f"layers/{layer['id']}"])
