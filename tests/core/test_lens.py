"""Lenses that bend straight lines: there and back, pictures through them, layers of a solved scene seen through them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tropein.core.animate.camera import Camera, at, numbers
from tropein.core.animate.ride import Path
from tropein.core.raster.floor import floor_hit
from tropein.core.raster.lens import Bending, Lens
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Move, scaling, translation, warp

SIZE = (320, 180)
FRAME = Window(0, 0, *SIZE)


@given(st.floats(-0.25, 0.25), st.floats(0, 320), st.floats(0, 180))
def test_there_and_back(share: float, x: float, y: float) -> None:
    lens = Lens.of_corner(share, SIZE)
    assert np.allclose(lens.seen(lens.straight(np.array([x, y]))), [x, y], atol=1e-6)


def test_the_share_is_that_of_the_corner() -> None:
    lens = Lens.of_corner(-0.1, SIZE)
    assert lens.at_corner(SIZE) == pytest.approx(-0.1)
    corner = lens.straight(np.array([0.0, 0.0]))
    assert np.allclose(np.array([0, 0]) - [160, 90], 0.9 * (corner - [160, 90]))


def test_a_picture_is_seen_through_a_lens_where_its_points_are() -> None:
    rng = np.random.default_rng(4)
    pixels = np.dstack(
        [cv2.GaussianBlur(rng.random((180, 320)).astype(np.float32), (0, 0), 4)] * 3 + [np.ones((180, 320), np.float32)]
    )
    lens = Lens.of_corner(-0.12, SIZE)
    move = Move(translation(12, -5) @ scaling(0.8, 0.8), Bending.of(lens, translation(3, 4)))
    out = warp(Picture(pixels, FRAME), move, FRAME).pixels
    window = warp(Picture(pixels, FRAME), move, FRAME).window
    places = rng.uniform([60, 50], [260, 130], (60, 2))
    for place, (x, y) in zip(places, move.of(places), strict=True):
        want = cv2.getRectSubPix(pixels[..., 0], (1, 1), tuple(place - 0.5))[0, 0]
        got = cv2.getRectSubPix(np.ascontiguousarray(out[..., 0]), (1, 1), (x - 0.5 - window.x0, y - 0.5 - window.y0))[
            0, 0
        ]
        assert got == pytest.approx(float(want), abs=0.004)


def test_a_lens_that_bends_nothing_changes_nothing() -> None:
    pixels = np.random.default_rng(1).random((180, 320, 4)).astype(np.float32)
    matrix = translation(3.4, 2.2)
    plain = warp(Picture(pixels, FRAME), matrix, FRAME)
    bent = warp(Picture(pixels, FRAME), Move(matrix, Bending.of(Lens(0.0, (160.0, 90.0)), np.eye(3))), FRAME)
    assert plain.window == bent.window and np.abs(plain.pixels - bent.pixels).max() < 0.03  # 1/32 px steps of either


def test_a_camera_takes_its_lens_along() -> None:
    pose = np.eye(4)[:3]
    path = Path(np.array([0.0, 1.0]), np.array([numbers(pose, 400.0, np.array([160, 90]), -0.2)] * 2), np.ones(2, bool))
    camera = at(path, 0.5)
    assert camera is not None and camera.radial == pytest.approx(-0.2) and camera.lens is not None
    assert camera.lens.bend == pytest.approx(-0.2 / 400**2)


def test_the_floor_is_hit_where_the_lens_sees_it() -> None:
    camera = Camera(np.eye(4), 300.0, np.array([160.0, 90.0]), -0.3)
    camera.pose[1, 3] = 2.0  # two units over the floor, y down
    x, z, _ = floor_hit(camera.pose, camera.focal, camera.centre, 0.0, np.eye(3), (0, 0), SIZE, camera.lens)
    row, column = 160, 250
    there = camera.pose[:3, :3] @ np.array([x[row, column], 0.0, z[row, column]]) + camera.pose[:3, 3]
    assert camera.lens is not None
    seen = camera.lens.seen(300.0 * there[:2] / there[2] + camera.centre)
    assert np.allclose(seen, [column + 0.5, row + 0.5], atol=1e-4)
