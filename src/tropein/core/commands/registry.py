"""Commands: composite edits of a shot, each one file in this folder, given from the page, the command line and scripts alike."""

from __future__ import annotations

import importlib
import pkgutil
from dataclasses import dataclass, field
from typing import Any, ClassVar, TypeVar

import jsonpatch
from pydantic import ValidationError

from tropein.core.document import Shot
from tropein.core.document.base import Model
from tropein.core.document.upgrade import explain, load_shot
from tropein.core.errors import BadInput, NotFound

Plain = dict[str, Any]


@dataclass
class Change:
    """What a command did: a label for the history, what is to be selected now ("layers/ab3"), and words for the person where not all was kept."""

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
    package = importlib.import_module("tropein.core.commands")
    for module in pkgutil.iter_modules(package.__path__):
        importlib.import_module(f"tropein.core.commands.{module.name}")
    return dict(sorted(_COMMANDS.items()))


def do(shot: Shot, name: str, arguments: dict[str, Any]) -> tuple[Shot, list[dict[str, Any]], Change]:
    """Give a command: (the changed shot, the JSON Patch that made it, what was done). NotFound where there is no such command, BadInput where
    it does not fit."""
    cls = commands().get(name)
    if cls is None:
        raise NotFound(f"There is no command {name!r}.")
    try:
        given = cls.model_validate(arguments)
    except ValidationError as error:
        raise BadInput(f"{name}: {explain(error)}") from error
    before = shot.model_dump(mode="json")
    document = shot.model_dump(mode="json")
    change = given.run(shot, document)
    after = load_shot(document)
    return after, jsonpatch.make_patch(before, after.model_dump(mode="json")).patch, change
