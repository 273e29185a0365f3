"""Solved cameras against truth: projected scenes with noise and false tracks, and the rendered quay plate.

Run: ./tropein python -m bench.camera_track [--calibrate]
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
import pycolmap
from numpy.typing import NDArray
from scipy.optimize import minimize

from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow
from tropein.core.media.grey import GreyFrames
from tropein.core.media.record import MediaStore
from tropein.core.raster.lens import Lens
from tropein.core.track import camera
from tropein.core.track.mapping import poses_and_points, write_database
from tropein.core.track.move_kind import kind_of_move
from tropein.core.track.solve_checks import confidence_of, path_gap

PLATES = Path(__file__).parent.parent / "demo/plates"
SIZE, FOCAL, NOISE_PX, FALSE = (1280, 720), 1300.0, 0.3, 0.2


def scene(
    kind: str, seed: int, count: int = 90, points: int = 800, noise: float = NOISE_PX, false_share: float = FALSE
) -> tuple[NDArray, NDArray]:
    """(tracks, world-to-camera poses): a walk before scattered points, before a plane, a pan, or almost a pan."""
    rng = np.random.default_rng(seed)
    cloud = rng.uniform([-9, -5, 6], [9, 5, 20], (points, 3))
    if kind == "plane":
        cloud[:, 2] = 10 + 0.25 * cloud[:, 0]
    tracks, poses = np.full((points, count, 2), np.nan), []
    phase = rng.uniform(0, 6.28, 6)
    for i in range(count):
        angle = np.radians([2 * np.sin(i / 19 + phase[0]), 7 * np.sin(i / 21 + phase[1]), np.sin(i / 9 + phase[2])])
        turn = cv2.Rodrigues(angle)[0]
        where = np.array([0.04 * i, 0.3 * np.sin(i / 15 + phase[3]), 0.3 * np.sin(i / 25 + phase[4])])
        where *= {"pan": 0.0, "tiny": 0.004}.get(kind, 1.0)
        pose = np.c_[turn, -turn @ where]
        seen = cloud @ pose[:, :3].T + pose[:, 3]
        px = FOCAL * seen[:, :2] / seen[:, 2:] + np.array(SIZE) / 2
        ok = (seen[:, 2] > 0.5) & (px > 0).all(1) & (px < SIZE).all(1)
        tracks[ok, i] = px[ok] + rng.normal(0, noise, (int(ok.sum()), 2))
        poses.append(pose)
    false = rng.random(points) < false_share
    tracks[false] += np.cumsum(rng.normal(0, 1.5, (int(false.sum()), count, 2)), 1)
    return tracks[(~np.isnan(tracks[..., 0])).sum(1) >= 8], np.array(poses)


def projected() -> None:
    print("| scene, bend in the corner | named | focal error | said unsure by | bend found | path rms, of extent | reprojection px | seconds |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    wanted = [("walk", s, 0.0) for s in range(4)] + [("walk", 4, -0.05), ("walk", 5, 0.04), ("walk", 6, -0.15)]
    wanted += [("plane", s, 0.0) for s in range(2)] + [("pan", s, 0.0) for s in range(4)] + [("pan", 5, -0.06)]
    for kind, seed, share in wanted + [("tiny", s, 0.0) for s in range(2)]:
        tracks, truth = scene(kind, seed)
        if share:
            tracks = Lens.of_corner(share, SIZE).seen(tracks)
        began = time.perf_counter()
        solve = camera.solve_tracks(tracks, SIZE)
        seconds = time.perf_counter() - began
        lens = solve.optics.lens
        path = "-" if solve.kind == "rotation" else f"{path_gap(solve.poses, truth):.3%}"
        print(
            f"| {kind} {seed}, {share:+.1%} | {solve.kind} | {solve.optics.focal / FOCAL - 1:+.2%} | {solve.focal_sd / FOCAL:.2%} "
            f"| {0.0 if lens is None else lens.at_corner(SIZE):+.2%} | {path} | {np.nanmean(solve.errors):.3f} | {seconds:.0f} |", flush=True,
        )  # fmt: skip


def against_incremental(seeds: range = range(3)) -> None:
    """Ours against pycolmap's incremental mapper on all frames of the same tracks; both with two threads."""
    print("\n| walk, seed | ours: focal error | path | seconds | incremental, all frames: placed | focal error | path | seconds | times faster |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    for seed in seeds:
        tracks, truth = scene("walk", seed)
        began = time.perf_counter()
        solve = camera.solve_tracks(tracks, SIZE)
        ours = time.perf_counter() - began
        began = time.perf_counter()
        every = list(range(tracks.shape[1]))
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_database(pycolmap, folder / "points.db", tracks, every, SIZE, 1.2 * SIZE[0], False)
            options = pycolmap.IncrementalPipelineOptions()
            options.random_seed = 0
            options.mapper.init_min_tri_angle, options.mapper.filter_max_reproj_error = 4, 2
            options.triangulation.min_angle = 0.7
            models = pycolmap.incremental_mapping(str(folder / "points.db"), str(folder), str(folder), options)
            theirs = time.perf_counter() - began
            best = max(models.values(), key=lambda m: m.num_reg_images(), default=None)
        cells = "none | - | -"
        if best is not None:
            poses, _ = poses_and_points(best, tracks, every)
            focal = float(next(iter(best.cameras.values())).params[0])
            cells = f"{best.num_reg_images()} of {len(every)} | {focal / FOCAL - 1:+.2%} | {path_gap(poses, truth):.3%}"
        print(
            f"| {seed} | {solve.optics.focal / FOCAL - 1:+.2%} | {path_gap(solve.poses, truth):.3%} | {ours:.0f} | {cells} | {theirs:.0f} "
            f"| {theirs / ours:.1f} |", flush=True,
        )  # fmt: skip


def kinds() -> None:
    """How the kind of move is named, over 24 seeds each."""
    print("\n| scene | named, of 24 |\n| --- | --- |")
    for kind in ("walk", "plane", "pan", "tiny"):
        names = [kind_of_move(scene(kind, seed)[0], SIZE)[0] for seed in range(24)]
        print(f"| {kind} | {', '.join(f'{names.count(n)} {n}' for n in sorted(set(names)))} |", flush=True)


def spoilt(seeds: range) -> NDArray[np.float64]:
    """(n, 4): of frames of walks with few points, much noise, and frames that are worse than others: the true error of what is seen
    (px), the mean error that is told, how many points it is of, and the seed."""
    rows = []
    for seed, noise, points in ((s, n, p) for s in seeds for n in (0.3, 0.7, 1.1) for p in (80, 240)):
        rng = np.random.default_rng(100 * seed + int(10 * noise) + points)
        clean, _ = scene("walk", seed, 50, points, 0.0, 0.0)
        tracks = clean + rng.normal(0, noise, clean.shape)
        worse = rng.choice(50, 8, replace=False)
        tracks[:, worse] += rng.normal(0, 3 * noise, (len(tracks), 8, 2))
        false = rng.random(len(tracks)) < FALSE
        tracks[false] += np.cumsum(rng.normal(0, 1.5, (int(false.sum()), 50, 2)), 1)
        try:
            bundle, _ = camera.solve_moving(tracks, SIZE, camera.Known(lens=0.0))
        except BadInput:
            continue
        seen = bundle.optics.seen(
            np.einsum("fij,tj->tfi", bundle.poses, np.c_[bundle.points, np.ones(len(bundle.points))])
        )
        gaps = np.linalg.norm(seen - clean[bundle.kept], axis=2)
        true = np.nanmedian(gaps[~false[bundle.kept]], 0)
        counts = (~np.isnan(bundle.errors)).sum(0)
        told = np.nansum(bundle.errors, 0) / np.maximum(counts, 1)
        rows += [(t, e, n, seed) for t, e, n in zip(true, told, counts, strict=True) if np.isfinite(t) and n]
    return np.array(rows)


def calibrate() -> None:
    """The weights of the confidence, from other seeds than those it is measured on."""
    rows = spoilt(range(2))
    x, y = np.log(rows[:, 1] / np.sqrt(rows[:, 2])), rows[:, 0] < 1

    def cost(w: NDArray) -> float:
        z = w[0] + w[1] * x
        return float(np.logaddexp(0, np.where(y, -z, z)).mean())

    print("weights:", np.round(minimize(cost, [2, -1]).x, 2))


def reliability() -> None:
    rows = spoilt(range(2, 5))
    said, right = confidence_of(rows[:, 1], rows[:, 2]), rows[:, 0] < 1
    print("\n| said confidence | frames | within 1 px |\n| --- | --- | --- |")
    for low, high in ((0, 0.3), (0.3, 0.6), (0.6, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.01)):
        part = (said >= low) & (said < high)
        if part.any():
            print(f"| {low:.2f}-{min(high, 1):.2f} | {part.sum()} | {right[part].mean():.3f} |")


def quay() -> None:
    truth = json.loads((PLATES / "quay.truth.json").read_text())
    with tempfile.TemporaryDirectory() as name:
        media, _ = borrow(MediaStore(Path(name)), [PLATES / "quay.mp4"])
        frames = GreyFrames(MediaStore(Path(name)), media)
        began = time.perf_counter()
        solve = camera.solve_camera(frames, (0, len(frames) - 1))
        seconds = time.perf_counter() - began
        frames.close()
    world = np.array([f["world_to_camera"] for f in truth["frames"]])[:, :3]
    k = np.array([[solve.optics.focal, 0, 480], [0, solve.optics.focal, 270], [0, 0, 1]])
    corners = np.array([f["sign_corners_px_tl_tr_br_bl"] for f in truth["frames"]])
    errors = []
    for c in range(4):  # each corner, placed in the solved scene from all its true positions, and seen again
        rows = [
            r
            for p, (x, y) in zip(k @ solve.poses, corners[:, c], strict=True)
            for r in (x * p[2] - p[0], y * p[2] - p[1])
        ]
        place = np.linalg.svd(np.array(rows))[2][-1]
        seen = (k @ solve.poses) @ place
        errors.append(np.linalg.norm(seen[:, :2] / seen[:, 2:] - corners[:, c], axis=1))
    print("\n| rendered quay plate | named | focal error | path rms, of extent | corner of the sign, mean px | reprojection px | seconds |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- |")
    print(
        f"| 72 frames | {solve.kind} | {solve.optics.focal / truth['fx'] - 1:+.2%} | {path_gap(solve.poses, world):.3%} | {np.mean(errors):.3f} "
        f"| {np.nanmean(solve.errors):.2f} | {seconds:.0f} |"
    )


def refusals() -> None:
    class Still:
        size = (320, 180)

        def __init__(self, picture: NDArray) -> None:
            self.picture = picture

        def __len__(self) -> int:
            return 20

        def frame(self, i: int) -> NDArray:
            return self.picture

    flat = np.full((180, 320), 90, np.uint8)
    busy = np.random.default_rng(0).integers(0, 255, (180, 320), dtype=np.uint8)
    print()
    for name, clip in (("a flat wall", Still(flat)), ("a still picture", Still(cv2.GaussianBlur(busy, (0, 0), 2)))):
        try:
            camera.solve_camera(clip, (0, 19))
            print(f"{name}: solved (wrong)")
        except BadInput as error:
            print(f"{name}: refused: {error.message}")


if __name__ == "__main__":
    if "--calibrate" in sys.argv:
        calibrate()
        sys.exit()
    kinds()
    projected()
    against_incremental()
    quay()
    reliability()
    refusals()
