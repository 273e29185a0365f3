"""Give layers the set-up of another."""

from __future__ import annotations

import copy
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from tropein.core.commands.common import Layers, Plain, known, named
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot, new_id
from tropein.core.errors import BadInput

What = Literal["effects", "meets", "cuts", "blend", "opacity", "place", "time", "span"]
LISTS = {"effects": "chain", "meets": "meeting"}


@command
class CopySetup(Command):
    """Gives layers what another has: its effects with their keys and cuts, how it meets the plate, its mattes, blend and opacity; its place,
    time and span where that is asked for. What they had of it is replaced; their pictures stay their own."""

    name: ClassVar[str] = "copy-setup"
    title: ClassVar[str] = "Copy set-up"
    layer: Annotated[Id, Field(description="whose set-up it is")]
    to: Layers
    what: Annotated[list[What], Field(min_length=1, max_length=8)] = ["effects", "meets", "cuts", "blend", "opacity"]

    def run(self, shot: Shot, document: Plain) -> Change:
        source = shot.layers[known(shot, "layers", [self.layer])[0]]
        targets = [layer for layer in known(shot, "layers", self.to) if layer != source.id]
        if not targets:
            raise BadInput("A layer has its own set-up already: choose another to give it to.")
        if shot.plate in targets and {"place", "time", "span"} & set(self.what):
            raise BadInput("The plate stays where and when it is.")
        for target in targets:
            for what in dict.fromkeys(self.what):
                _give(document["layers"][source.id], document["layers"][target], what)
            hang = document["layers"][target]["place"]["hang"]
            if hang and hang["layer"] == target:
                document["layers"][target]["place"]["hang"] = None
        label = f"give {named(shot, targets)} the set-up of {source.name}"
        return Change(label, [f"layers/{layer}" for layer in targets])


def _give(source: Plain, target: Plain, what: str) -> None:
    if what not in LISTS:
        target[what] = copy.deepcopy(source[what])
        return
    fresh = {old: new_id() for old in source[LISTS[what]]}
    target[what] = {fresh[old]: {**copy.deepcopy(source[what][old]), "id": fresh[old]} for old in fresh}
    target[LISTS[what]] = list(fresh.values())
