"""Stacks within stacks: which layer is in which group, and whether anything would need itself."""

from __future__ import annotations

from graphlib import CycleError, TopologicalSorter
from typing import TYPE_CHECKING

from tropein.core.document.references import Ref, pointers

if TYPE_CHECKING:
    from tropein.core.document.shot import Shot

MOST_DEEP = 60  # groups within groups


def group_of(shot: Shot) -> dict[str, str]:
    """The group each layer is in, of those that are in one."""
    return {child: layer.id for layer in shot.layers.values() for child in layer.stack or ()}


def scope_problems(shot: Shot) -> list[str]:
    """What is wrong with the stacks, in words."""
    problems = []
    listed = [*shot.stack, *(child for layer in shot.layers.values() for child in layer.stack or ())]
    if len(listed) != len(shot.layers) or set(listed) != set(shot.layers):
        problems.append("the stack and its groups must name every layer exactly once")
    else:
        inside = group_of(shot)
        for layer in shot.layers.values():
            at, deep = layer.id, 0
            while (above := inside.get(at)) is not None and above != layer.id and deep <= MOST_DEEP:
                at, deep = above, deep + 1
            if above == layer.id:
                problems.append(f"the group {layer.name} would lie within itself")
            elif deep > MOST_DEEP:
                problems.append(f"groups may lie up to {MOST_DEEP} deep within each other")
                break
    if shot.plate is not None and (not shot.stack or shot.stack[-1] != shot.plate):
        problems.append("the plate must be the last layer of the stack")
    plate = shot.layers.get(shot.plate or "")
    if plate is not None and (plate.place.ride or plate.place.hang or plate.place.depth or plate.place.pivot_ride):
        problems.append(
            "the plate neither rides nor hangs, nor lies in depth: what rides on it would go round in a circle"
        )
    return problems


def circles(shot: Shot) -> list[str]:
    """Pictures that need themselves, in words: through groups, twins, mattes and what hangs from what. For a shot whose references hold."""
    needs: dict[str, set[str]] = {}

    def need(node: str, *others: str) -> None:
        needs.setdefault(node, set()).update(others)

    for layer in shot.layers.values():
        picture, own, place = (f"{what}:{layer.id}" for what in ("picture", "own", "place"))
        need(picture, own, place)
        for child in layer.stack or ():
            need(own, f"picture:{child}")
            need(f"place:{child}", place)
        for found in pointers(layer):
            mark = found.mark
            if not isinstance(mark, Ref) or not mark.sees:
                continue
            if mark.to == "mattes":
                need(picture, f"matte:{found.value}")
            elif mark.sees == "place":
                need(place, f"place:{found.value}")
            else:
                need(own, f"{mark.sees}:{found.value}")
    for matte in shot.mattes.values():
        for found in pointers(matte):
            mark = found.mark
            if isinstance(mark, Ref) and mark.sees:
                need(f"matte:{matte.id}", f"{'matte' if mark.to == 'mattes' else mark.sees}:{found.value}")
    try:
        TopologicalSorter(needs).prepare()
    except CycleError as error:
        return [_in_words(shot, error.args[1])]
    return []


def _in_words(shot: Shot, circle: list[str]) -> str:
    kinds = [node.partition(":") for node in circle]
    for what, _, thing in kinds:
        if what == "matte":
            return f"the matte {shot.mattes[thing].name} would be cut out of itself"
    what, _, thing = kinds[0]
    name = shot.layers[thing].name
    if all(kind == "place" for kind, _, _ in kinds):
        return f"the layer {name} would hang from itself"
    return f"the layer {name} would show itself"
