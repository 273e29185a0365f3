from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from tropein.core.document.effect import EFFECTS
from tropein.core.effects import described, run, sampled
from tropein.core.raster.glow import glowing
from tropein.core.raster.picture import Picture, Window

W = Window(0, 0, 40, 30)


def apply(kind: str, picture: Picture, scale: float = 1.0, **values: Any) -> Picture:
    effect = EFFECTS.of(kind).model_validate({"kind": kind, "id": "e", **{k: {"value": v} for k, v in values.items()}})
    return run(kind, picture, sampled(effect, 0), scale)


def flat(r: float, g: float, b: float, a: float = 1.0) -> Picture:
    return Picture(np.broadcast_to(np.array([r * a, g * a, b * a, a], np.float32), (30, 40, 4)).copy(), W)


def rgb(p: Picture) -> np.ndarray:
    return p.pixels[15, 20, :3] / p.pixels[15, 20, 3]


def encoded(x: float) -> float:
    return 12.92 * x if x <= 0.0031308 else 1.055 * x ** (1 / 2.4) - 0.055


def test_every_effect_is_described_for_the_sheet() -> None:
    kinds = {d.kind: d for d in described()}
    assert {"grade", "curves", "blur", "glow"} <= kinds.keys()
    for d in kinds.values():
        assert d.title and d.help and all({"name", "title", "default", "step", "widget"} <= p.keys() for p in d.params)


@pytest.mark.parametrize("kind", ["grade", "curves"])
def test_untouched_colour_effects_change_nothing(kind: str) -> None:
    rng = np.random.default_rng(1)
    pixels = rng.random((30, 40, 4)).astype(np.float32)
    pixels[..., :3] *= pixels[..., 3:]
    assert np.abs(apply(kind, Picture(pixels, W)).pixels - pixels).max() < 1e-4


def test_exposure_is_stops_of_linear_light() -> None:
    assert rgb(apply("grade", flat(0.1, 0.2, 0.05, a=0.5), exposure=1.0)) == pytest.approx([0.2, 0.4, 0.1], rel=1e-3)


def test_grade_operations_do_what_their_names_say() -> None:
    grey = flat(0.2, 0.2, 0.2)
    warm = rgb(apply("grade", grey, temperature=2.0))
    assert warm[0] > 0.2 > warm[2] and warm @ [0.2126, 0.7152, 0.0722] == pytest.approx(0.2, rel=1e-3)
    assert rgb(apply("grade", flat(0.3, 0.1, 0.1), saturation=0.0)) == pytest.approx(
        [0.2126 * 0.3 + 0.7874 * 0.1] * 3, rel=1e-3
    )
    pivot = encoded(0.2)
    assert rgb(apply("grade", grey, contrast=2.0, pivot=pivot)) == pytest.approx([0.2] * 3, rel=2e-3)
    assert rgb(apply("grade", flat(0.4, 0.4, 0.4), contrast=2.0, pivot=pivot))[0] > 0.5
    assert encoded(rgb(apply("grade", grey, black=0.1))[0]) == pytest.approx((pivot - 0.1) / 0.9, abs=1e-3)
    cdl = rgb(apply("grade", grey, slope=[1.2, 1.0, 0.8], offset=[0.0, 0.05, 0.0], power=[1.0, 1.0, 1.5]))
    assert [encoded(c) for c in cdl] == pytest.approx([1.2 * pivot, pivot + 0.05, (0.8 * pivot) ** 1.5], abs=2e-3)


def test_curves_bend_one_channel_or_brightness_alone() -> None:
    lift = {"points": [[0, 0.2], [1, 1]]}
    out = rgb(apply("curves", flat(0.2, 0.2, 0.2), red=lift))
    assert encoded(out[0]) == pytest.approx(0.2 + 0.8 * encoded(0.2), abs=2e-3) and out[1] == pytest.approx(
        0.2, rel=1e-3
    )
    before = np.array([0.3, 0.15, 0.1])
    after = rgb(apply("curves", flat(*before), luma={"points": [[0, 0], [0.5, 0.7], [1, 1]]}))
    assert after / after.sum() == pytest.approx(before / before.sum(), rel=1e-2) and after.sum() > before.sum() * 1.2


def test_glow_spreads_only_what_is_bright() -> None:
    pixels = np.zeros((30, 40, 4), np.float32)
    pixels[..., 3] = 1
    pixels[14:17, 19:22, :3] = 4.0
    out = apply("glow", Picture(pixels, W), threshold=0.5, radius=6.0, tint=[1.0, 0.5, 0.25])
    assert out.pixels[15, 28, 0] > 0.005 and out.pixels[15, 28, 0] == pytest.approx(4 * out.pixels[15, 28, 2], rel=0.05)
    assert out.window == W
    dark = apply("glow", flat(0.2, 0.2, 0.2), threshold=0.5)
    assert np.abs(dark.pixels - flat(0.2, 0.2, 0.2).pixels).max() < 1e-6


@pytest.mark.parametrize("radius", [5.0, 17.0, 46.0])
def test_spread_light_is_a_sum_of_gaussians(radius: float) -> None:
    pixels = np.zeros((200, 240, 4), np.float32)
    pixels[80:110, 100:140] = 1
    got = glowing(Picture(pixels, Window(0, 0, 240, 200)), 0.0, radius, 3, np.ones(3, np.float32), 3.0)
    margin = got.window.x1 - 240
    padded = np.pad(pixels[..., 0], 300)
    wanted = sum(gaussian_filter(padded, radius / 2**i) for i in range(3))
    wanted += padded
    assert np.abs(got.pixels[..., 0] - wanted[300 - margin : 500 + margin, 300 - margin : 540 + margin]).max() < 0.02


def test_blur_radius_is_in_shot_pixels_at_any_scale() -> None:
    point = np.zeros((60, 80, 4), np.float32)
    point[30, 40] = 1
    full = apply("blur", Picture(point, Window(0, 0, 80, 60)), 1.0, radius=6.0).pixels[..., 3].max()
    half = apply("blur", Picture(point, Window(0, 0, 80, 60)), 0.5, radius=12.0).pixels[..., 3].max()
    assert full == pytest.approx(half, rel=1e-5)


def lamp() -> Picture:
    pixels = np.zeros((60, 90, 4), np.float32)
    pixels[..., 3] = 1
    pixels[28:32, 40:44, :3] = 2.0
    return Picture(pixels, Window(0, 0, 90, 60))


def test_defocus_keeps_light_and_opens_points_into_the_aperture() -> None:
    out = apply("defocus", lamp(), radius=9.0, blades=0.0, bloom=0.0).pixels
    assert out[..., 0].sum() == pytest.approx(lamp().pixels[..., 0].sum(), rel=1e-3)
    assert out[30, 42, 0] == pytest.approx(2 * 16 / (np.pi * 81), rel=0.05) and out[30, 42 + 13, 0] < 1e-9
    assert np.abs(apply("defocus", flat(0.3, 0.2, 0.1), radius=8.0).pixels - flat(0.3, 0.2, 0.1).pixels).max() < 1e-4


def test_light_is_drawn_away_from_a_place() -> None:
    out = apply("draw-out", lamp(), centre=(0.0, 30.0), shafts=0.0, decay=0.0, length=0.5, amount=1.0).pixels[..., 0]
    added = out - lamp().pixels[..., 0]
    assert (
        added[30, 60] > 0.1 > 0.01 > added[30, 30] and added[10].max() < 1e-3
    )  # beyond the lamp, along the line, nowhere else
    # of what lies above the threshold, ever larger up to twice the size
    assert added.sum() == pytest.approx(16 * 1.5 * (2**2 - 1) / (2 * np.log(2)), rel=0.1)


def test_a_halo_lies_around_or_within() -> None:
    pixels = np.zeros((60, 90, 4), np.float32)
    pixels[20:40, 30:60] = (0.1, 0.1, 0.1, 1)
    cut = Picture(pixels, Window(0, 0, 90, 60))
    around, within = (apply("halo", cut, size=8.0, inside=i) for i in (0.0, 1.0))
    assert around.window.x0 < -20 and around.fill(cut.window)[30, 45, 0] == pytest.approx(0.1, abs=1e-3)
    assert around.fill(cut.window)[18, 45, 2] > 0.2 and around.fill(cut.window)[18, 45, 3] == 0
    assert within.fill(cut.window)[21, 45, 2] > 0.3 and within.fill(cut.window)[10, 45, 2] < 1e-4


def test_sharpening_leaves_flat_light_and_takes_back_what_it_gives() -> None:
    assert np.abs(apply("sharpen", flat(0.3, 0.2, 0.1)).pixels - flat(0.3, 0.2, 0.1).pixels).max() < 1e-5
    soft = apply("blur", lamp(), radius=1.5).pixels
    assert np.abs(apply("sharpen", lamp(), amount=-1.0).pixels - soft).max() < 1e-5
    grainy = flat(0.3, 0.3, 0.3)
    grainy.pixels[..., :3] += np.random.default_rng(1).normal(0, 0.004, (30, 40, 1)).astype(np.float32)
    assert np.abs(apply("sharpen", grainy, threshold=0.3, amount=2.0).pixels - grainy.pixels).max() < 1e-5


def test_levels_put_black_middle_and_white_where_they_are_said() -> None:
    changed = apply("levels", flat(0.2, 0.2, 0.2), black=0.1, white=0.9, middle=2.0, black_out=0.05)
    expected = ((encoded(0.2) - 0.1) / 0.8) ** 0.5 * 0.95 + 0.05
    assert encoded(float(rgb(changed)[0])) == pytest.approx(expected, abs=1e-4)
    assert np.abs(apply("levels", flat(0.3, 0.2, 0.1, a=0.5)).pixels - flat(0.3, 0.2, 0.1, a=0.5).pixels).max() < 1e-5


def test_dark_and_bright_are_mapped_to_two_colours() -> None:
    ends = {"dark": (0.02, 0.05, 0.1), "bright": (0.9, 0.8, 0.6)}
    assert rgb(apply("two-tones", flat(0, 0, 0), **ends)) == pytest.approx(ends["dark"], rel=1e-3)
    assert rgb(apply("two-tones", flat(1, 1, 1), **ends)) == pytest.approx(ends["bright"], rel=1e-3)
    red = rgb(apply("two-tones", flat(0.5, 0.1, 0.1), keep=0.0, dark=(0, 0, 0), bright=(1, 1, 1)))
    assert red[0] == pytest.approx(red[2], rel=1e-3)


def test_one_band_of_hues_is_turned_and_the_rest_drained() -> None:
    red, green = flat(0.5, 0.05, 0.05), flat(0.05, 0.5, 0.05)
    kept, drained = (rgb(apply("hue-band", p, hue=0.0, rest=0.0)) for p in (red, green))
    assert kept == pytest.approx([0.5, 0.05, 0.05], abs=2e-3) and np.ptp(drained) < 2e-3
    turned = rgb(apply("hue-band", red, hue=0.0, turn=-110.0))
    assert np.argmax(turned) != 0
    assert np.abs(apply("hue-band", green).pixels - green.pixels).max() < 1e-4
    grey = flat(0.3, 0.3, 0.3)
    assert np.abs(apply("hue-band", grey, turn=90.0, saturation=3.0).pixels - grey.pixels).max() < 1e-4


def test_scan_lines_darken_by_half_of_what_they_say_and_fade_where_they_are_too_fine() -> None:
    lines = apply("scan-lines", flat(0.4, 0.4, 0.4), every=6.0, dark=0.8).pixels[..., 0]
    assert lines.mean() == pytest.approx(0.4 * 0.6, rel=0.01) and np.ptp(lines.mean(1)) > 0.2 and np.ptp(lines[3]) == 0
    assert np.abs(apply("scan-lines", flat(0.4, 0.4, 0.4), 0.3, every=6.0, dark=0.8).pixels[..., 0] - 0.4).max() < 1e-6
