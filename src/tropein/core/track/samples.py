"""Track files as paths to ride on."""

from __future__ import annotations

import numpy as np

from tropein.core.animate.ride import Path
from tropein.core.track.file import TrackFile


def as_path(track: TrackFile, point: int = 0) -> Path:
    """The path of one point; lost frames are marked, not left out."""
    rows = sorted(track.frames, key=lambda s: s.frame)
    frames = np.array([s.frame for s in rows], np.float64)
    xy = np.array([s.points[point] or (0.0, 0.0) for s in rows], np.float64).reshape(-1, 2)
    good = np.array([not s.lost and s.points[point] is not None for s in rows], bool)
    return Path(frames, xy, good)
