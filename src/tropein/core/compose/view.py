"""What is looked at: the picture, its alpha, one channel, luminance; and variants of the shot to compare with."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.document import FootageLayer, Shot
from tropein.core.raster.colour import LUMA, to_display
from tropein.core.raster.picture import Picture, Window, over_checker

View = Literal["picture", "alpha", "red", "green", "blue", "luminance"]


def variant(shot: Shot, name: str) -> Shot:
    """The shot as it is, or a variation: "plate" (the plate alone, untouched), "without:ID" (a layer off), "only:ID" (a
    layer alone; for a veil everything up to it), "effect-off:LAYER:EFFECT"."""
    if name in ("", "shot"):
        return shot
    kind, _, rest = name.partition(":")
    layers, stack = dict(shot.layers), list(shot.stack)
    if kind == "plate":
        stack = stack[-1:] if shot.plate else []
        layers = {i: layers[i].model_copy(update={"effects": [], "visible": True, "span": None}) for i in stack}
    elif kind == "without" and rest in layers:
        layers[rest] = layers[rest].model_copy(update={"visible": False})
    elif kind == "only" and rest in layers:
        layer = layers[rest]
        stack = [rest] if isinstance(layer, FootageLayer) else stack[stack.index(rest) :]
        update: dict[str, Any] = {"visible": True, "span": None}
        if isinstance(layer, FootageLayer):
            update["blend"] = "normal"
        layers = {i: layers[i] for i in stack} | {rest: layer.model_copy(update=update)}
    elif kind == "effect-off":
        layer_id, _, effect_id = rest.partition(":")
        if layer_id in layers:
            effects = [e.model_copy(update={"on": False}) if e.id == effect_id else e for e in layers[layer_id].effects]
            layers[layer_id] = layers[layer_id].model_copy(update={"effects": effects})
    return shot.model_copy(update={"layers": layers, "stack": stack})


def display(picture: Picture, window: Window, view: View = "picture", checker: bool = False) -> NDArray[np.uint8]:
    """(h, w, 3) display-encoded bytes of the window, over black, or over a faint checker."""
    pixels = picture.fill(window) if picture.window != window else picture.pixels
    if view == "alpha":
        grey = np.rint(np.clip(pixels[..., 3], 0, 1) * 255).astype(np.uint8)
        return np.repeat(grey[..., None], 3, 2)
    if view == "luminance":
        pixels = np.repeat((pixels[..., :3] @ LUMA)[..., None], 4, 2)
    elif view in ("red", "green", "blue"):
        channel = ("red", "green", "blue").index(view)
        pixels = np.repeat(pixels[..., channel : channel + 1], 4, 2)
    if checker:
        pixels = over_checker(pixels)
    return to_display(np.ascontiguousarray(pixels, np.float32))
