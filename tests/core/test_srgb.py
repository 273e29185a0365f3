"""Display encoding as arithmetic, and what is drawn with it: against the exact curve, and against what stood in tables."""

from __future__ import annotations

import numba as nb
import numpy as np
import pytest

from tropein.core.raster.colour import to_display
from tropein.core.raster.grain import film_grain, fractal
from tropein.core.raster.srgb import light, shown
from tropein.core.raster.written import codes16, halves


@nb.njit
def _both(values, seen, back):  # type: ignore[no-untyped-def]
    for i in range(values.size):
        seen[i] = shown(values[i])
        back[i] = light(seen[i])


def test_display_values_are_those_of_the_standard_and_lead_back() -> None:
    values = np.concatenate([[0, 1e-30, 0.0031308, 1, 16, 60_000], np.geomspace(1e-9, 1e3, 20_000)]).astype(np.float32)
    seen, back = np.empty_like(values), np.empty_like(values)
    _both(values, seen, back)
    exact = np.where(values <= 0.0031308, values * 12.92, 1.055 * values.astype(np.float64) ** (1 / 2.4) - 0.055)
    np.testing.assert_allclose(seen, exact, rtol=3e-6, atol=1e-7)
    np.testing.assert_allclose(back, values, rtol=2e-5, atol=1e-9)


def test_files_hold_straight_codes_and_halves() -> None:
    rng = np.random.default_rng(3)
    pixels = rng.random((40, 61, 4), np.float32) * 10.0 ** rng.integers(-9, 7, (40, 61, 1))
    pixels[..., 3] = rng.random((40, 61)).astype(np.float32)
    pixels[0], pixels[1], pixels[2, :, 3] = 0, -pixels[1], 0
    pixels = pixels.astype(np.float32)
    wanted = np.clip(pixels, 0, 65504).astype(np.float16).transpose(2, 0, 1)
    assert np.array_equal(halves(pixels).view(np.uint16), wanted.view(np.uint16))

    alpha = np.clip(pixels[..., 3:].astype(np.float64), 0, 1)
    linear = np.where(alpha > 0, np.clip(pixels[..., :3] / np.maximum(alpha, 1e-5), 0, 1), 0)
    curve = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    codes = np.rint(np.concatenate([curve, alpha], 2) * 65535)
    assert np.abs(codes16(pixels) - codes).max() <= 1


def test_grain_has_the_spread_that_is_asked_for_and_leaves_clear_pixels_alone() -> None:
    grey = np.full((400, 600, 4), 0.2140411, np.float32)  # half of white, as it is shown
    grey[..., 3] = 1
    laid = film_grain(grey, 3, 5, 0.6, 0.02, 0.4, 0.0, 1, 7.0)
    assert to_display(laid, np.uint16)[..., 1].std() / 65535 == pytest.approx(0.02, rel=0.03)
    assert np.array_equal(laid[..., 3], grey[..., 3])
    half = grey.copy()
    half[:, 300:] *= 0.5  # covers half
    half[:100] = [0.3, 0.2, 0.1, 0]  # light that covers nothing
    partly = film_grain(half, 3, 5, 0.6, 0.02, 0.4, 0.0, 1, 7.0)
    assert np.array_equal(partly[:100], half[:100])
    np.testing.assert_allclose(partly[100:, 300:], laid[100:, 300:] * 0.5, rtol=1e-5)
    np.testing.assert_allclose(partly[100:, :300], laid[100:, :300], rtol=1e-5)


@pytest.mark.parametrize("cell", [60.0, 7.3, 1.4])
def test_clouds_join_wherever_a_picture_is_cut(cell: float) -> None:
    whole = fractal(200, 120, cell, x0=-30, y0=11, drift=2.7, seed=5, octaves=6)
    part = fractal(90, 50, cell, x0=-30 + 70, y0=11 + 40, drift=2.7, seed=5, octaves=6)
    np.testing.assert_allclose(part, whole[40:90, 70:160], atol=1e-6)
    assert 0.1 < whole.std() < 0.4 and abs(float(whole.mean())) < 0.25
