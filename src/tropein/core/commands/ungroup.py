"""Take a group apart."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np

from tropein.core.commands.common import Plain, known, stack_of
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Layer, Place, Shot
from tropein.core.document.scope import group_of
from tropein.core.errors import BadInput
from tropein.core.raster.warp import Matrix, rotation, scaling, translation


@command
class Ungroup(Command):
    """Takes a group apart. What it did to its layers goes into them where that is exact: a place that stands still, its span, an opacity over a single
    layer; what is lost is said."""

    name: ClassVar[str] = "ungroup"
    title: ClassVar[str] = "Ungroup"
    group: Id

    def run(self, shot: Shot, document: Plain) -> Change:
        known(shot, "layers", [self.group])
        group = shot.layers[self.group]
        if group.stack is None:
            raise BadInput(f"{group.name} is no group.")
        lost = []
        if not self._placed(shot, document, group):
            lost.append("its place")
        if group.span is not None:
            _span(document, group)
        if not group.opacity.still or group.opacity.value != 1:
            only = document["layers"][group.stack[0]]["opacity"] if len(group.stack) == 1 else None
            if only is not None and group.opacity.still:
                only["value"] *= group.opacity.value
                for key in only["keys"]:
                    key["value"] *= group.opacity.value
            else:
                lost.append("its opacity")
        lost += [
            words
            for words, had in (
                ("its effects", group.effects), ("its cuts", group.cuts), ("how it meets what lies beneath", group.meets),
                ("its blend", group.blend != "normal"), ("its time", not group.time.plain),
            )
            if had
        ]  # fmt: skip
        if not group.visible:
            for child in group.stack:
                document["layers"][child]["visible"] = False
        stack = stack_of(document, group_of(shot).get(group.id))
        at = stack.index(group.id)
        stack[at : at + 1] = group.stack
        del document["layers"][group.id]
        for layer in document["layers"].values():
            if (layer["place"]["hang"] or {}).get("layer") == group.id:
                layer["place"]["hang"] = None
        kept = [child for child in group.stack if child in document["layers"]]
        note = f"Not kept: {', '.join(lost)}." if lost else ""
        return Change(f"ungroup {group.name}", [f"layers/{child}" for child in kept], note)

    def _placed(self, shot: Shot, document: Plain, group: Layer) -> bool:
        """Whether the group's place went into its layers."""
        matrix = _still(shot, group.place)
        if matrix is None:
            return False
        if np.allclose(matrix, np.eye(3), atol=1e-12):
            return True
        size = math.hypot(matrix[0, 0], matrix[1, 0])
        turn = math.degrees(math.atan2(matrix[1, 0], matrix[0, 0]))
        alike = (
            np.allclose(matrix[:2, :2] @ matrix[:2, :2].T, np.eye(2) * size**2, atol=1e-9) and np.linalg.det(matrix) > 0
        )
        places = [shot.layers[child].place for child in group.stack or () if shot.layers[child].content.has_place]
        tied = any(
            p.ride or p.hang or p.corners or p.depth or p.pivot_ride or not p.pivot.still or any(p.pivot.value)
            for p in places
        )
        if not alike or tied or any(shot.layers[c].cuts or shot.layers[c].kind == "beneath" for c in group.stack or ()):
            return False
        for child in group.stack or ():
            place = document["layers"][child]["place"]
            for one in (place["position"], *place["position"]["keys"]):
                one["value"] = [float(v) for v in (matrix @ [*one["value"], 1.0])[:2]]
            for one in (place["scale"], *place["scale"]["keys"]):
                one["value"] = [v * size for v in one["value"]]
            for one in (place["rotation"], *place["rotation"]["keys"]):
                one["value"] += turn
        return True


def _still(shot: Shot, place: Place) -> Matrix | None:
    """A group's place as a matrix; None where it moves, or is more than a shift, a turn and a size."""
    values = (place.position, place.scale, place.rotation, place.pivot)
    if place.ride or place.hang or place.corners or place.depth or place.steady or any(not v.still for v in values):
        return None
    (x, y), (px, py), (w, h) = place.position.value, place.pivot.value, shot.size
    turned: Matrix = translation(x, y) @ rotation(place.rotation.value) @ scaling(*place.scale.value)
    return turned @ translation(-px - w / 2, -py - h / 2)


def _span(document: Plain, group: Layer) -> None:
    """The layers live no longer than their group did."""
    assert group.span is not None
    for child in group.stack or ():
        own = document["layers"][child]["span"] or list(group.span)
        first, last = max(own[0], group.span[0]), min(own[1], group.span[1])
        document["layers"][child]["span"] = [first, max(first, last)]
        if first > last:
            document["layers"][child]["visible"] = False
