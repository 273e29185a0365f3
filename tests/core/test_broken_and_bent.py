"""Effects that bend, break and shade, against what geometry and arithmetic say."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.test_effects import W, apply, encoded, flat, rgb
from tropein.core.document.effect import EFFECTS
from tropein.core.effects import run, sampled
from tropein.core.effects.displace import _field
from tropein.core.effects.stepped import PATTERN, stepped
from tropein.core.effects.white_balance import white_of
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Window

WIDE = Window(0, 0, 320, 180)


def noisy(window: Window = WIDE, cell: float = 24.0) -> Picture:
    pixels = np.ones((window.height, window.width, 4), np.float32)
    for c in range(3):
        pixels[..., c] = 0.4 + 0.3 * fractal(window.width, window.height, cell, seed=c)
    return Picture(pixels, window)


def at_frame(kind: str, picture: Picture, frame: float, **values: object) -> Picture:
    effect = EFFECTS.of(kind).model_validate({"kind": kind, "id": "e", **{k: {"value": v} for k, v in values.items()}})
    return run(kind, picture, sampled(effect, frame), 1.0)


@pytest.mark.parametrize(
    ("kind", "still"),
    [
        ("shimmer", {"amount": 0.0}), ("bulge", {"amount": 0.0}), ("displace", {"far": (0.0, 0.0)}), ("crop", {"soft": 0.0}), ("wear", {"gone": 0.0}),
        ("dropouts", {"often": 0.0}), ("drop-shadow", {"opacity": 0.0}), ("flip", {"across": 0.0}), ("beyond", {"left": 0.0, "right": 0.0, "top": 0.0, "bottom": 0.0}),
        ("white-balance", {}), ("saturation", {}), ("channels", {}), ("haze", {"all": 0.0, "thick": 0.0}),
    ],
)  # fmt: skip
def test_what_does_nothing_changes_nothing(kind: str, still: dict[str, float]) -> None:
    picture = noisy()
    assert np.abs(apply(kind, picture, **still).pixels - picture.pixels).max() < 2e-4


def test_shimmer_is_finest_in_the_middle_and_rises() -> None:
    picture = noisy(cell=6.0)
    moved = np.abs(at_frame("shimmer", picture, 5).pixels - picture.pixels).mean(-1)
    assert moved[70:110, 120:200].mean() > 4 * moved[:6].mean() and moved[70:110, 120:200].mean() > 0.005
    # a second later the field stands as much higher as it rises, but for its boiling
    still = {"boil": 0.0, "fade": 0.0, "rise": 24.0, "amount": 4.0}
    ramp = np.ones((180, 320, 4), np.float32)
    ramp[..., 0] = np.arange(320) / 320
    before, after = (at_frame("shimmer", Picture(ramp, WIDE), f, **still).pixels[..., 0] for f in (0, 24))
    assert np.abs(after[20:120, 20:-20] - before[44:144, 20:-20]).max() < 1e-4


def test_a_bulge_is_its_formula_and_one_to_one() -> None:
    ramp = np.ones((180, 320, 4), np.float32)
    ramp[..., 0] = (np.arange(320) + 0.5) / 320
    out = apply("bulge", Picture(ramp, WIDE), centre=(160.0, 90.0), radius=60.0, amount=0.5).pixels[90, :, 0] * 320
    x = np.arange(320) + 0.5
    r = (x - 160) / 60
    wanted = np.where(abs(r) < 1, 160 + 60 * r * (1 - 0.5 * (1 - (r * r + (0.5 / 60) ** 2)) ** 2), x)
    assert np.abs(out - wanted)[1:-1].max() < 0.02 and (np.diff(out) > 0).all()
    pinched = apply("bulge", Picture(ramp, WIDE), centre=(160.0, 90.0), radius=60.0, amount=-0.9).pixels[90, 110:210, 0]
    assert (np.diff(pinched) > -1e-6).all()


def test_displacing_by_flat_cells_shifts_whole_patches() -> None:
    ramp = np.ones((180, 320, 4), np.float32)
    ramp[..., 0] = np.arange(320)
    values = {"far": (10.0, 0.0), "width": 80.0, "height": 20.0, "contrast": 1000.0, "soft": 0.0, "boil": 0.0}
    out = apply("displace", Picture(ramp, WIDE), **values).pixels[..., 0]
    shift = (out - ramp[..., 0])[:, 20:-20]
    assert set(np.unique(shift.round(3))) == {-10.0, 10.0}  # all the way, one way or the other
    assert (np.diff(shift, axis=0) != 0).sum(0).max() <= 9  # and only where cells meet
    effect = EFFECTS.of("displace").model_validate({"kind": "displace", "id": "e"})
    once, twice = sampled(effect, 6.0), sampled(effect, 6.0)
    small, large = _field(once, 0.5, Window(0, 0, 160, 90)), _field(twice, 1.0, WIDE)
    assert np.abs(small - large[::2, ::2]).mean() < 0.02


def test_beyond_the_edges_it_is_mirrored_or_tiled() -> None:
    picture = noisy(Window(10, 20, 50, 50))
    out = apply("beyond", picture, left=7.0, right=0.0, top=0.0, bottom=3.0)
    assert out.window == Window(3, 20, 50, 53)
    assert np.array_equal(out.pixels[:30, :7], picture.pixels[:, 6::-1]) and np.array_equal(
        out.pixels[30:, 7:], picture.pixels[:-4:-1]
    )
    tiled = apply("beyond", picture, left=7.0, right=0.0, top=0.0, bottom=0.0, tiled=1.0)
    assert np.array_equal(tiled.pixels[:, :7], picture.pixels[:, -7:])
    assert apply("beyond", picture, left=1e5).window.width < 40 * 9


def test_flips_and_trims() -> None:
    picture = noisy(W)
    assert np.array_equal(apply("flip", picture).pixels, picture.pixels[:, ::-1])
    assert np.array_equal(apply("flip", picture, across=0.0, up=1.0).pixels, picture.pixels[::-1])
    hard = apply("crop", picture, left=4.5, soft=0.0).pixels[..., 3]
    assert hard[:, :4].max() == 0 and hard[0, 4] == pytest.approx(0.5) and hard[:, 5:].min() == 1
    soft = apply("crop", picture, soft=10.0).pixels[15, :, 3]
    assert (np.diff(soft[:20]) >= 0).all() and soft[0] < 0.02 and soft[12] == 1


def test_wear_eats_all_of_it_in_the_end_with_light_at_its_edge_only() -> None:
    picture = flat(0.2, 0.2, 0.2)
    left = [apply("wear", picture, gone=g, light=0.0, cell=10.0).pixels[..., 3].mean() for g in np.linspace(0, 1, 9)]
    assert left[0] == 1 and left[-1] == 0 and (np.diff(left) <= 0).all() and 0.3 < left[4] < 0.7
    lit, dark = (apply("wear", picture, gone=0.5, light=v, cell=10.0).pixels for v in (4.0, 0.0))
    glow = (lit - dark)[..., 0]
    assert glow.min() >= 0 and glow.max() > 0.3 and (glow[dark[..., 3] == 0] == 0).all() and (glow == 0).mean() > 0.2


def test_dropouts_take_whole_lines_for_as_long_as_they_hold() -> None:
    picture = flat(0.2, 0.2, 0.2)
    values = {"often": 0.3, "line": 3.0, "long": 20.0, "bright": 1.0, "strength": 1.0, "hold": 4.0}
    first, same, other = (at_frame("dropouts", picture, f, **values).pixels for f in (0, 3, 4))
    assert np.array_equal(first, same) and not np.array_equal(first, other)
    hit = np.abs(first - picture.pixels).max(-1) > 0.01
    lines = hit.reshape(10, 3, 40)
    assert (lines.any(2).any(1) == lines.any(2).all(1)).all() and 0 < hit.mean() < 0.6 and first.max() <= 1.0


def test_the_shadow_behind_lies_aside_and_keeps_out_of_the_thing() -> None:
    pixels = np.zeros((60, 80, 4), np.float32)
    pixels[20:40, 20:40] = (0.5, 0.5, 0.5, 1)
    out = apply("drop-shadow", Picture(pixels, Window(0, 0, 80, 60)), offset=(10.0, 5.0), soft=0.0, opacity=0.6)
    seen = out.fill(Window(0, 0, 80, 60))
    assert np.array_equal(seen[20:40, 20:40], pixels[20:40, 20:40])
    assert seen[26:44, 42:49, 3] == pytest.approx(0.6, abs=1e-5) and seen[26:44, 42:49, 0].max() == 0
    assert seen[..., 3].sum() == pytest.approx(400 + 0.6 * (400 - 10 * 15), rel=1e-3)


def test_white_balance_by_temperature_and_by_what_should_be_grey() -> None:
    d65, lamp = white_of(6504), white_of(2856)
    assert d65[[0, 2]] == pytest.approx([0.9505, 1.089], abs=3e-3) and lamp[[0, 2]] == pytest.approx(
        [1.0985, 0.3558], abs=4e-3
    )
    to_rgb = np.linalg.inv(
        [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
    )
    for kelvin in (3200, 4500, 9000):
        cast = to_rgb @ white_of(kelvin) * 0.3
        assert rgb(apply("white-balance", flat(*cast), kelvin=float(kelvin))) == pytest.approx([0.3] * 3, abs=2e-3)
    cast = (0.3, 0.2, 0.12)
    out = rgb(apply("white-balance", flat(*cast), grey=cast))
    assert np.ptp(out) < 1e-3 and out @ [0.2126, 0.7152, 0.0722] == pytest.approx(
        np.dot(cast, [0.2126, 0.7152, 0.0722]), rel=1e-3
    )


def test_colour_by_brightness_steps_threshold_and_channels() -> None:
    dark, light = (0.02, 0.01, 0.01), (0.9, 0.7, 0.7)
    drained = {"dark": 0.0, "middle": 1.0, "light": 1.0}
    assert np.ptp([encoded(c) for c in rgb(apply("saturation", flat(*dark), **drained))]) < 0.4 * np.ptp(
        [encoded(c) for c in dark]
    )
    assert np.ptp([encoded(c) for c in rgb(apply("saturation", flat(*light), **drained))]) > 0.9 * np.ptp(
        [encoded(c) for c in light]
    )
    five = apply("stepped", noisy(), steps=5.0).pixels[..., :3]
    assert len(np.unique(np.vectorize(encoded)(np.unique(five)).round(4))) <= 5
    assert sorted((PATTERN + 0.5).ravel() * 64) == [k + 0.5 for k in range(64)]
    grid = [
        [stepped(0.5, 0.5, 0.5, 1, x + 0.5, y + 0.5, (np.float32(64), np.float32(64)))[0] for x in range(8)]
        for y in range(8)
    ]
    assert np.array(grid) == pytest.approx(np.floor(32.5 + PATTERN * 64) / 64)
    dithered = apply("stepped", flat(0.2, 0.2, 0.2), steps=2.0, dither=1.0).pixels[:24, :40, 0]
    assert dithered.mean() == pytest.approx(encoded(0.2), abs=0.02)
    assert rgb(apply("threshold", flat(0.3, 0.3, 0.3), level=0.5, soft=0.0)) == pytest.approx([1.0] * 3, abs=1e-4)
    assert rgb(apply("threshold", flat(0.1, 0.1, 0.1), level=0.5, soft=0.0)) == pytest.approx([0.0] * 3, abs=1e-4)
    swapped = rgb(apply("channels", flat(0.3, 0.2, 0.1), red=(0.0, 0.0, 1.0), blue=(1.0, 0.0, 0.0)))
    assert swapped == pytest.approx([0.1, 0.2, 0.3], rel=1e-3)
    inverse = rgb(apply("channels", flat(0.3, 0.2, 0.1), invert=1.0))
    assert [encoded(c) for c in inverse] == pytest.approx([1 - encoded(c) for c in (0.3, 0.2, 0.1)], abs=1e-3)


def test_haze_gives_the_airs_light_for_what_it_takes() -> None:
    air = (0.5, 0.6, 0.7)
    even = {"all": float(np.log(2)), "thick": 0.0, "colour": air}
    assert rgb(apply("haze", flat(0.1, 0.1, 0.1), **even)) == pytest.approx([(0.1 + c) / 2 for c in air], rel=1e-3)
    assert apply("haze", flat(0.1, 0.1, 0.1, a=0.5), **even).pixels[15, 20, 3] == 0.5
    up = apply("haze", flat(0.1, 0.1, 0.1), all=0.0, thick=2.0, angle=-90.0, begin=-30.0, over=30.0, colour=air).pixels[
        ..., 2
    ]
    assert (np.diff(up[:, 0]) <= 1e-6).all() and up[0, 0] > 0.5 and up[-1, 0] == pytest.approx(0.1, abs=0.01)
