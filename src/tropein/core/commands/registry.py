"""Commands: composite edits of a shot, each one file in this folder, given from the page, the command line and scripts alike."""

from __future__ import annotations

import copy
from dataclasses import dataclass, field
from typing import Any, ClassVar, TypeVar

import jsonpatch
from pydantic import ValidationError

from tropein.core.document import Shot
from tropein.core.document.base import Model
from tropein.core.document.held import Held
from tropein.core.document.kinds import import_all
from tropein.core.document.patch import PatchOps
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput, NotFound

Plain = dict[str, Any]


@dataclass
class Change:
    """What a command did: a label for the history, what is to be selected now ("layers/ab3", or a key: "layers/ab3/opacity/keys/12"), and words for the person where not all was kept."""

    label: str
    select: list[str] = field(default_factory=list)
    note: str = ""


class Command(Model):
    """The arguments of a command, and what it does. `run` changes a plain document that belongs to `shot`."""

    name: ClassVar[str]
    title: ClassVar[str]

    def run(self, shot: Shot, document: Plain) -> Change:
        raise NotImplementedError


_COMMANDS: dict[str, type[Command]] = {}
C = TypeVar("C", bound=type[Command])


def command(cls: C) -> C:
    """Class decorator: makes a command known by its name."""
    _COMMANDS[cls.name] = cls
    return cls


def commands() -> dict[str, type[Command]]:
    """All commands by name."""
    import_all("tropein.core.commands")
    return dict(sorted(_COMMANDS.items()))


def planned(held: Held, name: str, arguments: dict[str, Any]) -> tuple[PatchOps, Change]:
    """What a command would do: (the edit, not validated yet; what it says of it). Errors as in `do`."""
    cls = commands().get(name)
    if cls is None:
        raise NotFound(f"There is no command {name!r}.")
    try:
        given = cls.model_validate(arguments)
    except ValidationError as error:
        raise BadInput(f"{name}: {explain(error)}") from error
    document = copy.deepcopy(held.plain)
    change = given.run(held.shot, document)
    return jsonpatch.make_patch(held.plain, document).patch, change


def do(shot: Shot, name: str, arguments: dict[str, Any]) -> tuple[Shot, PatchOps, Change]:
    """Give a command: (the changed shot, the JSON Patch that made it, what was done). NotFound where there is no such command, BadInput where
    it does not fit."""
    held = Held(shot.model_dump(mode="json"), shot)
    ops, change = planned(held, name, arguments)
    after, patch, _ = held.edit(ops)
    return after.shot, patch, change
