"""Taking things out of a plain document, with all that points at them: derived from the marks of references."""

from __future__ import annotations

from typing import Any

from tropein.core.document.references import WORDS, Ref, found_in
from tropein.core.document.shot import Shot, owner
from tropein.core.errors import BadInput

Plain = dict[str, Any]
ORDERS = {"effects": "chain", "meets": "meeting", "pieces": "order"}  # a map by id, and the list of its order beside it
MAPS = {"footage", "layers", "tracks", "mattes", "cues", "spots", "cuts", "fine_within", *ORDERS}
OPTIONAL = {"ride", "pivot_ride", "hang", "steady", "depth"}


def take_out(document: Plain, shot: Shot, where: str, things: list[str]) -> None:
    """Remove things from a plain document (that of `shot`), and what hangs on them: pointers are cleared, or go with the smallest thing around
    them that can go; groups go with what is in them. BadInput names what still needs a thing that may not go from under it."""
    gone: set[tuple[str, str]] = set()
    left = [(where, thing) for thing in things]
    every = [(found, found.mark) for found in found_in(shot) if isinstance(found.mark, Ref)]
    while left:
        place, thing = left.pop()
        if (place, thing) in gone or thing not in document.get(place, {}):
            continue
        gone.add((place, thing))
        if place == "layers":
            left += [("layers", child) for child in shot.layers[thing].stack or ()]
        for found, mark in every:
            if mark.to != place or found.value != thing:
                continue
            if (found.address[0], found.address[1]) in gone:
                continue
            if mark.on_delete == "refuse":
                name = getattr(shot, place)[thing].name
                raise BadInput(f"{owner(shot, found.address)} {mark.says} {WORDS[place]} that was to go: {name}.")
            if mark.on_delete == "clear":
                _parent(document, found.address)[found.address[-1]] = None
            elif (more := _drop(document, found.address)) is not None:
                left.append(more)
    for place, thing in gone:
        document[place].pop(thing, None)
        if place == "layers":
            _unstack(document, thing)


def _drop(document: Plain, address: tuple[str, ...]) -> tuple[str, str] | None:
    """Take out the smallest thing around an address; a thing of the shot's own maps is named instead."""
    for n in range(len(address) - 1, 0, -1):
        name, around = address[n - 1], address[: n - 1]
        if name in MAPS and n < len(address):
            if not around:
                return name, address[n]
            holder = _at(document, around)
            if holder is None:
                return None
            holder[name].pop(address[n], None)
            if name in ORDERS and address[n] in holder[ORDERS[name]]:
                holder[ORDERS[name]].remove(address[n])
            return None
        if name in OPTIONAL:
            holder = _at(document, around)
            if holder is not None:
                holder[name] = None
            return None
    return None


def _at(document: Plain, address: tuple[str, ...]) -> Any:
    value: Any = document
    for part in address:
        value = value.get(part) if isinstance(value, dict) else None
        if value is None:
            return None
    return value


def _parent(document: Plain, address: tuple[str, ...]) -> Any:
    found = _at(document, address[:-1])
    return {} if found is None else found


def _unstack(document: Plain, layer: str) -> None:
    for stack in stacks(document):
        if layer in stack:
            stack.remove(layer)
    if document["plate"] == layer:
        document["plate"] = None


def stacks(document: Plain) -> list[list[str]]:
    """The shot's own stack and those of its groups, as they stand in the document."""
    return [document["stack"], *(x["content"]["stack"] for x in document["layers"].values() if "stack" in x["content"])]
