"""What commands share: which layers are meant, and how several are named."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from tropein.core.document import Id, Shot, new_id
from tropein.core.document.scope import group_of
from tropein.core.errors import BadInput, NotFound

Plain = dict[str, Any]
Layers = Annotated[list[Id], Field(min_length=1, max_length=500)]


def known(shot: Shot, where: str, things: list[str]) -> list[str]:
    """The things that are meant, each once; NotFound where one is not in the shot."""
    for thing in things:
        if thing not in getattr(shot, where):
            raise NotFound(f"There is no {thing!r} among the {where} of the shot.")
    return list(dict.fromkeys(things))


def named(shot: Shot, layers: list[str]) -> str:
    """One layer's name, or how many there are."""
    return shot.layers[layers[0]].name if len(layers) == 1 else f"{len(layers)} layers"


def stack_of(document: Plain, group: str | None) -> list[str]:
    """The stack of a group, or the shot's own, to be changed in place."""
    stack: list[str] = document["stack"] if group is None else document["layers"][group]["content"]["stack"]
    return stack


def of_one_stack(shot: Shot, layers: list[str]) -> str | None:
    """The group that all layers stand in (None: the shot's own stack)."""
    groups = group_of(shot)
    found = {groups.get(layer) for layer in layers}
    if len(found) > 1:
        raise BadInput("These layers stand in different groups: choose layers of one stack.")
    return found.pop()


def movable(shot: Shot, layers: list[str]) -> list[str]:
    """The layers, as far as they are not the plate."""
    if shot.plate in layers:
        raise BadInput("The plate stays where it is, beneath everything.")
    return layers


def in_stack_order(shot: Shot, layers: list[str]) -> list[str]:
    """Layers as they stand, nearest the lens first; those that lie within another one of them are left to it."""
    groups, order = group_of(shot), _walk(shot, shot.stack)
    wanted = set(layers)

    def within(layer: str) -> bool:
        above = groups.get(layer)
        return above is not None and (above in wanted or within(above))

    return [layer for layer in order if layer in wanted and not within(layer)]


def _walk(shot: Shot, stack: list[str]) -> list[str]:
    return [one for layer in stack for one in (layer, *_walk(shot, shot.layers[layer].stack or []))]


def copied(document: Plain, layer: str, ids: dict[str, str]) -> str:
    """A copy of a layer, with all that is in it, put among the layers (not into a stack); `ids` takes in which became which."""
    old = document["layers"][layer]
    fresh = ids[layer] = new_id()
    copy = {**_deep(old), "id": fresh}
    if "stack" in copy["content"]:
        copy["content"]["stack"] = [copied(document, child, ids) for child in old["content"]["stack"]]
    document["layers"][fresh] = copy
    return fresh


def repoint(document: Plain, ids: dict[str, str]) -> None:
    """Among copies, what hung from or was the twin of one that was copied too goes with the copy."""
    for fresh in ids.values():
        layer = document["layers"][fresh]
        hang = layer["place"]["hang"]
        if hang and hang["layer"] in ids:
            hang["layer"] = ids[hang["layer"]]
        if layer["content"].get("layer") in ids:
            layer["content"]["layer"] = ids[layer["content"]["layer"]]


def _deep(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: _deep(v) for k, v in value.items()}
    return [_deep(v) for v in value] if isinstance(value, list) else value
