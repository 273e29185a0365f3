"""What rides do to everything of a shot at a frame, for whoever draws handles over the picture."""

from __future__ import annotations

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose.places import Places
from tropein.core.document import CentredEffect
from tropein.core.raster.warp import Matrix


def ride_matrices(places: Places, frame: float) -> dict[str, Matrix | None]:
    """3x3 matrices in shot pixels: by id what a ride, hanging and movers do to a layer (of a layer in depth the whole matrix from its
    own pixels on), by "matte/piece" what a ride does to a shape and where the pixels of a cut-out lie, by "layer:effect"
    what it does to a centre, by "layer:pivot" to a pivot, by "layer:parameter" to a point of its content, by "spot:id" to a sample spot, and by ":plate" how the plate lies. None where a ride hides the thing."""
    shot = places.shot
    out: dict[str, Matrix | None] = {}
    plate = shot.layers.get(shot.plate or "")
    if plate is not None and plate.content.has_picture:
        out[":plate"] = places.matrix(plate, frame)
    for layer in shot.layers.values():
        grouped = places.group_matrix(layer.id, frame)
        for effect in layer.looks:
            if isinstance(effect, CentredEffect) and (effect.ride or layer.id in places.groups):
                about = np.array(sample(effect.centre, frame))
                moved = np.eye(3) if effect.ride is None else places.ridden(effect.ride, about, frame)
                out[f"{layer.id}:{effect.id}"] = _within(grouped, moved)
        whole = places.card(layer, frame) if layer.content.points() else None
        for name in layer.content.points():
            moved = places.point_matrix(layer.content, name, frame)
            out[f"{layer.id}:{name}"] = None if whole is None or moved is None else whole @ moved
        place = layer.place
        if place.pivot_ride:
            about = np.array(sample(place.position, frame))
            out[f"{layer.id}:pivot"] = _within(grouped, places.ridden(place.pivot_ride, about, frame))
        if layer.content.has_picture and place.depth:
            out[layer.id] = places.card(layer, frame)
        elif layer.content.has_place and (place.ride or place.hang or layer.id in places.groups or place.moving):
            carried = _within(grouped, places.ride_matrix(layer, frame))
            out[layer.id] = carried if carried is None else carried @ places.moved_by_movers(place, frame)
    for spot in shot.spots.values():
        if spot.ride:
            out[f"spot:{spot.id}"] = places.ridden(spot.ride, np.array(spot.at), frame)
    for matte in shot.mattes.values():
        for piece in matte.in_order:
            if piece.has_marks:
                out[f"{matte.id}/{piece.id}"] = piece.marks_matrix(places, frame)
    return out


def _within(grouped: Matrix | None, matrix: Matrix | None) -> Matrix | None:
    return None if grouped is None or matrix is None else grouped @ matrix
