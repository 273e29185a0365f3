from __future__ import annotations

import numpy as np
import pytest

from tropein.core.animate.ride import Path, similarity
from tropein.core.animate.steady import filling_zoom, held, share
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import apply, rotation, scaling, translation, warp

FRAMES = np.arange(60.0)
BASE = np.array([[100, 60], [200, 60.0]])
EVERYTHING = ("position", "rotation", "scale")


def shaky(seed: int = 3) -> Path:
    """A slow pan with shake, turning and growing a little."""
    rng = np.random.default_rng(seed)
    points = []
    for f in FRAMES:
        shake = rng.normal(0, 3, 2)
        m = (
            translation(2 * f + shake[0], shake[1])
            @ translation(150, 60)
            @ rotation(rng.normal(0, 0.8))
            @ scaling(*[1 + 0.01 * rng.normal()] * 2)
        )
        points.append(apply(m @ translation(-150, -60), BASE))
    return Path(FRAMES, np.array(points), np.ones(60, bool), "similarity")


def still_at(path: Path, frame: float, **more: float) -> np.ndarray:
    at = path.at(frame)
    assert at is not None
    return apply(held(path, frame, 0, EVERYTHING, more.get("smooth", 0), more.get("strength", 1)), at)


def test_held_whole_it_lies_where_it_was_in_the_reference_frame() -> None:
    path = shaky()
    start = path.at(0)
    assert all(np.abs(still_at(path, f) - start).max() < 1e-6 for f in FRAMES)


def test_held_smoothly_the_shake_goes_and_the_pan_stays() -> None:
    path = shaky()
    before = np.array([path.at(f).mean(0) for f in FRAMES])  # type: ignore[union-attr]
    after = np.array([still_at(path, f, smooth=6).mean(0) for f in FRAMES])
    rough = lambda p: np.abs(np.diff(p[8:-8], 2, axis=0)).mean()  # noqa: E731
    assert rough(after) < 0.1 * rough(before)
    assert after[50, 0] - after[10, 0] == pytest.approx(80, abs=6)


def test_strength_takes_out_a_share() -> None:
    m = translation(30, -10) @ rotation(20) @ scaling(1.5, 1.5)
    half = share(m, 0.5, np.array([0.0, 0.0]))
    assert np.allclose(half @ half, translation(*(half @ half)[:2, 2]) @ rotation(20) @ scaling(1.5, 1.5))
    assert np.allclose(half[:2, 2], [15, -5]) and np.allclose(share(m, 0, np.zeros(2)), np.eye(3))


def test_the_zoom_is_just_enough_that_no_edge_shows() -> None:
    path, size = shaky(), (960, 540)
    zoom = filling_zoom(path, size, (0, 59), 0, EVERYTHING, 6.0, 1.0)
    corners = np.array([[0, 0], [960, 0], [960, 540], [0, 540]], float)
    reach = []
    for f in FRAMES:
        m = (
            translation(480, 270)
            @ scaling(zoom, zoom)
            @ translation(-480, -270)
            @ held(path, f, 0, EVERYTHING, 6.0, 1.0)
        )
        p = apply(np.linalg.inv(m), corners)
        reach.append(min(p.min(), (np.array([960, 540]) - p).min()))
    assert 1 < zoom < 1.3 and min(reach) > -0.05 and min(reach) < 1.5


def test_edges_can_be_mirrored_or_repeated() -> None:
    pixels = np.ones((20, 30, 4), np.float32)
    pixels[..., 0] = np.linspace(0, 1, 30, dtype=np.float32)
    frame = Window(0, 0, 30, 20)
    shifted = translation(5, 0)
    got = {
        e: warp(Picture(pixels, frame), shifted, frame, "final", e).fill(frame)[10, :8, 0]
        for e in ("nothing", "mirror", "repeat")
    }  # type: ignore[arg-type]
    assert np.allclose(got["nothing"][:5], 0) and np.allclose(got["repeat"][:5], 0, atol=1e-5)
    assert np.allclose(got["mirror"][:5], pixels[10, 4::-1, 0], atol=1e-5)


def test_similarities_are_found_exactly() -> None:
    m = translation(3, 4) @ rotation(33) @ scaling(0.7, 0.7)
    source = np.random.default_rng(1).normal(0, 50, (9, 2))
    assert np.allclose(similarity(source, apply(m, source)), m)
