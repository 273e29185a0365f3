"""A ring of cards about a carrier."""

from __future__ import annotations

import copy
import math
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from tropein.core.commands.common import Plain, known
from tropein.core.commands.group import blank
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot, new_id
from tropein.core.document.removal import stacks
from tropein.core.errors import BadInput


@command
class MakeRing(Command):
    """Puts cards in a ring about a carrier: copies of one layer, each of which can show any footage later. They take the layer's place in
    the stack, its ride goes to the carrier; the layer itself stays only where something hangs from it."""

    name: ClassVar[str] = "ring"
    title: ClassVar[str] = "Make a ring of cards"
    layer: Id
    count: Annotated[int, Field(ge=2, le=60, description="cards")] = 8
    radius: Annotated[float, Field(gt=0, le=20_000, description="pixels of the shot")] = 300.0
    width: Annotated[float, Field(gt=0, le=20_000, description="of a card, pixels of the shot")] = 160.0
    tilt: Annotated[float, Field(ge=-90, le=90, description="degrees")] = 0.0
    facing: Annotated[Literal["out", "in", "camera"], Field(description="which way the cards face")] = "out"

    def run(self, shot: Shot, document: Plain) -> Change:
        known(shot, "layers", [self.layer])
        layer = shot.layers[self.layer]
        if not layer.content.has_picture or layer.id == shot.plate:
            raise BadInput(f"{layer.name} cannot be made a ring of: it is no insert with a picture.")
        old = document["layers"][layer.id]
        carrier = blank(shot, f"Ring of {layer.name}"[:120], {"kind": "nothing"})
        carrier["span"] = old["span"]
        carrier["place"]["ride"] = old["place"]["ride"]
        carrier["place"]["depth"] = _depth((0.0, 0.0, 0.0), self.radius * 2, (self.tilt, 0.0, 0.0))
        made = [carrier]
        for i in range(self.count):
            card = {**copy.deepcopy(old), "id": new_id(), "name": f"{layer.name} {i + 1}"[:120]}
            card["place"] = blank(shot, card["name"], card["content"])["place"] | {
                "hang": {"layer": carrier["id"], "reference_frame": 0}, "depth": self._card(i), "motion_blur": True,
            }  # fmt: skip
            made.append(card)
        document["layers"] |= {one["id"]: one for one in made}
        stack = next(stack for stack in stacks(document) if layer.id in stack)
        at = stack.index(layer.id)
        stays = any(other.place.hang and other.place.hang.layer == layer.id for other in shot.layers.values())
        stack[at + stays : at + 1] = [one["id"] for one in made]
        if not stays:
            del document["layers"][layer.id]
        return Change(f"make a ring of {layer.name}", [f"layers/{carrier['id']}"])

    def _card(self, i: int) -> Plain:
        """Where a card stands; the first is nearest the lens."""
        angle = 2 * math.pi * i / self.count
        at = (_near(-self.radius * math.sin(angle)), 0.0, _near(-self.radius * math.cos(angle)))
        if self.facing == "camera":
            return _depth(at, self.width, (0.0, 0.0, 0.0)) | {"facing": "camera"}
        return _depth(at, self.width, (0.0, _near(math.degrees(angle) + 180 * (self.facing == "in")), 0.0))


def _depth(position: tuple[float, float, float], width: float, rotation: tuple[float, float, float]) -> Plain:
    return {"position": {"value": position}, "rotation": {"value": rotation}, "width": {"value": width}}


def _near(value: float) -> float:
    return round(value, 2) + 0.0  # no minus nought
