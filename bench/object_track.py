"""Object tracks against truth, beside OpenCV's CSRT, on things that turn, come nearer and are passed in front of.

Run: ./tropein python -m bench.object_track [--calibrate] [--fresh] [--scenes]

--calibrate fits the weights of the confidence; --fresh measures on seeds that nothing was set on, nor the confidence fitted to.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from bench.objects import KINDS, Kind, ObjectScene, colours, make
from tropein.core.track import object as tracker
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.object import ObjectTracker

SEEDS, FRESH_SEEDS = (21, 22, 23, 24), (51, 52, 53, 54)
FITTED_SEEDS = (*range(121, 128), *range(21, 25), *range(31, 35), *range(41, 45))
VISIBLE = 0.5  # frames in which less is hidden count


def scenes(seeds: tuple[int, ...]) -> Iterator[tuple[Kind, int, ObjectScene]]:
    found = colours()
    names = list(found)
    for k, kind in enumerate(KINDS):
        for i, seed in enumerate(seeds):
            yield kind, seed, make(kind, found[names[(i + k) % 6]], found[names[(i + k + 2 + i % 3) % 6]], seed * 7 + k)


def ours(scene: ObjectScene, each: Callable[[], None] = lambda: None) -> tuple[dict[int, ObjectFound], float]:
    b, out = scene.boxes[0], {}

    def hear(f: ObjectFound) -> None:
        out[f.frame] = f
        each()

    began = time.process_time()
    ObjectTracker(scene, ObjectAnchor(0, Box(b[:2], b[2:4], float(b[4])))).run(len(scene) - 1, hear)
    return out, time.process_time() - began


def calibrate() -> None:
    """Logistic weights that say how likely the centre is within 5 % of the size, by what the tracker sees of itself."""
    seen: list[tuple[float, ...]] = []
    rows, right = [], []
    measured = tracker.confidence_of

    def note(*values: float) -> float:
        seen.append(values)
        return measured(*values)

    tracker.confidence_of = note  # type: ignore[assignment]
    for _, _, scene in scenes(FITTED_SEEDS):
        heard: list[tuple[float, ...]] = []
        for (i, f), row in zip(ours(scene, lambda: heard.append(seen[-1]))[0].items(), heard, strict=True):  # noqa: B023
            if not f.lost and scene.cover[i] < VISIBLE:
                size = float(np.sqrt(scene.boxes[i, 2] * scene.boxes[i, 3]))
                rows.append((*row[:-1], np.log1p(row[-1])))
                right.append(np.linalg.norm(f.box.centre - scene.boxes[i, :2]) / size < 0.05)
    x, y = np.array(rows), np.array(right)

    def cost(w: NDArray) -> float:
        z = w[0] + x @ w[1:]
        return float(np.logaddexp(0, np.where(y, -z, z)).mean() + 1e-3 * (w[1:] ** 2).sum())

    print("bias, points, inside, around, alike, clear, away:", np.round(minimize(cost, np.zeros(7)).x, 2))


def csrt(scene: ObjectScene) -> tuple[NDArray[np.float64], float]:
    """(frames, 4) upright boxes: centre and sides."""
    out = [scene.boxes[0, :4]]
    began = time.process_time()
    theirs = cv2.TrackerCSRT_create()
    b = out[0]
    theirs.init(
        scene.rgb(0)[..., ::-1].copy(), tuple(np.rint([b[0] - b[2] / 2, b[1] - b[3] / 2, b[2], b[3]]).astype(int))
    )
    for i in range(1, len(scene)):
        ok, (x, y, w, h) = theirs.update(scene.rgb(i)[..., ::-1].copy())
        out.append(np.array([x + w / 2, y + h / 2, w, h]) if ok else out[-1])
    return np.array(out), time.process_time() - began


def overlap(a: NDArray, b: NDArray) -> float:
    """Of two boxes (centre, sides, degrees): what they share over what either covers."""
    first, second = (((x[0], x[1]), (x[2], x[3]), x[4]) for x in (a, b))
    kind, points = cv2.rotatedRectangleIntersection(first, second)
    shared = cv2.contourArea(cv2.convexHull(points)) if kind != cv2.INTERSECT_NONE and points is not None else 0.0
    return shared / (a[2] * a[3] + b[2] * b[3] - shared)


def main() -> None:
    if "--calibrate" in sys.argv:
        calibrate()
        return
    seeds = FRESH_SEEDS if "--fresh" in sys.argv else SEEDS
    totals: dict[str, list[list[float]]] = {}
    table: list[tuple[float, float, float]] = []
    for kind, seed, scene in scenes(seeds):
        found, cpu = ours(scene)
        other, their_cpu = csrt(scene)
        seen = [i for i in range(1, len(scene)) if scene.cover[i] < VISIBLE]
        mine, theirs = [], []
        for i in seen:
            truth, size = scene.boxes[i], float(np.sqrt(scene.boxes[i, 2] * scene.boxes[i, 3]))
            f = found[i]
            box = np.r_[f.box.centre, f.box.sides, f.box.angle_deg]
            upright = np.r_[other[i], 0]
            mine.append((overlap(box, truth), np.linalg.norm(box[:2] - truth[:2]) / size, f.lost))
            theirs.append((overlap(upright, truth), np.linalg.norm(upright[:2] - truth[:2]) / size))
            table.append((f.confidence, mine[-1][1], float(f.lost)))
        m, t = np.array(mine, float), np.array(theirs)
        gone = np.flatnonzero(scene.cover > 0.6)
        after = [found[i] for i in range(gone[-1] + 1, len(scene)) if scene.cover[i] < 0.1] if len(gone) else []
        again = float(any(not f.lost for f in after[:5])) if after else np.nan
        row = [m[:, 0].mean(), m[:, 1].mean(), m[:, 2].mean(), t[:, 0].mean(), t[:, 1].mean(), again,
               cpu / (len(scene) - 1) * 1e3, their_cpu / (len(scene) - 1) * 1e3]  # fmt: skip
        totals.setdefault(kind, []).append(row)
        if "--scenes" in sys.argv:
            print(kind, seed, np.round(row, 3), np.round(np.percentile(m[:, 1], [50, 90, 100]), 3), flush=True)
    print("| thing | overlap | centre error, of the size | said lost | CSRT: overlap | centre error | found again | ours CPU ms a frame | CSRT | speed ratio |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    for kind, rows in [*totals.items(), ("all", sum(totals.values(), []))]:
        r = np.nanmean(np.array(rows), 0)
        print(f"| {kind} | {r[0]:.3f} | {r[1]:.2%} | {r[2]:.1%} | {r[3]:.3f} | {r[4]:.2%} | {r[5]:.0%} | {r[6]:.1f} | {r[7]:.1f} | {r[7] / r[6]:.1f} |")  # fmt: skip
    print("\n| said confidence | frames | centre within 5 % |\n| --- | --- | --- |")
    t = np.array([r for r in table if not r[2]])
    for low, high in ((0, 0.3), (0.3, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.01)):
        part = t[(t[:, 0] >= low) & (t[:, 0] < high)]
        if len(part):
            print(f"| {low:.2f}-{min(high, 1):.2f} | {len(part)} | {(part[:, 1] < 0.05).mean():.3f} |")


if __name__ == "__main__":
    main()
