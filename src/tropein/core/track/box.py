"""A box about a thing: where it is, how large, how far it is turned."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix, rotation, scaling, translation
from tropein.core.track.solid import Solid


@dataclass(frozen=True, eq=False)
class Box:
    """Centre and sides in full-size pixels (centres at + 0.5), angle in degrees, clockwise as y points down."""

    centre: NDArray[np.float64]
    sides: NDArray[np.float64]
    angle_deg: float = 0.0

    def matrix(self) -> Matrix:
        """Places in the box, whose edges lie at -1 and 1, to pixels with whole numbers at their centres."""
        half = self.sides / 2
        return translation(*(self.centre - 0.5)) @ rotation(self.angle_deg) @ scaling(half[0], half[1])

    @classmethod
    def of_solid(cls, solid: Solid, factor: float) -> Box:
        """The box about a body that lies in a picture `factor` of the full size."""
        pose = solid.pose
        return cls((pose.centre + 0.5) / factor, 2 * solid.half[:2] * pose.size / factor, float(np.degrees(pose.roll)))

    def moved(self, shift: NDArray[np.float64], growth: float, roll_deg: float) -> Box:
        """`shift` along the box's own axes, pixels; `growth` the log of the size."""
        turned = (rotation(self.angle_deg) @ np.r_[shift, 0])[:2]
        return Box(self.centre + turned, self.sides * float(np.exp(growth)), self.angle_deg + roll_deg)


@dataclass(frozen=True, eq=False)
class ObjectAnchor:
    """A frame in which the box is known."""

    frame: int
    box: Box


@dataclass(frozen=True, eq=False)
class ObjectFound:
    frame: int
    box: Box
    confidence: float
    lost: bool
    reason: str = ""
