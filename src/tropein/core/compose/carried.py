"""What rides do to everything of a shot at a frame, for whoever draws handles over the picture."""

from __future__ import annotations

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.places import Places
from tropein.core.document import CentredEffect, CutoutPiece, FootageLayer, ShapePiece, VeilLayer
from tropein.core.raster.warp import Matrix


def carried(places: Places, frame: float) -> dict[str, Matrix | None]:
    """3x3 matrices in shot pixels: by id what a ride and hanging do to a layer (of a layer in depth the whole matrix from its
    own pixels on), by "matte/piece" what a ride does to a shape and where the pixels of a cut-out lie, by "layer:effect"
    what it does to a centre, by "layer:pivot" to a pivot, and by ":plate" how the plate lies. None where a ride hides the thing."""
    shot = places.shot
    out: dict[str, Matrix | None] = {}
    plate = shot.layers.get(shot.plate or "")
    if isinstance(plate, FootageLayer):
        out[":plate"] = places.matrix(plate, frame)
    for layer in shot.layers.values():
        for effect in layer.effects:
            if isinstance(effect, CentredEffect) and effect.ride:
                about = np.array(sample(effect.centre, frame))
                out[f"{layer.id}:{effect.id}"] = places.ridden(effect.ride, about, frame)
        if not isinstance(layer, VeilLayer) and layer.place.pivot_ride:
            about = np.array(sample(layer.place.position, frame))
            out[f"{layer.id}:pivot"] = places.ridden(layer.place.pivot_ride, about, frame)
        if isinstance(layer, FootageLayer) and layer.place.depth:
            out[layer.id] = places.matrix(layer, frame)
        elif not isinstance(layer, VeilLayer) and (layer.place.ride or layer.place.hang):
            out[layer.id] = places.carried(layer.place, frame)
    for matte in shot.mattes.values():
        for piece in matte.pieces:
            name = f"{matte.id}/{piece.id}"
            if isinstance(piece, ShapePiece) and piece.ride:
                out[name] = places.shape_carried(piece, frame)
            if isinstance(piece, CutoutPiece) and isinstance(layer := shot.layers[piece.layer], FootageLayer):
                out[name] = places.matrix(layer, frame)
    return out
