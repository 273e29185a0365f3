"""Giving commands to a shot in the database."""

from __future__ import annotations

import json as plain
import sys
from typing import Annotated, Any

import typer

from tropein.cli.clips import Json
from tropein.cli.common import say
from tropein.cli.shots import stored_shot
from tropein.core.commands import commands
from tropein.core.errors import BadInput


def do(
    shot: Annotated[str | None, typer.Argument(metavar="SHOT", help="A shot's name or id.")] = None,
    command: Annotated[str | None, typer.Argument(metavar="COMMAND")] = None,
    arguments: Annotated[
        list[str] | None,
        typer.Argument(metavar="NAME=VALUE...", help="Layers, tracks and mattes by id or name; several with commas."),
    ] = None,
    every: Annotated[bool, typer.Option("--list", help="Say which commands there are, and what each takes.")] = False,
    json: Json = False,
) -> None:
    """Give a command to a shot: one edit, which can be undone in the page."""
    if every:
        for name, cls in commands().items():
            takes = " ".join(f"{n}=..." if f.is_required() else f"[{n}=...]" for n, f in cls.model_fields.items())
            sys.stdout.write(f"{name:<16} {takes}\n{'':<16} {(cls.__doc__ or '').strip()}\n")
        return
    if shot is None or command is None:
        raise BadInput("Say which shot, and which command; --list says which there are.")
    from tropein.app.jobs.context import here
    from tropein.app.store import shots
    from tropein.app.store.database import migrate, transaction

    context = here()
    migrate(context.engine)
    with transaction(context.engine) as session:
        row = stored_shot(session, shot)
        document = shots.state(session, row.id).document
        given = dict(_argument(text, document) for text in arguments or [])
        state, change = shots.give(session, row.id, row.revision, command, given, "command line")
    say({"done": change.label, "revision": state.revision, "select": change.select, "note": change.note}, json)


def _argument(text: str, document: dict[str, Any]) -> tuple[str, Any]:
    """`name=value` as an argument: JSON where it is some, names of things as their ids, lists by commas."""
    name, equals, value = text.partition("=")
    if not equals:
        raise BadInput(f"An argument is written NAME=VALUE, not {text!r}.")
    try:
        return name, plain.loads(value)
    except ValueError:
        pass
    if name in ("layers", "tracks", "mattes"):
        return name, [_id(one.strip(), document[name]) for one in value.split(",")]
    for where in ("layers", "tracks", "mattes"):
        if name in (where.removesuffix("s"), "group", "before"):
            return name, _id(value, document["layers" if name in ("group", "before") else where])
    return name, value


def _id(text: str, things: dict[str, Any]) -> str:
    found = [key for key, thing in things.items() if text in (key, thing["name"])]
    if len(found) > 1:
        raise BadInput(f"{len(found)} are called {text!r}: name one by its id ({', '.join(found)}).")
    return found[0] if found else text
