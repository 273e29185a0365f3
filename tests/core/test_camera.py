"""Cameras with truth: projected points with noise and false tracks; what cannot be solved is refused in words."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.errors import BadInput
from tropein.core.raster.lens import Lens
from tropein.core.track.camera import Known, solve_camera, solve_tracks
from tropein.core.track.features import follow_features
from tropein.core.track.file import parse_track
from tropein.core.track.forms.camera import CameraFile, CameraSample, SolveFacts
from tropein.core.track.move_kind import kind_of_move
from tropein.core.track.solve_checks import jumps_at

SIZE, FOCAL = (1280, 720), 1300.0


def scene(kind: str, seed: int = 0, count: int = 50, points: int = 500) -> tuple[np.ndarray, np.ndarray]:
    """(tracks (n, frames, 2) with 0.3 px of noise and a fifth of them false, world-to-camera poses)."""
    rng = np.random.default_rng(seed)
    cloud = rng.uniform([-9, -5, 6], [9, 5, 20], (points, 3))
    if kind == "plane":
        cloud[:, 2] = 10 + 0.25 * cloud[:, 0]
    tracks, poses = np.full((points, count, 2), np.nan), []
    for i in range(count):
        angle = np.radians([2 * np.sin(i / 19), 7 * np.sin(i / 15 + seed), np.sin(i / 9)])
        turn = cv2.Rodrigues(angle)[0]
        where = np.zeros(3) if kind == "pan" else np.array([0.06 * i, 0.3 * np.sin(i / 15), 0.2 * np.sin(i / 20)])
        pose = np.c_[turn, -turn @ where]
        seen = cloud @ pose[:, :3].T + pose[:, 3]
        px = FOCAL * seen[:, :2] / seen[:, 2:] + np.array(SIZE) / 2
        ok = (seen[:, 2] > 0.5) & (px > 0).all(1) & (px < SIZE).all(1)
        tracks[ok, i] = px[ok] + rng.normal(0, 0.3, (int(ok.sum()), 2))
        poses.append(pose)
    false = rng.random(points) < 0.2
    tracks[false] += np.cumsum(rng.normal(0, 1.5, (int(false.sum()), count, 2)), 1)
    return tracks[(~np.isnan(tracks[..., 0])).sum(1) >= 8], np.array(poses)


@pytest.mark.parametrize(("made", "named"), [("walk", "free"), ("plane", "planar"), ("pan", "rotation")])
def test_kinds_of_move_are_told_apart(made: str, named: str) -> None:
    for seed in range(4):
        assert kind_of_move(scene(made, seed)[0], SIZE)[0] == named


def turned_right(poses: np.ndarray, truth: np.ndarray, frames: tuple[int, ...], within_deg: float) -> None:
    """Turns between frames, whatever the world's axes are."""
    for i in frames:
        turned, true = (p[i, :, :3] @ p[0, :, :3].T for p in (poses, truth))
        assert np.degrees(np.arccos(np.clip((np.trace(turned.T @ true) - 1) / 2, -1, 1))) < within_deg


def test_a_walk_is_solved_with_its_focal_length() -> None:
    tracks, truth = scene("walk")
    solve = solve_tracks(tracks, SIZE)
    assert solve.kind == "free" and solve.optics.focal == pytest.approx(FOCAL, rel=0.004) and solve.optics.radial == 0
    assert abs(solve.optics.focal - FOCAL) < 4 * solve.focal_sd < 0.02 * FOCAL
    assert len(solve.points) > 150 and np.nanmedian(solve.point_errors) < 0.6 and np.nanmean(solve.errors) < 0.6
    checks = solve.checks
    assert checks.parallax_deg > 3 and checks.halves_apart < 0.005 and checks.spread > 0.6 and not checks.doubts
    assert not np.isnan(solve.poses).any()
    turned_right(solve.poses, truth, (10, 30, 49), 0.1)


def test_a_pan_is_solved_as_turning() -> None:
    tracks, truth = scene("pan", 2)
    solve = solve_tracks(tracks, SIZE)
    assert solve.kind == "rotation" and "only turns" in solve.notes[0]
    assert solve.optics.focal == pytest.approx(FOCAL, rel=0.004) and np.nanmean(solve.errors) < 0.7
    assert np.allclose(np.linalg.norm(solve.points, axis=1), 1)
    turned_right(solve.poses, truth, (20, 49), 0.08)


@pytest.mark.parametrize(("kind", "share"), [("walk", -0.08), ("pan", 0.05)])
def test_a_lens_that_bends_lines_is_found_with_the_rest(kind: str, share: float) -> None:
    tracks, truth = scene(kind, 3)
    solve = solve_tracks(Lens.of_corner(share, SIZE).seen(tracks), SIZE)
    assert solve.optics.lens is not None
    assert solve.optics.lens.at_corner(SIZE) == pytest.approx(share, abs=0.006)
    assert solve.optics.focal == pytest.approx(FOCAL, rel=0.015) and np.nanmean(solve.errors) < 0.7
    turned_right(solve.poses, truth, (20, 49), 0.2)


@pytest.mark.parametrize("focal", [FOCAL, None])
def test_a_lens_that_is_given_is_held_to(focal: float | None) -> None:
    tracks, _ = scene("walk")
    solve = solve_tracks(Lens.of_corner(-0.08, SIZE).seen(tracks), SIZE, Known(focal_px=focal, lens=-0.08))
    assert solve.optics.focal == pytest.approx(FOCAL, rel=0.004 if focal is None else 1e-12)
    assert solve.optics.lens is not None
    assert solve.optics.lens.at_corner(SIZE) == pytest.approx(-0.08, abs=1e-6) and np.nanmean(solve.errors) < 0.6


def test_points_on_one_small_thing_and_jumps_raise_doubts() -> None:
    tracks, _ = scene("walk", points=4000)
    first = tracks[:, 0]
    near = tracks[(np.abs(first - [640, 360]) < [130, 130]).all(1)]
    solve = solve_tracks(near, SIZE, Known(FOCAL, 0.0))
    assert solve.checks.spread < 0.25 and any("cover" in doubt for doubt in solve.notes)
    path = np.tile(np.eye(4)[:3], (30, 1, 1))
    path[:, 0, 3] = np.arange(30) * 0.1
    assert jumps_at(path) == []
    path[14:, 0, 3] += 1.0
    assert jumps_at(path) == [13]


class Clip:
    """Frames made on demand."""

    size = (320, 180)

    def __init__(self, *pictures: np.ndarray) -> None:
        self.pictures = pictures

    def __len__(self) -> int:
        return len(self.pictures)

    def frame(self, i: int) -> np.ndarray:
        return self.pictures[i]


def wall(seed: int, shift: float = 0) -> np.ndarray:
    grey = cv2.cvtColor(texture(520, 300, seed=seed), cv2.COLOR_RGB2GRAY)
    return cv2.warpAffine(grey, np.array([[1, 0, -60.0 - shift], [0, 1, -50]]), Clip.size)


@pytest.mark.parametrize(
    ("clip", "words"),
    [
        (Clip(*[np.full((180, 320), 90, np.uint8)] * 12), "too little to follow"),
        (Clip(*[wall(1)] * 12), "too little to tell a camera from"),
        (Clip(*[wall(1)] * 4), "at least eight frames"),
    ],
)
def test_what_cannot_be_solved_is_refused_in_words(clip: Clip, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        solve_camera(clip, (0, len(clip) - 1))


def test_no_point_is_followed_across_a_cut() -> None:
    clip = Clip(*[wall(1, 2 * i) for i in range(8)], *[wall(30, 2 * i) for i in range(8)])
    tracks, cuts = follow_features(clip, (0, 15))
    assert cuts == [8]
    seen = ~np.isnan(tracks[..., 0])
    across = seen[:, 7] & seen[:, 8]
    assert across.sum() < 0.25 * seen[:, 7].sum()


def test_a_place_in_the_scene_is_seen_where_the_camera_sees_it() -> None:
    _, truth = scene("walk")
    place = np.array([1.0, 0.5, 9.0])
    rows = [
        CameraSample(frame=i, confidence=1, lost=False, world_to_camera=[float(v) for v in pose.ravel()])
        for i, pose in enumerate(truth)
    ]
    file = parse_track(
        CameraFile(
            size=SIZE, rate="24/1", reference_frame=0, focal_px=FOCAL, principal_point=(640, 360), points3d=[(0, 0, 8)],
            solve=SolveFacts(kind="free", reprojection_px=0.3), frames=rows,
        ).dumps()
    )  # fmt: skip
    moved = file.path("1.0,0.5,9.0").moved(40, 0)
    assert moved is not None
    seen = [p[:, :3] @ place + p[:, 3] for p in (truth[0], truth[40])]
    px = [FOCAL * s[:2] / s[2] + np.array(SIZE) / 2 for s in seen]
    assert np.allclose((moved @ np.r_[px[0], 1])[:2], px[1], atol=0.01)
    assert np.linalg.det(moved[:2, :2]) ** 0.5 == pytest.approx(seen[0][2] / seen[1][2], rel=1e-3)  # nearer is larger
