"""The inner loops against plain numpy on random input."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.animate.drawn import curve_values
from tropein.core.document.effect import EFFECTS
from tropein.core.effects import sampled
from tropein.core.raster import colour
from tropein.core.raster.blend import whole
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Window, nothing
from tropein.core.raster.tone import tone
from tropein.core.track.align import align, gaussian_window, warped
from tropein.core.track.motion import measure


def wall(seed: int = 3) -> np.ndarray:
    return cv2.GaussianBlur(cv2.cvtColor(texture(240, 200, seed), cv2.COLOR_RGB2GRAY).astype(np.float32), (0, 0), 0.8)


def test_patch_samples_are_bicubic() -> None:
    image = wall()
    m = np.array([[1.02, 0.03, 120.3], [-0.02, 0.98, 99.6]])
    got = warped(image, m, 12, 2)
    v, u = np.mgrid[-12:13:2, -12:13:2].astype(np.float64)
    x, y = m[0, 0] * u + m[0, 1] * v + m[0, 2], m[1, 0] * u + m[1, 1] * v + m[1, 2]

    def weights(t: np.ndarray) -> np.ndarray:  # Catmull-Rom
        return np.stack(
            [
                -0.5 * t**3 + t**2 - 0.5 * t,
                1.5 * t**3 - 2.5 * t**2 + 1,
                -1.5 * t**3 + 2 * t**2 + 0.5 * t,
                0.5 * t**3 - 0.5 * t**2,
            ]
        )

    ix, iy = np.floor(x).astype(int), np.floor(y).astype(int)
    wx, wy = weights(x - ix), weights(y - iy)
    expected = sum(wy[j] * wx[i] * image[iy + j - 1, ix + i - 1] for j in range(4) for i in range(4))
    assert np.abs(got - expected).max() < 1e-3


@pytest.mark.parametrize("affine", [False, True])
def test_alignment_finds_a_known_move_under_another_light(affine: bool) -> None:
    image = wall()
    place = np.array([[1.0, 0, 118.37], [0, 1.0, 97.81]])
    reference = warped(image, place, 15, 1)
    darker = (image * 0.6 + 14).astype(np.float32)
    start = place.copy()
    start[:, 2] += [1.3, -0.9]
    fit = align(darker, reference, start, 15, 1, affine, 25)
    assert np.abs(fit.matrix - place).max() < 0.02
    assert fit.correlation > 0.999 and fit.gain == pytest.approx(1 / 0.6, rel=0.03)


def test_light_that_may_not_change_is_taken_as_it_is() -> None:
    image = wall()
    place = np.array([[1.0, 0, 118.37], [0, 1.0, 97.81]])
    reference = warped(image, place, 15, 1)
    start = place.copy()
    start[:, 2] += [0.9, -0.6]
    same = align(image, reference, start, 15, 1, False, 25, light=False)
    assert np.abs(same.matrix - place).max() < 0.02 and same.gain == 1
    darker = align((image * 0.6).astype(np.float32), reference, start, 15, 1, False, 25, light=False)
    assert darker.gain == 1 and darker.correlation < 0.9 * same.correlation


def test_alignment_ignores_a_covered_corner() -> None:
    image = wall()
    place = np.array([[1.0, 0, 118.0], [0, 1.0, 97.0]])
    reference = warped(image, place, 15, 1)
    covered = image.copy()
    covered[102:120, 123:140] = 250
    start = place.copy()
    start[:, 2] += [0.8, 0.6]
    fit = align(covered.astype(np.float32), reference, start, 15, 1, False, 20)
    assert np.abs(fit.matrix[:, 2] - place[:, 2]).max() < 0.15 and fit.share < 0.9


def test_the_window_is_a_centred_gaussian() -> None:
    w = gaussian_window(15, 1)
    assert w.shape == (31, 31) and w[15, 15] == 1 and np.allclose(w, w.T) and np.allclose(w, w[::-1, ::-1])


def test_motion_between_frames_is_the_homography_that_made_it() -> None:
    before = cv2.cvtColor(texture(400, 300, 5), cv2.COLOR_RGB2GRAY)
    h = np.array([[1.01, 0.02, 4.0], [-0.015, 0.99, -3.0], [1e-5, -2e-5, 1]])
    after = cv2.warpPerspective(before, h, (400, 300), flags=cv2.INTER_CUBIC)
    motion = measure(before, after)
    for point in ([200.0, 150.0], [80.0, 60.0]):
        carried = motion.carried(np.array(point))
        p = h @ np.r_[point, 1]
        assert carried is not None and np.abs(carried - p[:2] / p[2]).max() < 0.15
    flat = np.full((300, 400), 80, np.uint8)
    assert measure(flat, flat).dominant is None


def test_tone_is_tables_then_luma_gain_then_saturation() -> None:
    rng = np.random.default_rng(2)
    alpha = rng.random((20, 30, 1)).astype(np.float32)
    straight = rng.random((20, 30, 3)).astype(np.float32) * 2
    picture = Picture(np.concatenate([straight * alpha, alpha], 2), Window(3, 4, 33, 24))
    curves = np.stack([colour.tabulate(f) for f in (np.sqrt, np.square, lambda x: 0.5 * x)])
    gain = colour.tabulate(lambda x: 1 / (1 + x))
    got = tone(picture, curves, 0.4, gain)
    rgb = np.stack([np.sqrt(straight[..., 0]), straight[..., 1] ** 2, 0.5 * straight[..., 2]], 2)
    luma = (rgb @ colour.LUMA)[..., None]
    rgb, luma = rgb / (1 + luma), luma / (1 + luma)
    expected = np.maximum(luma + (rgb - luma) * 0.4, 0) * alpha
    assert got.window == picture.window
    assert np.abs(got.pixels[..., :3] - expected).max() < 2e-3 and np.array_equal(
        got.pixels[..., 3], picture.pixels[..., 3]
    )


def test_a_drawn_curve_goes_through_its_points_and_never_turns_back() -> None:
    points = ((0.0, 0.1), (0.3, 0.2), (0.5, 0.8), (1.0, 0.9))
    assert curve_values(points, np.array([p[0] for p in points])) == pytest.approx([p[1] for p in points])
    dense = curve_values(points, np.linspace(0, 1, 500))
    assert (np.diff(dense) >= -1e-9).all()
    assert curve_values(points, np.array([2.0])) == pytest.approx([1.8])


def test_windows_meet_join_and_crop() -> None:
    a, b = Window(0, 0, 10, 8), Window(6, -3, 20, 5)
    assert a.meet(b) == Window(6, 0, 10, 5) and a.join(b) == Window(0, -3, 20, 8)
    assert a.meet(Window(50, 50, 60, 60)).empty and a.join(Window(0, 0, 0, 0)) == a
    pixels = np.arange(10 * 8 * 4, dtype=np.float32).reshape(8, 10, 4)
    part = Picture(pixels, a).crop(b)
    assert part.window == Window(6, 0, 10, 5) and np.array_equal(part.pixels, pixels[0:5, 6:10])
    filled = Picture(pixels, a).fill(b)
    assert filled.shape == (8, 14, 4) and np.array_equal(filled[3:8, 0:4], pixels[0:5, 6:10]) and filled[:3].max() == 0
    assert nothing().crop(a).window.empty


def test_keys_of_effects_are_sampled_at_the_frame() -> None:
    keys = [{"frame": 0, "value": 0, "ease": "linear"}, {"frame": 10, "value": 20}]
    blur = EFFECTS.of("blur").model_validate({"kind": "blur", "id": "b", "radius": {"value": 3, "keys": keys}})
    assert sampled(blur, 5)["radius"] == pytest.approx(10) and sampled(blur, 5)["mix"] == 1


def test_noise_keeps_its_range_and_comes_out_the_same_for_a_seed() -> None:
    noise = fractal(300, 200, 40, seed=3)
    assert -1 < noise.min() < -0.3 and 0.3 < noise.max() < 1 and abs(noise.mean()) < 0.1
    assert np.array_equal(noise, fractal(300, 200, 40, seed=3))
    assert np.abs(noise - fractal(300, 200, 40, seed=4)).mean() > 0.1
    assert np.array_equal(noise[50:, 60:], fractal(240, 150, 40, x0=60, y0=50, seed=3))
    fine = fractal(300, 200, 2, seed=3, octaves=1)
    a, b = fine[:, ::4].ravel()[:-1], fine[:, ::4].ravel()[1:]
    assert abs(np.corrcoef(a, b)[0, 1]) < 0.1  # two cells apart nothing is alike


@pytest.mark.parametrize("mode", range(13, 17))
def test_modes_of_all_channels_bear_greys_blacks_and_whites(mode: int) -> None:
    tiny = np.float32(1.2e-7)
    values = [np.float32(v) for v in (-tiny, 0, tiny, 0.5 - tiny, 0.5, 0.5 + tiny, 1 - tiny, 1, 1 + tiny, 4)]
    greys = [(v, v, v) for v in values] + [(v, np.float32(v + tiny), v) for v in values]
    for below in greys:
        for above in greys:
            out = np.array(whole(mode, *below, *above))
            assert np.isfinite(out).all() and out.min() > -1e-3 and np.ptp(out) < 0.01, (mode, below, above, out)
    coloured = np.array(whole(14, *(np.float32(v) for v in (0.5, 0.5, 0.5)), *(np.float32(v) for v in (0.9, 0.2, 0.1))))
    assert np.ptp(coloured) == 0  # grey has no hue to saturate
