"""Fingertips of the swipe plate against the ends of its bones, and parts of a photographed person under shake and grain.

The model means the skin, the truth the end of the bone: the median offset is removed. The model's own places, frame by frame, are
the baseline in the same run.

    ./tropein python -m bench.bodies
"""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.track.body import Bodies, follow_body
from tropein.core.track.point import Found

PLATES = Path(__file__).parent.parent / "demo" / "plates"
LAST_WHOLE = 16  # from the next frame on the hand leaves the picture
FINGERS = ("index", "middle", "ring", "little")


class Shaken:
    """A photograph of a person under a handheld shake, grain fresh in every frame; `of(xy)` is where a place of frame 0 goes."""

    def __init__(self, picture: NDArray[np.uint8], seed: int, frames: int = 24) -> None:
        rng = np.random.default_rng(seed)
        h, w = picture.shape[:2]
        way = cv2.GaussianBlur(rng.normal(0, 9, (frames + 20, 2)), (1, 0), 1.5, sigmaY=1.5)[10:-10] * 2
        self.way = way - way[0]
        self.size = (w, h)
        self._made = []
        for dx, dy in self.way:
            moved = cv2.warpAffine(
                picture,
                np.array([[1, 0, dx], [0, 1, dy]]),
                (w, h),
                flags=cv2.INTER_CUBIC,
                borderMode=cv2.BORDER_REFLECT,
            )
            self._made.append(np.clip(moved + rng.normal(0, 6, moved.shape), 0, 255).astype(np.uint8))

    def __len__(self) -> int:
        return len(self._made)

    def rgb(self, index: int) -> NDArray[np.uint8]:
        return self._made[index]


def errors(
    places: dict[int, NDArray[np.float64]], truth: NDArray[np.float64], frames: list[int]
) -> tuple[float, float, float]:
    """Mean and 90th percentile of the distance to the truth, and mean of its change from frame to frame, px."""
    off = np.array([places[f] - truth[f] for f in frames])
    far = np.linalg.norm(off - np.median(off, 0), axis=1)
    return float(far.mean()), float(np.percentile(far, 90)), float(np.linalg.norm(np.diff(off, axis=0), axis=1).mean())


def row(
    name: str,
    found: dict[int, Found],
    alone: dict[int, NDArray[np.float64]],
    truth: NDArray[np.float64],
    frames: list[int],
) -> None:
    ours = errors({f: np.array(found[f].xy) for f in frames}, truth, frames)
    theirs = errors(alone, truth, sorted(set(frames) & set(alone)))
    print(
        f"| {name} | {ours[0]:.2f} | {ours[1]:.2f} | {ours[2]:.2f} | {theirs[0]:.2f} | {theirs[1]:.2f} | {theirs[2]:.2f} |",
        flush=True,
    )


def model_alone(pictures: ColourFrames | Shaken, part: str, frames: list[int]) -> dict[int, NDArray[np.float64]]:
    with Bodies(part) as bodies:
        at = bodies.meant(pictures.rgb(0), None)
        seen = {}
        for f in frames:
            now = bodies.again(pictures.rgb(f), at, 0)
            at = now or at
            if now:
                seen[f] = now.xy
    return seen


def main() -> None:
    print(
        "| part | mean px | p90 | shake | the model alone: mean | p90 | shake |\n| --- | --- | --- | --- | --- | --- | --- |"
    )
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, _ = borrow(store, [PLATES / "swipe.mp4"])
        pictures = ColourFrames(store, media)
        truth = json.loads((PLATES / "swipe.truth.json").read_text())["frames"]
        whole = list(range(LAST_WHOLE + 1))
        for finger in FINGERS:
            tips = np.array([f["fingertips_px"][finger] for f in truth], float)
            part = f"right {finger} fingertip"
            found = follow_body(pictures, part, 0, (0, len(truth) - 1))
            row(part, found, model_alone(pictures, part, whole), tips, whole)
            back = list(range(38, len(truth)))
            row(
                part + ", back in the picture",
                found,
                model_alone(pictures, part, back),
                tips,
                [f for f in back if not found[f].lost],
            )

    for part in ("head", "left shoulder", "right shoulder"):
        for seed in (1, 2, 3):
            shaken = Shaken(data.astronaut(), seed)
            frames = list(range(len(shaken)))
            found = follow_body(shaken, part, 0, (0, frames[-1]))
            row(f"photograph, {part}, seed {seed}", found, model_alone(shaken, part, frames), shaken.way, frames)


if __name__ == "__main__":
    main()
