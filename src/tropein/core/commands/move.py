"""Move layers in the stack, into groups and out of them."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.common import Layers, Plain, in_stack_order, known, movable, named, stack_of
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.removal import stacks
from tropein.core.errors import BadInput


@command
class Move(Command):
    """Moves layers to a place in the shot's stack, or in a group's."""

    name: ClassVar[str] = "move"
    title: ClassVar[str] = "Move in the stack"
    layers: Layers
    group: Id | None = None
    before: Annotated[
        Id | None, Field(description="the layer they are put before, nearer the lens; none puts them last")
    ] = None

    def run(self, shot: Shot, document: Plain) -> Change:
        chosen = in_stack_order(shot, movable(shot, known(shot, "layers", self.layers)))
        if self.group is not None and shot.layers[known(shot, "layers", [self.group])[0]].stack is None:
            raise BadInput(f"{shot.layers[self.group].name} is no group.")
        target = stack_of(document, self.group)
        if self.before is not None and self.before not in target:
            raise BadInput("What they are to be put before does not stand there.")
        at = next((layer for layer in _from(target, self.before) if layer not in chosen), None)
        for stack in stacks(document):
            stack[:] = [layer for layer in stack if layer not in chosen]
        end = len(target) - (1 if self.group is None and shot.plate is not None else 0)
        index = end if at is None else min(target.index(at), end)
        target[index:index] = chosen
        return Change(f"move {named(shot, chosen)} in the stack", [f"layers/{layer}" for layer in chosen])


def _from(stack: list[str], layer: str | None) -> list[str]:
    return [] if layer is None else stack[stack.index(layer) :]
