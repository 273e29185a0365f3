"""Lay in a new layer of any content."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.common import Plain, known, stack_of
from tropein.core.commands.group import blank
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.animated import Vec2
from tropein.core.document.base import Name
from tropein.core.document.content import AnyContent
from tropein.core.errors import BadInput


@command
class AddLayer(Command):
    """Lays in a layer, nearest the lens where nothing else is said, in the middle of the frame."""

    name: ClassVar[str] = "add-layer"
    title: ClassVar[str] = "Add a layer"
    content: Annotated[AnyContent, Field(description="what it shows: its kind and parameters")]
    start: Annotated[str, Field(max_length=60, description="the set of values it begins with; what is given stays")] = (
        ""
    )
    called: Name | None = None
    point: Annotated[Vec2 | None, Field(description="where the first place of what it makes lies, if it has one")] = (
        None
    )
    index: Annotated[int, Field(ge=0, le=500, description="in the stack, from the lens")] = 0
    group: Annotated[Id | None, Field(description="the group it is laid into; none: the shot's own stack")] = None

    def run(self, shot: Shot, document: Plain) -> Change:
        if self.content.unknown:
            raise BadInput(f"Layers of the kind {self.content.kind} are not installed here.")
        if self.group is not None and shot.layers[known(shot, "layers", [self.group])[0]].stack is None:
            raise BadInput(f"{shot.layers[self.group].name} is no group.")
        kind, start = type(self.content), self.start
        if start and start not in kind.starts:
            raise BadInput(f"{kind.title} have no start called {start}.")
        name = self.called or _free(shot, start or self.content.title)
        given = self.content.model_dump(mode="json", include=self.content.model_fields_set)
        layer = blank(shot, name, {**kind.begun(start, shot.size), **given})
        document["layers"][layer["id"]] = layer
        if self.point is not None and kind.points():
            layer["content"][kind.points()[0]]["value"] = list(self.point)
        stack = stack_of(document, self.group)
        last = len(stack) - (1 if stack and stack[-1] == shot.plate else 0)
        stack.insert(min(self.index, last), layer["id"])
        if start:
            return Change(f"add {start}", [f"layers/{layer['id']}"])
        title = self.content.title.lower()
        article = "" if title.endswith("s") else "an " if title[0] in "aeiou" else "a "
        return Change(f"add {article}{title}", [f"layers/{layer['id']}"])


def _free(shot: Shot, name: str) -> str:
    """The name, with a number where another layer has it."""
    taken, n = {layer.name for layer in shot.layers.values()}, 2
    found = name
    while found in taken:
        found, n = f"{name} {n}", n + 1
    return found
