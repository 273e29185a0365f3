"""Tracks changed after they were made: a stretch forgotten, several points made into one."""

from __future__ import annotations

import numpy as np

from tropein.core.errors import BadInput
from tropein.core.track.file import FileBase
from tropein.core.track.forms.point import PointFile, point_sample
from tropein.core.track.point import Found

OUTLYING = 3.0  # median deviations
LEAST_SPREAD_PX = 0.3


def trimmed(file: FileBase, first: int, last: int) -> FileBase:
    """Only the samples of the frames first..last. BadInput when nothing would be left."""
    kept = [s for s in file.frames if first <= s.frame <= last]
    if not kept:
        raise BadInput("Nothing of the track would be left.")
    return file.model_copy(update={"frames": kept})


def combined(files: list[PointFile], reference: int) -> PointFile:
    """One point that goes as several do together: it starts where they are in the middle at the `reference` frame, and moves
    in each frame by the mean of what they moved since, those far from the median left out."""
    if len(files) < 2:
        raise BadInput("At least two tracks are needed to make one of them.")
    paths = [f.path() for f in files]
    starts = [p.at(reference, gaps="hide") for p in paths]
    if any(s is None for s in starts):
        raise BadInput(f"All of the tracks must be there at frame {reference}: go to a frame in which they are.")
    origins = np.array([s.mean(0) for s in starts if s is not None])
    middle = origins.mean(0)
    rows = []
    for frame in sorted({s.frame for f in files for s in f.frames}):
        here = [(p.at(frame, gaps="hide"), o) for p, o in zip(paths, origins, strict=True)]
        moves = np.array([h.mean(0) - o for h, o in here if h is not None]).reshape(-1, 2)
        if not len(moves):
            rows.append(
                point_sample(frame, [Found(frame, (float(middle[0]), float(middle[1])), 0.0, True, "all are lost")])
            )
            continue
        off = np.linalg.norm(moves - np.median(moves, 0), axis=1)
        good = off <= OUTLYING * max(1.4826 * float(np.median(off)), LEAST_SPREAD_PX)
        x, y = middle + moves[good].mean(0)
        sure = float(good.sum() / len(files))
        rows.append(point_sample(frame, [Found(frame, (float(x), float(y)), sure, False)]))
    return files[0].model_copy(update={"frames": rows, "reference_frame": reference, "stopped": ""})
