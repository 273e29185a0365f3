"""The face track against the pilot plate's truth, and how still a still face is. Run: ./tropein python -m bench.face_track"""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.track import face_mesh as fm
from tropein.core.track.face import Meshes, box_of, follow_face

PLATES = Path(__file__).parent.parent / "demo/plates"


class Pictures:
    def __init__(self, frames: list[NDArray[np.uint8]]) -> None:
        self.frames, self.size = frames, (frames[0].shape[1], frames[0].shape[0])

    def __len__(self) -> int:
        return len(self.frames)

    def rgb(self, index: int) -> NDArray[np.uint8]:
        return self.frames[index]


def pilot(frames: ColourFrames) -> None:
    truth = json.loads((PLATES / "pilot.truth.json").read_text())["frames"]
    began, cpu = time.perf_counter(), time.process_time()
    found = follow_face(frames, 0, (0, len(frames) - 1))
    seconds, cpu = time.perf_counter() - began, time.process_time() - cpu
    gaps = []
    for f, face in found.items():
        if face.mesh is not None and truth[f]["eye_open"] > 0.8:
            irises = [fm.iris(face.mesh, i)[:2] for i in (fm.RIGHT_IRIS, fm.LEFT_IRIS)]
            gaps.append(np.array(irises) - truth[f]["iris_px_viewer_left_right"])
    iris = np.linalg.norm(gaps - np.mean(gaps, 0), axis=2).mean()
    shut = [
        [f for f in found if value(f) < 0.5]
        for value in (lambda f: truth[f]["eye_open"], lambda f: np.mean(found[f].eye_open))
    ]
    runs = [np.split(np.array(s), np.flatnonzero(np.diff(s) > 1) + 1) for s in shut]
    ends = (
        [max(abs(a[0] - b[0]), abs(a[-1] - b[-1])) for a, b in zip(*runs, strict=True)]
        if len(runs[0]) == len(runs[1])
        else []
    )
    print(
        "| pilot plate, 72 frames | found | iris, mean px | blinks seen | ends of blinks off by, frames | seconds | CPU s |"
    )
    print("| --- | --- | --- | --- | --- | --- | --- |")
    print(
        f"| | {sum(not f.lost for f in found.values())} | {iris:.2f} | {len(runs[1])} of {len(runs[0])} | {max(ends, default=99)} | {seconds:.0f} "
        f"| {cpu:.0f} |"
    )


def still(frames: ColourFrames) -> None:
    """One frame again and again with grain, whole and with the face 46 pixels wide; and moved by known steps, for the lag."""
    print("\n| still face with grain | mesh alone, sd px | ours, sd px |\n| --- | --- | --- |")
    for name, scale in (("as it is", 1.0), ("46 px wide", 46 / 172)):
        small = cv2.resize(frames.rgb(5), None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        rng = np.random.default_rng(0)
        grainy = [np.clip(small + rng.normal(0, 2, small.shape), 0, 255).astype(np.uint8) for _ in range(24)]
        with Meshes() as meshes:
            first = meshes.anywhere(grainy[0])[0]
            raw = np.array([meshes.within(g, box_of(first))[0][list(fm.RIGID), :2] for g in grainy])
        found = follow_face(Pictures(grainy), 0, (0, 23))
        ours = np.array([found[f].mesh[list(fm.RIGID), :2] for f in sorted(found)])  # type: ignore[index]
        print(f"| {name} | {raw.std(0).mean():.3f} | {ours.std(0).mean():.3f} |")
    picture = frames.rgb(5)
    shifts = 12 * np.sin(np.arange(30) / 4)
    moved = [
        cv2.warpAffine(picture, np.array([[1, 0, s], [0, 1, 0]]), picture.shape[1::-1], flags=cv2.INTER_CUBIC)
        for s in shifts
    ]
    found = follow_face(Pictures(moved), 0, (0, 29))
    x = np.array([found[f].mesh[list(fm.RIGID), 0].mean() for f in range(30)])  # type: ignore[index]
    lags = np.arange(-0.5, 0.501, 0.01)
    fits = [np.std((x - np.interp(np.arange(30) - lag, np.arange(30), shifts))[3:-3]) for lag in lags]
    print(f"\nLag behind a known movement: {abs(lags[int(np.argmin(fits))]):.2f} frames.")


def spoilt(plate: list[NDArray[np.uint8]]) -> Iterator[tuple[str, float, list[NDArray[np.uint8]]]]:
    """(how, scale, pictures): the plate as it is, crossed by something, smeared, grained, small, dark."""
    rng = np.random.default_rng(0)
    wide = cv2.resize(plate[0][300:500, :200], (300, 540))
    kernel = np.zeros((41, 41), np.float32)
    kernel[20] = 1 / 41

    def crossed(i: int) -> NDArray[np.uint8]:
        out, x = plate[i].copy(), int(-300 + (i - 15) / 40 * 1260)
        a, b = max(0, x), min(960, x + 300)
        if b > a:
            out[:, a:b] = wide[:, a - x : b - x]
        return out

    def grained(p: NDArray, light: float, sd: float) -> NDArray[np.uint8]:
        return np.clip(p * light + rng.normal(0, sd, p.shape), 0, 255).astype(np.uint8)

    yield "as it is", 1.0, plate
    yield "crossed", 1.0, [crossed(i) for i in range(len(plate))]
    yield "smeared by 41 px", 1.0, [cv2.filter2D(p, -1, kernel) if 25 <= i < 45 else p for i, p in enumerate(plate)]
    yield "grain of 25 codes", 1.0, [grained(p, 1.0, 25) for p in plate]
    yield "a fifth of the size", 0.2, [cv2.resize(p, None, fx=0.2, fy=0.2, interpolation=cv2.INTER_AREA) for p in plate]
    yield "an eighth of the light", 1.0, [grained(p, 0.12, 3) for p in plate]


def reliability(frames: ColourFrames) -> None:
    """What the face says of itself against the head's true pose: where the rigid points of the mesh lie on the head is taken from the
    clean plate, all frames together, and seen again by the true poses."""
    truth = json.loads((PLATES / "pilot.truth.json").read_text())
    k = np.array([[truth["fx"], 0, 480], [0, truth["fx"], 270], [0, 0, 1]])
    views = [k @ np.array(t["world_to_camera"])[:3] @ np.array(t["head_to_world"]) for t in truth["frames"]]
    plate = [frames.rgb(i).copy() for i in range(len(frames))]
    places = np.zeros((0, 4))
    told, off = [], []
    print("\n| plate | found | off, of the eyes' distance: median / 90th percentile |\n| --- | --- | --- |")
    for how, scale, pictures in spoilt(plate):
        found = {
            f: face
            for f, face in follow_face(Pictures(pictures), 0, (0, len(plate) - 1)).items()
            if face.mesh is not None
        }
        if not len(places):
            places = np.array(
                [_placed([face.mesh[i, :2] for face in found.values()], [views[f] for f in found]) for i in fm.RIGID]
            )  # type: ignore[index]
        mine = []
        for f, face in found.items():
            seen = places @ views[f].T
            gaps = face.mesh[list(fm.RIGID), :2] - scale * seen[:, :2] / seen[:, 2:]  # type: ignore[index]
            mine.append(float(np.linalg.norm(gaps, axis=1).mean()) / fm.width_px(face.mesh))  # type: ignore[arg-type]
            told.append(face.confidence)
        off += mine
        print(f"| {how} | {len(found)} | {np.median(mine):.2%} / {np.percentile(mine, 90):.2%} |")
    print("\n| said confidence | frames | within 3 % |\n| --- | --- | --- |")
    said, right = np.array(told), np.array(off) < 0.03
    for low, high in ((0, 0.3), (0.3, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.01)):
        part = (said >= low) & (said < high)
        if part.any():
            print(f"| {low:.2f}-{min(high, 1):.2f} | {part.sum()} | {right[part].mean():.3f} |")


def _placed(seen: list[NDArray], views: list[NDArray]) -> NDArray[np.float64]:
    """(4,) the place on the head that is seen at (2,) pixels in each view (3, 4): linear least squares."""
    rows = [row for (x, y), v in zip(seen, views, strict=True) for row in (x * v[2] - v[0], y * v[2] - v[1])]
    place = np.linalg.svd(np.array(rows))[2][-1]
    return place / place[3]


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        media, _ = borrow(MediaStore(Path(name)), [PLATES / "pilot.mp4"])
        plate = ColourFrames(MediaStore(Path(name)), media)
        pilot(plate)
        still(plate)
        reliability(plate)
