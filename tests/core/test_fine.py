"""Hairs along a cut-out's outline: known strands before a plain and a patterned ground."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tropein.core.matte.fine import fine

SIZE = (200, 240)


@lru_cache
def head(scale: int = 1) -> NDArray[np.float32]:
    """(h, w) coverage: a disc with thin strands that stand out of it by 30 pixels."""
    h, w = (scale * n for n in SIZE)
    k = 4
    large = np.zeros((h * k, w * k), np.uint8)
    centre = (w * k // 2, h * k // 2)
    cv2.circle(large, centre, 55 * k * scale, 255, -1)
    for angle in np.linspace(0, 2 * np.pi, 40, endpoint=False):
        tip = [int(c + 85 * k * scale * f(angle)) for c, f in zip(centre, (np.cos, np.sin), strict=True)]
        cv2.line(large, centre, tip, 255, 6)
    return cv2.resize(large, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def seen(alpha: NDArray[np.float32], pattern: float, seed: int = 0) -> NDArray[np.uint8]:
    """The dark head before a light ground with a pattern of so many codes."""
    h, w = alpha.shape
    rng = np.random.default_rng(seed)
    ground = 190 + pattern * cv2.resize(
        rng.normal(0, 1, (h // 12, w // 12, 3)).astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC
    )
    picture = alpha[..., None] * np.float32([60, 40, 30]) + (1 - alpha[..., None]) * ground
    return np.clip(picture + rng.normal(0, 1.5, picture.shape), 0, 255).astype(np.uint8)


def outline(alpha: NDArray[np.float32]) -> NDArray[np.float32]:
    """What is carried: the head without its strands, soft by a pixel."""
    solid = cv2.morphologyEx(
        np.uint8(alpha > 0.5), cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (15, 15))
    )
    return cv2.GaussianBlur(solid.astype(np.float32), (0, 0), 1.0)


@pytest.mark.parametrize(("pattern", "share"), [(0.0, 0.06), (12.0, 0.35)])
def test_strands_within_reach_are_found(pattern: float, share: float) -> None:
    truth = head()
    picture, edge = seen(truth, pattern), outline(truth)
    before = float(((edge - truth) ** 2).mean())
    made = fine(picture, edge, 34)
    assert made.dtype == np.float32 and made.min() >= 0 and made.max() <= 1
    assert float(((made - truth) ** 2).mean()) < share * before


def test_what_is_out_of_reach_and_what_is_deep_inside_stays() -> None:
    truth = head()
    made = fine(seen(truth, 12), outline(truth), 10)
    far = cv2.distanceTransform(np.uint8(outline(truth) <= 0.5), cv2.DIST_L2, 5)
    assert (made[far > 11] == 0).all()
    deep = cv2.distanceTransform(np.uint8(outline(truth) > 0.5), cv2.DIST_L2, 5)
    assert (made[deep > 4] == 1).all()


def test_strands_are_looked_for_only_where_it_is_said() -> None:
    truth = head()
    picture, edge = seen(truth, 0), outline(truth)
    where = np.zeros(SIZE, np.float32)
    where[:, : SIZE[1] // 2] = 1
    made, whole = fine(picture, edge, 34, where), fine(picture, edge, 34)
    right, left = np.s_[:, SIZE[1] // 2 :], np.s_[:, : SIZE[1] // 2 - 2]
    assert (made[right] == edge[right]).all() and np.abs(made[left] - whole[left]).mean() < 0.005
    assert np.abs(made[left] - edge[left]).mean() > 0.01
    halfway = fine(picture, edge, 34, where / 2)
    assert np.abs(halfway - (edge + made) / 2).max() < 1e-6
    assert fine(picture, edge, 34, where * 0) is edge


def test_without_reach_or_without_an_outline_nothing_changes() -> None:
    edge = outline(head())
    picture = seen(head(), 0)
    assert fine(picture, edge, 0.5) is edge
    for plain in (np.zeros(SIZE, np.float32), np.ones(SIZE, np.float32)):
        assert (fine(picture, plain, 30) == plain).all()


def test_where_subject_and_ground_look_alike_the_outline_stays_about_as_it_was() -> None:
    edge = outline(head())
    made = fine(np.full((*SIZE, 3), 120, np.uint8), edge, 20)
    assert np.abs(made - edge).mean() < 0.03 and np.abs((made > 0.5).sum() - (edge > 0.5).sum()) < 0.02 * edge.size


def test_a_larger_picture_than_is_solved_gets_its_strands_too() -> None:
    truth = head(5)  # 1200 wide, strands as thin
    edge = outline(truth)
    made = fine(seen(truth, 0), edge, 170)
    assert float(((made - truth) ** 2).mean()) < 0.5 * float(((edge - truth) ** 2).mean())
    assert made.shape == truth.shape
