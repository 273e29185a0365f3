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
from tropein.core.track.body import Bodies, Seen, follow_body
from tropein.core.track.point import Found

PLATES = Path(__file__).parent.parent / "demo" / "plates"
LAST_WHOLE, FIRST_BACK = 16, 38  # between them the hand leaves the picture
RIGHT = 0.02
FINGERS = ("index", "middle", "ring", "little")


class Shaken:
    """A photograph of a person under a handheld shake, grain fresh in every frame; `way` (frames, 2) is how far it has gone."""

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


def off(places: dict[int, NDArray[np.float64]], truth: NDArray[np.float64], frames: list[int]) -> NDArray[np.float64]:
    """(n, 2) px, from the truth, without the median of it."""
    apart = np.array([places[f] - truth[f] for f in frames])
    return np.asarray(apart - np.median(apart, 0))


def figures(apart: NDArray[np.float64]) -> str:
    far, jumps = np.linalg.norm(apart, axis=1), np.linalg.norm(np.diff(apart, axis=0), axis=1)
    return f"{far.mean():.2f} | {np.percentile(far, 90):.2f} | {jumps.mean():.2f}"


def model_alone(pictures: ColourFrames | Shaken, part: str, frames: list[int]) -> dict[int, Seen]:
    with Bodies(part) as bodies:
        at = bodies.meant(pictures.rgb(0), None)
        seen = {}
        for f in frames:
            now = bodies.again(pictures.rgb(f), at, 0)
            at = now or at
            if now:
                seen[f] = now
    return seen


class Table:
    """Rows as they come; at the end, whether what was said to be sure was."""

    def __init__(self) -> None:
        self.said: list[tuple[float, float]] = []
        print(
            "| part | mean px | p90 | shake | the model alone: mean | p90 | shake |\n| --- | --- | --- | --- | --- | --- | --- |"
        )

    def add(
        self, name: str, pictures: ColourFrames | Shaken, part: str, found: dict[int, Found], truth: NDArray[np.float64], frames: list[int]
    ) -> None:  # fmt: skip
        frames = [f for f in frames if not found[f].lost]
        alone = model_alone(pictures, part, frames)
        ours = off({f: np.array(found[f].xy) for f in frames}, truth, frames)
        theirs = off({f: seen.xy for f, seen in alone.items()}, truth, list(alone))
        print(f"| {name} | {figures(ours)} | {figures(theirs)} |", flush=True)
        size = float(np.median([seen.size for seen in alone.values()]))
        self.said += [
            (found[f].confidence, float(d)) for f, d in zip(frames, np.linalg.norm(ours, axis=1) / size, strict=True)
        ]

    def reliability(self) -> None:
        print(f"\n| said confidence | frames | within {RIGHT:.0%} of the hand's or body's size |\n| --- | --- | --- |")
        for low, high in ((0, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.001)):
            here = [apart < RIGHT for sure, apart in self.said if low <= sure < high]
            if here:
                print(f"| {low:.2f}-{min(high, 1):.2f} | {len(here)} | {np.mean(here):.3f} |")


def main() -> None:
    table = Table()
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, _ = borrow(store, [PLATES / "swipe.mp4"])
        pictures = ColourFrames(store, media)
        truth = json.loads((PLATES / "swipe.truth.json").read_text())["frames"]
        for finger in FINGERS:
            tips = np.array([f["fingertips_px"][finger] for f in truth], float)
            part = f"right {finger} fingertip"
            found = follow_body(pictures, part, 0, (0, len(truth) - 1))
            table.add(part, pictures, part, found, tips, list(range(LAST_WHOLE + 1)))
            table.add(f"{part}, back in the picture", pictures, part, found, tips, list(range(FIRST_BACK, len(truth))))
    for part in ("head", "left shoulder", "right shoulder"):
        for seed in (1, 2, 3):
            shaken = Shaken(data.astronaut(), seed)
            frames = list(range(len(shaken)))
            found = follow_body(shaken, part, 0, (0, frames[-1]))
            table.add(f"photograph, {part}, seed {seed}", shaken, part, found, shaken.way, frames)
    table.reliability()


if __name__ == "__main__":
    main()
