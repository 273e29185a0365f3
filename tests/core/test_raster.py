from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tropein.core.raster import blend, colour, warp
from tropein.core.raster.blur import gaussian
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Window

F = Window(0, 0, 24, 16)


def srgb(x: np.ndarray) -> np.ndarray:
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.maximum(x, 1e-9) ** (1 / 2.4) - 0.055)


def linear(x: np.ndarray) -> np.ndarray:
    return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)


def random_picture(seed: int, opaque: bool = False) -> Picture:
    rng = np.random.default_rng(seed)
    a = np.ones((16, 24, 1)) if opaque else rng.random((16, 24, 1))
    return Picture(np.concatenate([rng.random((16, 24, 3)) * a, a], 2).astype(np.float32), F)


def lum(c: np.ndarray) -> np.ndarray:
    return c @ np.array([0.3, 0.59, 0.11])


def clip_colour(c: np.ndarray) -> np.ndarray:
    li, n, x = lum(c)[..., None], c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    c = np.where(n < 0, li + (c - li) * li / np.where(n < 0, li - n, 1), c)
    return np.where(x > 1, li + (c - li) * (1 - li) / np.where(x > 1, x - li, 1), c)


def set_lum(c: np.ndarray, target: np.ndarray) -> np.ndarray:
    return clip_colour(c + (target - lum(c))[..., None])


def set_sat(c: np.ndarray, s: np.ndarray) -> np.ndarray:
    n, x = c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    return np.where(x > n, (c - n) * s[..., None] / np.where(x > n, x - n, 1), 0)


def sat(c: np.ndarray) -> np.ndarray:
    return c.max(-1) - c.min(-1)


def formula(mode: str, b: np.ndarray, s: np.ndarray) -> np.ndarray:
    """The W3C formulas, as plainly as they stand there."""
    hard = lambda b, s: np.where(s <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s))  # noqa: E731
    d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return {
        "normal": lambda: s,
        "multiply": lambda: b * s,
        "screen": lambda: b + s - b * s,
        "overlay": lambda: hard(s, b),
        "darken": lambda: np.minimum(b, s),
        "lighten": lambda: np.maximum(b, s),
        "colour-dodge": lambda: np.where(b == 0, 0, np.where(s >= 1, 1, np.minimum(1, b / np.maximum(1 - s, 1e-9)))),
        "colour-burn": lambda: np.where(
            b >= 1, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - b) / np.maximum(s, 1e-9)))
        ),
        "hard-light": lambda: hard(b, s),
        "soft-light": lambda: np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b)),
        "difference": lambda: np.abs(b - s),
        "exclusion": lambda: b + s - 2 * b * s,
        "hue": lambda: set_lum(set_sat(s, sat(b)), lum(b)),
        "saturation": lambda: set_lum(set_sat(b, sat(s)), lum(b)),
        "colour": lambda: set_lum(s, lum(b)),
        "luminosity": lambda: set_lum(b, lum(s)),
    }[mode]()


@pytest.mark.parametrize("mode", [m for m in blend.MODES if m != "add"])
@pytest.mark.parametrize("display", [True, False])
def test_blend_modes_are_the_standard_formulas(mode: str, display: bool) -> None:
    under, over = random_picture(1), random_picture(2)
    opacity = 0.7
    got = blend.lay(under, over, F, mode, opacity, display).pixels
    ab, sa = under.pixels[..., 3:], over.pixels[..., 3:] * opacity
    cb, cs = under.pixels[..., :3] / ab, over.pixels[..., :3] / over.pixels[..., 3:]
    if display and mode != "normal":
        mixed = linear(formula(mode, srgb(cb), srgb(cs)))
    else:
        mixed = formula(mode, cb.astype(float), cs.astype(float))
    expected = sa * (1 - ab) * cs + sa * ab * mixed + (1 - sa) * ab * cb
    assert np.abs(got[..., :3] - expected).max() < 2e-3
    assert np.abs(got[..., 3:] - (sa + ab * (1 - sa))).max() < 1e-5


def test_add_is_plus_lighter() -> None:
    under, over = random_picture(1), random_picture(2)
    got = blend.lay(under, over, F, "add", 0.5).pixels
    assert np.allclose(got[..., :3], under.pixels[..., :3] + 0.5 * over.pixels[..., :3], atol=1e-5)
    assert np.allclose(got[..., 3], np.minimum(1, under.pixels[..., 3] + 0.5 * over.pixels[..., 3]), atol=1e-5)


def test_a_layer_only_changes_its_own_window() -> None:
    under = random_picture(1, opaque=True)
    over = Picture(random_picture(2).pixels[:4, :5], Window(-2, 13, 3, 17))
    got = blend.lay(under, over, F, "screen")
    assert got.window == F
    changed = (got.pixels != under.pixels).any(2)
    assert changed[13:, :3].all() and not changed[:13].any() and not changed[:, 3:].any()


def test_display_encoding_is_srgb_to_the_code() -> None:
    ramp = np.linspace(0, 1, 24 * 16, dtype=np.float32).reshape(16, 24, 1).repeat(4, 2)
    for dtype, top in ((np.uint8, 255), (np.uint16, 65535)):
        codes = colour.to_display(ramp, dtype)
        assert np.abs(codes[..., 0] - srgb(ramp[..., 0]) * top).max() < 0.51 + top * 2e-5
        back = colour.from_codes(codes, colour.DISPLAY)
        assert np.abs(back[..., 0] - ramp[..., 0]).max() < 1.2 / top * 2.4


def test_every_8_bit_code_survives_a_round_trip() -> None:
    codes = np.arange(256, dtype=np.uint8).reshape(16, 16, 1).repeat(3, 2)
    assert (colour.to_display(colour.from_codes(codes, colour.DISPLAY)) == codes).all()


def dot(x: int, y: int) -> Picture:
    pixels = np.zeros((64, 64, 4), np.float32)
    pixels[y, x] = 1
    return Picture(cv2.GaussianBlur(pixels, (0, 0), 2.0), Window(0, 0, 64, 64))


def centroid(p: Picture) -> tuple[float, float]:
    a = p.pixels[..., 3]
    y, x = np.mgrid[0 : a.shape[0], 0 : a.shape[1]] + 0.5
    return float((a * x).sum() / a.sum() + p.window.x0), float((a * y).sum() / a.sum() + p.window.y0)


def test_a_warp_moves_things_where_the_matrix_says() -> None:
    frame = Window(0, 0, 200, 200)
    m = warp.translation(70.25, 60.5) @ warp.rotation(90) @ warp.scaling(1.5, 1.5) @ warp.translation(-32, -32)
    moved = warp.warp(dot(40, 32), m, frame)
    expected = warp.apply(m, np.array([[40.5, 32.5]]))[0]
    assert centroid(moved) == pytest.approx(tuple(expected), abs=0.03)
    assert expected[1] > 60.5  # clockwise on screen: right goes down


def test_shrinking_keeps_the_light() -> None:
    frame = Window(0, 0, 200, 200)
    small = warp.warp(dot(32, 32), warp.translation(50, 50) @ warp.scaling(0.25, 0.25), frame)
    assert small.pixels[..., 3].sum() * 16 == pytest.approx(dot(32, 32).pixels[..., 3].sum(), rel=0.02)


def test_a_whole_pixel_move_is_exact_and_the_far_away_costs_nothing() -> None:
    p = random_picture(3)
    moved = warp.warp(p, warp.translation(5, -3), Window(0, -10, 100, 100))
    assert moved.window == Window(5, -3, 29, 13) and (moved.pixels == p.pixels).all()
    assert warp.warp(p, warp.translation(5000, 0), F).window.empty


def test_what_stays_in_the_frame_is_there() -> None:
    """What the next test says is true of nothing at all, too."""
    p = random_picture(4)
    x, y = (F.x0 + F.x1) / 2 - (p.window.x0 + p.window.x1) / 2, (F.y0 + F.y1) / 2 - (p.window.y0 + p.window.y1) / 2
    assert warp.warp(p, warp.translation(x + 0.3, y), F).pixels[..., 3].sum() == pytest.approx(
        p.pixels[..., 3].sum(), rel=0.05
    )


@settings(max_examples=30, deadline=None)
@given(st.floats(-400, 400), st.floats(-3, 3), st.floats(-180, 180))
def test_warps_stay_in_range_and_in_the_frame(shift: float, scale: float, angle: float) -> None:
    m = warp.translation(shift, 10) @ warp.rotation(angle) @ warp.scaling(scale, scale)
    got = warp.warp(random_picture(4), m, F)
    assert got.window.meet(F) == got.window or got.window.empty
    assert got.pixels.size == 0 or (got.pixels.min() >= 0 and got.pixels[..., 3].max() <= 1)


@pytest.mark.parametrize("sigma", [1.5, 6.0, 20.0])
def test_the_fast_blur_is_a_gaussian(sigma: float) -> None:
    rng = np.random.default_rng(5)
    pixels = rng.random((160, 200, 4)).astype(np.float32)
    pixels[..., 3] = 1
    got = gaussian(Picture(pixels, Window(0, 0, 200, 160)), sigma).pixels
    k = 2 * int(4 * sigma) + 1
    exact = cv2.GaussianBlur(pixels, (k, k), sigma, borderType=cv2.BORDER_REPLICATE)
    assert np.abs(got - exact).mean() < 0.0015
    assert np.abs(got - exact).max() < 0.03


def test_blurring_a_cut_out_grows_its_window_and_keeps_its_sum() -> None:
    p = Picture(np.pad(np.ones((10, 10, 4), np.float32), ((2, 2), (2, 2), (0, 0))), Window(18, 18, 32, 32))
    for sigma in (2.0, 9.0):
        got = gaussian(p, sigma)
        assert got.window.x0 < 20 - 2 * sigma and got.pixels.sum() == pytest.approx(p.pixels.sum(), rel=0.02)


def test_noise_is_the_same_everywhere() -> None:
    whole = fractal(64, 48, 12.5, seed=3)
    part = fractal(20, 10, 12.5, x0=30, y0=20, seed=3)
    assert np.array_equal(whole[20:30, 30:50], part)
    assert not np.allclose(whole, fractal(64, 48, 12.5, seed=4))
