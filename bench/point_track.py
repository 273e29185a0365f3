"""Point tracks against truth, and against OpenCV's pyramidal Lucas-Kanade chain with a forward-backward check.

Run: ./tropein python -m bench.point_track [--calibrate]
"""

from __future__ import annotations

import sys
import time

import cv2
import numpy as np

from bench.scenes import Scene, make, textures
from tropein.core.errors import BadInput
from tropein.core.track import point
from tropein.core.track.motion import MotionBetween
from tropein.core.track.point import Anchor, Found, PointTracker

SEEDS = (101, 202, 303)


def ours(scene: Scene) -> tuple[np.ndarray, np.ndarray, np.ndarray, list[tuple[tuple[float, ...], float]], float]:
    """errors, lost, confidence (frames, n); (features, error) rows for calibration; CPU seconds."""
    count, n = scene.paths.shape[:2]
    errors, lost, sure = np.full((count, n), np.nan), np.ones((count, n), bool), np.zeros((count, n))
    rows: list[tuple[tuple[float, ...], float]] = []
    motion, began = MotionBetween(), time.process_time()
    for k in range(n):
        try:
            tracker = PointTracker(scene, Anchor(0, tuple(scene.paths[0, k])), motion=motion)
        except BadInput:  # refused at once as too flat: said to the user, so neither an error nor covered
            continue

        def hear(found: Found, k: int = k, tracker: PointTracker = tracker) -> None:
            error = float(np.linalg.norm(np.array(found.xy) - scene.paths[found.frame, k]))
            errors[found.frame, k], lost[found.frame, k], sure[found.frame, k] = error, found.lost, found.confidence
            if tracker.features is not None and not scene.covered[found.frame, k]:
                rows.append((tracker.features, error))

        tracker.run(count - 1, hear)
    return errors, lost, sure, rows, time.process_time() - began


def chain(scene: Scene, features: int = 200) -> tuple[np.ndarray, np.ndarray, float]:
    """The baseline: LK from frame to frame, forward and back, on the points and on `features` others (its cost)."""
    count, n = scene.paths.shape[:2]
    errors, lost = np.full((count, n), np.nan), np.zeros((count, n), bool)
    began = time.process_time()
    xy = (scene.paths[0] - 0.5).astype(np.float32)[:, None]
    alive = np.ones(n, bool)
    for f in range(1, count):
        a, b = scene.frames[f - 1], scene.frames[f]
        more = cv2.goodFeaturesToTrack(a, features - n, 0.01, 8)
        p = np.concatenate([xy, more])
        q, ok, _ = cv2.calcOpticalFlowPyrLK(a, b, p, None, winSize=(21, 21), maxLevel=3)
        back, _, _ = cv2.calcOpticalFlowPyrLK(b, a, q, None, winSize=(21, 21), maxLevel=3)
        alive &= (ok[:n, 0] == 1) & (np.linalg.norm((back - p)[:n, 0], axis=1) < 1)
        xy = q[:n]
        errors[f] = np.linalg.norm(xy[:, 0] + 0.5 - scene.paths[f], axis=1)
        lost[f] = ~alive
    return errors, lost, time.process_time() - began


def figures(errors: np.ndarray, lost: np.ndarray, covered: np.ndarray) -> dict[str, float]:
    said = ~lost[1:] & ~np.isnan(errors[1:])
    e, visible = errors[1:], ~covered[1:]
    good = e[said]
    return {
        "median": float(np.median(good)), "p95": float(np.percentile(good, 95)), "silent>1px %": float((good > 1).mean() * 100),
        "visible covered %": float((said & visible).sum() / visible.sum() * 100),
    }  # fmt: skip


def reliability(sure: np.ndarray, errors: np.ndarray, lost: np.ndarray) -> list[tuple[str, int, float]]:
    said = ~lost & ~np.isnan(errors)
    said[0] = False
    out = []
    for low, high in ((0, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 0.99), (0.99, 1.001)):
        here = said & (sure >= low) & (sure < high)
        if here.sum():
            out.append((f"{low:.2f}-{min(high, 1):.2f}", int(here.sum()), float((errors[here] <= 1).mean())))
    return out


def calibrate(rows: list[tuple[tuple[float, ...], float]]) -> None:
    """Logistic regression of "error below 1 px" on the features, by iteratively reweighted least squares with a small
    ridge. Prints the weights for tropein.core.track.point.LOGISTIC."""
    x = np.array([[1.0, *np.minimum(f, 20.0)] for f, _ in rows])
    y = np.array([e <= 1 for _, e in rows], float)
    w = np.zeros(x.shape[1])
    for _ in range(50):
        p = 1 / (1 + np.exp(-np.clip(x @ w, -30, 30)))
        h = (x * (p * (1 - p) + 1e-6)[:, None]).T @ x + 0.5 * np.eye(x.shape[1])
        w += np.linalg.solve(h, x.T @ (y - p) - 0.5 * w)
    print(f"{len(rows)} rows, {y.mean():.3f} within 1 px\nLOGISTIC = ({', '.join(f'{v:.2f}' for v in w)})")


def main() -> None:
    fitting = "--calibrate" in sys.argv
    if fitting:
        point.ACCEPT = 0.0
    scenes = [(name, seed + (7000 if fitting else 0)) for name in textures() for seed in SEEDS]
    sources, every, baseline, sure, covered, rows = textures(), [], [], [], [], []
    seconds = {"ours": 0.0, "lk": 0.0}
    per_point = 0
    for name, seed in scenes:
        scene = make(sources[name], seed)
        e, lost, c, r, s = ours(scene)
        every.append((e, lost))
        sure.append(c)
        covered.append(scene.covered)
        rows += r
        b = chain(scene)
        baseline.append(b[:2])
        seconds["ours"] += s
        seconds["lk"] += b[2]
        per_point += e.shape[1]
        f = figures(e, lost, scene.covered)
        print(f"{name:>10} {seed}: " + "  ".join(f"{k} {v:.3f}" for k, v in f.items()), flush=True)
    if fitting:
        calibrate(rows)
        return
    join = lambda parts, i: np.concatenate([p[i] for p in parts], 1)  # noqa: E731
    seen = np.concatenate(covered, 1)
    print("\n| method | median px | p95 px | silent > 1 px | visible frames covered |\n| --- | --- | --- | --- | --- |")
    for label, parts in (("reference patches (ours)", every), ("OpenCV LK chain, forward-backward", baseline)):
        f = figures(join(parts, 0), join(parts, 1), seen)
        print(
            f"| {label} | {f['median']:.3f} | {f['p95']:.3f} | {f['silent>1px %']:.2f} % | {f['visible covered %']:.1f} % |"
        )
    print("\n| said confidence | frames | within 1 px |\n| --- | --- | --- |")
    for label, n, share in reliability(np.concatenate(sure, 1), join(every, 0), join(every, 1)):
        print(f"| {label} | {n} | {share:.3f} |")
    frames = len(scenes) * 59
    one = seconds["ours"] / per_point * len(scenes)
    print(f"\nCPU a frame: one point {one / frames * 1e3:.1f} ms (6 points {seconds['ours'] / frames * 1e3:.1f}), "
          f"LK on 200 features both ways {seconds['lk'] / frames * 1e3:.1f} ms: {seconds['lk'] / one:.2f}x its rate")  # fmt: skip


if __name__ == "__main__":
    main()
