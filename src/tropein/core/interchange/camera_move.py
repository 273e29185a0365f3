"""How a camera moves, as other programs have it: what the glTF and USD forms share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput

MOST_FRAMES = 100_000
MOST_RADIAL = 10.0


@dataclass(frozen=True, eq=False)
class Move:
    """`poses` (n, 4, 4) camera to world at `frames`, y up, looking along -z, without scale; `points` (m, 3) of the same world. `radial`,
    the lens's first term, is nothing these forms know of: it goes along as a note of our own."""

    frames: list[int]
    poses: NDArray[np.float64]
    focal_px: float
    points: NDArray[np.float64]
    radial: float = 0.0


def noted_radial(note: object) -> float:
    """The lens's term from what a file's note holds, 0 where that is no such number."""
    known = isinstance(note, int | float) and not isinstance(note, bool) and abs(note) < MOST_RADIAL
    return float(note) if known else 0.0  # type: ignore[arg-type]


def rigid(pose: NDArray[np.float64]) -> NDArray[np.float64]:
    """Without scale or skew: the nearest turn. Schoenemann, Psychometrika 31, 1966."""
    u, _, v = np.linalg.svd(pose[:3, :3])
    out = pose.copy()
    out[:3, :3] = u @ np.diag([1, 1, np.linalg.det(u @ v)]) @ v
    return out


def check_count(frames: int) -> None:
    if frames > MOST_FRAMES:
        raise BadInput(f"The file's camera has more than {MOST_FRAMES} keys.")
