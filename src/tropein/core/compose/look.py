"""What is looked at of a shot: all of it, its plate, one layer, without something; which channels, which matte."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field

from tropein.core.document import Shot
from tropein.core.document.base import Model

View = Literal[
    "picture", "alpha", "red", "green", "blue", "luminance", "clipped",
    "matte", "matte-soft", "matte-faults", "matte-tint", "on-checker", "on-black", "on-grey", "on-white",
]  # fmt: skip
PLAIN_VIEWS = ("picture", "alpha", "red", "green", "blue", "luminance", "clipped")  # that need no matte
PLAIN: dict[str, Any] = {"effects": {}, "chain": []}  # a layer without effects
Of = Literal["shot", "plate", "layer", "source"]
Named = Annotated[str, Field(max_length=40, pattern=r"^[a-z0-9-]*$")]


class Look(Model):
    """A way to look. `of`: the shot; the plate alone, untouched; a layer alone (of a veil everything up to it); the source of a layer, its own
    pixels where it lies. `without` a layer, or of that layer without an effect. `matte` is the one that views of mattes show."""

    model_config = ConfigDict(frozen=True)
    of: Of = "shot"
    layer: Named = ""
    without: Named = ""
    effect: Named = ""
    view: View = "picture"
    matte: Named = ""
    checker: bool = False

    @property
    def shows_matte(self) -> bool:
        return bool(self.matte) and self.view not in PLAIN_VIEWS


def looked_at(shot: Shot, look: Look) -> Shot:
    """The shot with only that in it which is looked at. What is not there (any more) changes nothing."""
    if look.of == "shot" and not look.without:
        return shot
    layers, stack = dict(shot.layers), list(shot.stack)
    if look.of == "plate":
        stack = stack[-1:] if shot.plate else []
        layers = {i: layers[i].model_copy(update={**PLAIN, "visible": True, "span": None}) for i in stack}
    if look.without in layers:
        layer = layers[look.without]
        if not look.effect:
            layers[layer.id] = layer.model_copy(update={"visible": False})
        elif look.effect in layer.effects:
            off = layer.effects[look.effect].model_copy(update={"on": False})
            layers[layer.id] = layer.model_copy(update={"effects": {**layer.effects, look.effect: off}})
    one = layers.get(look.layer)
    if look.of == "layer" and one is not None:
        around = next((g.stack for g in layers.values() if g.stack and one.id in g.stack), stack)
        stack = [one.id] if one.content.has_picture else around[around.index(one.id) :]
        update: dict[str, Any] = {"visible": True, "span": None}
        if one.content.has_picture:
            update["blend"] = "normal"
        layers[one.id] = one.model_copy(update=update)  # the others stay known: it may hang from one of them
    elif look.of == "source" and one is not None and one.content.has_picture:
        stack = [one.id]
        plain: dict[str, Any] = {"visible": True, "span": None, "blend": "normal", "cuts": {}, **PLAIN}
        layers[one.id] = one.model_copy(update=plain)
    return shot.model_copy(update={"layers": layers, "stack": stack})
