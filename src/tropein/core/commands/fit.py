"""Fit a picture to a tracked plane."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from tropein.core.commands.common import Plain, known
from tropein.core.commands.registry import Change, Command, command
from tropein.core.commands.ride import tie
from tropein.core.compose.places import Places
from tropein.core.compose.timing import shot_frame
from tropein.core.document import Id, Shot
from tropein.core.errors import BadInput
from tropein.core.raster.warp import apply


@command
class FitToPlane(Command):
    """Puts the four corners of a layer onto those of a tracked plane, and lets it ride on it: a picture in a frame, on a screen, on a wall."""

    name: ClassVar[str] = "fit-to-plane"
    title: ClassVar[str] = "Fit to a plane"
    layer: Id
    track: Id

    def run(self, shot: Shot, document: Plain) -> Change:
        layer = shot.layers[known(shot, "layers", [self.layer])[0]]
        track = shot.tracks[known(shot, "tracks", [self.track])[0]]
        corners = getattr(track, "corners", None)
        if corners is None:
            raise BadInput(f"{track.name} is no plane: it has no corners to fit anything to.")
        if not layer.content.has_picture or not layer.content.has_place or layer.id == shot.plate:
            raise BadInput(f"{layer.name} cannot be fitted to a plane: it is no insert with a picture.")
        plate = shot.layers.get(shot.plate or "")
        if plate is None or plate.footage != track.footage:
            raise BadInput(f"{track.name} was not made from the plate of this shot.")
        if plate.place.ride or plate.place.steady or plate.place.hang:
            raise BadInput("The plate is held or carried by a track itself: set the corners by hand at a frame.")
        frame = shot_frame(shot, plate, track.reference_frame)
        places = Places(shot, lambda samples, spot: None)
        group = places.group_matrix(layer.id, frame)
        if group is None or abs(np.linalg.det(group)) < 1e-12:
            raise BadInput("The group it is in rides on a track itself: take it out of the group first.")
        seen = np.linalg.inv(group) @ places.with_plate(track.footage, frame)
        at = apply(seen, np.array(corners, np.float64))
        place = document["layers"][layer.id]["place"]
        place |= {
            "corners": {"value": [[round(float(x), 3), round(float(y), 3)] for x, y in at]},
            "ride": tie(track, frame, place["ride"]),
            "hang": None,
            "depth": None,
        }
        return Change(f"fit {layer.name} to {track.name}", [f"layers/{layer.id}"])
