"""Remove layers, tracks and mattes, with what hangs on them."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.common import Layers, Plain, known, named
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.removal import take_out

Things = Annotated[list[Id], Field(min_length=1, max_length=500)]


@command
class RemoveLayers(Command):
    """Removes layers; groups go with what is in them, what hung from them stays where it is."""

    name: ClassVar[str] = "remove-layers"
    title: ClassVar[str] = "Remove layers"
    layers: Layers

    def run(self, shot: Shot, document: Plain) -> Change:
        chosen = known(shot, "layers", self.layers)
        take_out(document, shot, "layers", chosen)
        return Change(f"remove {named(shot, chosen)}")


@command
class RemoveTracks(Command):
    """Removes tracks; what rode on them rides on nothing."""

    name: ClassVar[str] = "remove-tracks"
    title: ClassVar[str] = "Remove tracks"
    tracks: Things

    def run(self, shot: Shot, document: Plain) -> Change:
        return _removed(shot, document, "tracks", self.tracks)


@command
class RemoveMattes(Command):
    """Removes mattes; what they cut is cut by them no longer."""

    name: ClassVar[str] = "remove-mattes"
    title: ClassVar[str] = "Remove mattes"
    mattes: Things

    def run(self, shot: Shot, document: Plain) -> Change:
        return _removed(shot, document, "mattes", self.mattes)


def _removed(shot: Shot, document: Plain, where: str, things: list[str]) -> Change:
    chosen = known(shot, where, things)
    take_out(document, shot, where, chosen)
    name = getattr(shot, where)[chosen[0]].name
    return Change(f"remove the {where[:-1]} {name}" if len(chosen) == 1 else f"remove {len(chosen)} {where}")
