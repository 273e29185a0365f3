"""How many hand keys a shape needs that rides a track, against one that does not: the sign of the rendered quay plate, as it is and with a
handheld shake put on it.

Run: ./tropein python -m bench.riding
"""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from tropein.core.media.adhoc import borrow
from tropein.core.media.grey import GreyFrames
from tropein.core.media.record import MediaStore
from tropein.core.raster.warp import apply, quad_to_quad
from tropein.core.track.follow import Wish, follow_plane
from tropein.core.track.plane import PlaneAnchor

Array = NDArray[np.float64]
PLATES = Path(__file__).parent.parent / "demo/plates"
WANTED = 0.95


class Shaken:
    """The plate's frames with a shake put on them; `moves` (frames, 3, 3), pixels with corners at whole numbers."""

    def __init__(self, frames: list[NDArray[np.uint8]], sd_px: float, seed: int) -> None:
        rng = np.random.default_rng(seed)
        off = gaussian_filter1d(rng.normal(0, 1, (len(frames), 2)), 1.0, axis=0) * sd_px / 0.53
        self.moves = [np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]) for x, y in off]
        self.frames = [
            cv2.warpAffine(f, m[:2], f.shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
            for f, m in zip(frames, self.moves, strict=True)
        ]
        self.size = frames[0].shape[::-1]

    def __len__(self) -> int:
        return len(self.frames)

    def frame(self, i: int) -> NDArray[np.uint8]:
        return self.frames[i]


def overlap(a: Array, b: Array) -> float:
    """Of two convex outlines: what they share over what either covers."""
    shared, _ = cv2.intersectConvexConvex(a.astype(np.float32), b.astype(np.float32))
    return float(shared / (cv2.contourArea(a.astype(np.float32)) + cv2.contourArea(b.astype(np.float32)) - shared))


def keys_needed(truth: list[Array], carried: Callable[[Array, int, int], Array]) -> int:
    """How few keys keep the outline right in all frames: from each key on as far as the next can be. `carried(outline, from, to)`
    takes an outline of one frame to another as the ride does; between two keys both are mixed."""
    last, at, keys = len(truth) - 1, 0, 1

    def holds(a: int, b: int) -> bool:
        for f in range(a, b + 1):
            t = (f - a) / max(b - a, 1)
            mixed = (1 - t) * carried(truth[a], a, f) + t * carried(truth[b], b, f)
            if overlap(mixed, truth[f]) <= WANTED:
                return False
        return True

    if all(overlap(carried(truth[0], 0, f), truth[f]) > WANTED for f in range(last + 1)):
        return 1
    while at < last:
        at = max((b for b in range(at + 1, last + 1) if holds(at, b)), default=at + 1)
        keys += 1
    return keys


def _ridden(places: dict[int, Array], outline: Array, a: int, b: int) -> Array:
    return apply(quad_to_quad(places[a], places[b]), outline)


def main() -> None:
    truth = json.loads((PLATES / "quay.truth.json").read_text())["frames"]
    with tempfile.TemporaryDirectory() as name:
        media, _ = borrow(MediaStore(Path(name)), [PLATES / "quay.mp4"])
        source = GreyFrames(MediaStore(Path(name)), media)
        frames = [source.frame(i).copy() for i in range(len(source))]
        source.close()
    print("| plate | hand keys, not riding | hand keys, riding the plane | share |\n| --- | --- | --- | --- |")
    for how, sd in (("as it is", 0.0), ("shaken by 4 px", 4.0), ("shaken by 10 px", 10.0)):
        clip = Shaken(frames, sd, 5)
        corners = [apply(m, np.array(t["sign_corners_px_tl_tr_br_bl"])) for m, t in zip(clip.moves, truth, strict=True)]
        found, _ = follow_plane(clip, PlaneAnchor(0, corners[0]), [], Wish((0, len(clip) - 1)))
        plain = keys_needed(corners, lambda outline, a, b: outline)
        places = {f: p.corners for f, p in found.items()}
        riding = keys_needed(corners, partial(_ridden, places))
        print(f"| {how} | {plain} | {riding} | {riding / plain:.0%} |", flush=True)


if __name__ == "__main__":
    main()
