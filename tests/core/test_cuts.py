from __future__ import annotations

import numpy as np

from tests.conftest import moving_frames, texture
from tropein.core.track.cuts import Cuts


def luma(pictures: list[np.ndarray]) -> list[np.ndarray]:
    return [p.mean(2).astype(np.uint8) for p in pictures]


def test_a_cut_is_told_from_fast_motion_a_flash_and_something_passing() -> None:
    wall = luma(moving_frames(6, 320, 180, step=(14.0, 6.0)))
    flash = np.clip(wall[3].astype(int) * 1.3 + 20, 0, 255).astype(np.uint8)
    passed = wall[4].copy()
    passed[:, 80:190] = texture(320, 180, seed=40).mean(2)[:, :110]
    other = texture(320, 180, seed=77).mean(2).astype(np.uint8)
    clip = [wall[1], wall[2], wall[3], flash, passed, other, other]
    cuts = Cuts(lambda i: clip[i])
    assert [cuts.between(i, i + 1) for i in range(6)] == [False, False, False, False, True, False]
    assert cuts.between(5, 4)  # backwards too


def test_flat_pictures_are_cut_where_their_brightness_jumps() -> None:
    clip = [np.full((90, 160), v, np.uint8) for v in (20, 24, 120)]
    cuts = Cuts(lambda i: clip[i])
    assert not cuts.between(0, 1) and cuts.between(1, 2)
