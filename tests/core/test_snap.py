"""Corners of a plane drawn to edges."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tropein.core.errors import BadInput
from tropein.core.track.snap import snapped

CORNERS = np.array([[60.3, 40.8], [250.6, 55.1], [241.2, 150.9], [70.7, 141.4]])


def board(corners: np.ndarray, low: int = 70, high: int = 170, noise: float = 3.0) -> np.ndarray:
    """A bright board on a dark wall, drawn with 1/16 of a pixel, softened and grained."""
    big = np.full((200 * 8, 320 * 8), low, np.uint8)
    cv2.fillPoly(big, [np.int32(np.round(corners * 8 * 16 - 8))], high, cv2.LINE_8, 4)
    picture = cv2.GaussianBlur(
        cv2.resize(big, (320, 200), interpolation=cv2.INTER_AREA).astype(np.float32), (0, 0), 0.8
    )
    return np.clip(picture + np.random.default_rng(3).normal(0, noise, picture.shape), 0, 255).astype(np.uint8)


def test_corners_set_by_eye_find_the_edges() -> None:
    rng = np.random.default_rng(1)
    for _ in range(5):
        out, sides = snapped(board(CORNERS), CORNERS + rng.uniform(-4, 4, (4, 2)))
        assert sides == 4 and np.abs(out - CORNERS).max() < 0.25


def test_something_in_front_of_a_side_does_not_lead_it_away() -> None:
    picture = board(CORNERS)
    picture[30:90, 120:170] = 230
    out, sides = snapped(picture, CORNERS + 3)
    assert sides == 4 and np.abs(out - CORNERS).max() < 0.4


def test_a_side_without_an_edge_stays() -> None:
    picture = board(CORNERS)
    picture[:, :160] = cv2.GaussianBlur(np.full((200, 160), 170, np.uint8), (3, 3), 0)  # nothing to the left
    start = CORNERS + [1.5, -2]
    out, sides = snapped(picture, start)
    assert 1 <= sides < 4
    assert np.abs(out[1:3] - CORNERS[1:3]).max() < 0.4


def test_nothing_to_snap_to_is_said() -> None:
    with pytest.raises(BadInput, match="No edge lies"):
        snapped(np.full((200, 320), 90, np.uint8), CORNERS)
