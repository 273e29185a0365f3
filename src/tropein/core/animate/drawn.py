"""Drawn curves."""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.document.animated import DrawnCurve

Points = tuple[tuple[float, float], ...]


def points_of(curve: DrawnCurve) -> Points:
    return tuple((x, y) for x, y in curve.points)


def curve_values(points: Points, x: NDArray[Any]) -> NDArray[Any]:
    """A drawn curve at x: monotone cubic between its points, level before the first, beyond 1 going on as a gain."""
    xs, ys = np.array(points).T
    inside = scipy.interpolate.PchipInterpolator(xs, ys)(np.clip(x, xs[0], xs[-1]))
    return np.where(x > 1, inside * x, inside)
