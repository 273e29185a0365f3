"""Scopes against counts made the plain way."""

from __future__ import annotations

import numpy as np
import pytest

from tropein.core.match.scopes import HEIGHT, WIDTH, counted, drawn, luma_of

RNG = np.random.default_rng(3)
CODES = RNG.integers(0, 256, (90, 160, 3), dtype=np.uint8)
ALL = np.ones((90, 160), bool)


def test_brightness_by_column_is_a_plain_histogram_of_each() -> None:
    (counts,) = counted("brightness", CODES, ALL, (160, 128))
    luma = luma_of(CODES)
    plain = np.histogram2d(
        127 - (luma.ravel() // 2), np.tile(np.arange(160), 90), bins=(np.arange(129), np.arange(161))
    )[0]
    assert np.array_equal(counts, plain) and counts.sum() == CODES.shape[0] * CODES.shape[1]
    left = ALL.copy()
    left[:, 80:] = False
    assert counted("brightness", CODES, left, (160, 128))[0][:, 80:].sum() == 0


def test_colours_lie_where_oklab_says() -> None:
    grey = np.full((20, 20, 3), 128, np.uint8)
    (counts,) = counted("colours", grey, np.ones((20, 20), bool), (HEIGHT, HEIGHT))
    ((y, x),) = np.argwhere(counts > 0)
    assert abs(y - HEIGHT // 2) <= 1 and abs(x - HEIGHT // 2) <= 1
    red = np.zeros((20, 20, 3), np.uint8)
    red[..., 0] = 255
    (y, x), *rest = np.argwhere(counted("colours", red, np.ones((20, 20), bool), (HEIGHT, HEIGHT))[0] > 0)
    # OKLab of red: a 0.2249, b 0.1258
    assert (
        not rest
        and x == pytest.approx((0.2249 / 0.26 + 1) * HEIGHT / 2, abs=1)
        and y == pytest.approx((1 - 0.1258 / 0.26) * HEIGHT / 2, abs=1)
    )


def test_an_insert_is_laid_over_what_lies_around_it_and_clipping_is_counted() -> None:
    codes = np.full((90, 160, 3), 60, np.uint8)
    insert = np.zeros((90, 160), bool)
    insert[30:60, 60:100] = True
    codes[insert] = 200
    codes[30:33, 60:100] = 255
    seen = drawn("brightness", codes, insert)
    assert seen.picture.shape == (HEIGHT, WIDTH, 3) and seen.white == pytest.approx(0.1) and seen.black == 0
    rows = {level: HEIGHT - 1 - level * HEIGHT // 256 for level in (60, 200)}
    grey, rose = (seen.picture[rows[level]].max(0).astype(int) for level in (60, 200))
    assert np.ptp(grey) < 20 and grey.min() > 100 and rose[0] > rose[1] + 60
    assert seen.picture[rows[60], : WIDTH // 8].max() == 0  # only near it
    whole = drawn("histogram", codes)
    assert not whole.insert and whole.picture.max() > 100
    assert drawn("channels", codes, np.ones((90, 160), bool)).picture.max() > 0
