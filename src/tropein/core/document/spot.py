"""Sample spots: places in the picture whose values are kept in view."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from tropein.core.document.base import Id, Model, Name
from tropein.core.document.place import Ride

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]


class Spot(Model):
    """Where it lies in shot pixels; where it rides, at its ride's reference frame."""

    id: Id
    name: Name
    at: tuple[Coordinate, Coordinate]
    ride: Ride | None = None
