"""Sample spots: places in the picture whose values are kept in view."""

from __future__ import annotations

from tropein.core.document.base import Coordinate, Id, Model, Name
from tropein.core.document.place import Ride


class Spot(Model):
    """Where it lies in shot pixels; where it rides, at its ride's reference frame."""

    id: Id
    name: Name
    at: tuple[Coordinate, Coordinate]
    ride: Ride | None = None
