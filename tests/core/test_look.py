"""Generated pictures, and effects that bend, smear and break: known answers, light that is kept, the same from any frame and at any scale."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tropein.core.contents.clouds import CloudsContent
from tropein.core.contents.fill import FillContent
from tropein.core.contents.gradient import LinearGradient, RoundGradient
from tropein.core.document.content import ContentBase
from tropein.core.document.effect import EFFECTS
from tropein.core.effects import run, sampled
from tropein.core.raster.colour import to_display
from tropein.core.raster.grain import fractal
from tropein.core.raster.picture import Picture, Window


def applied(kind: str, picture: Picture, scale: float = 1.0, frame: float = 0.0, **values: Any) -> Picture:
    given = {name: {"value": value} for name, value in values.items()}
    effect = EFFECTS.of(kind).model_validate({"kind": kind, "id": "e", **given})
    return run(kind, picture, sampled(effect, frame), scale)


def drawn(
    cls: type[ContentBase],
    size: tuple[int, int] = (320, 180),
    scale: float = 1.0,
    frame: float = 0.0,
    **values: Any,
) -> Picture:
    content = cls.model_validate(
        {"kind": cls.model_fields["kind"].default, **{n: {"value": v} for n, v in values.items()}}
    )
    window = Window(0, 0, round(size[0] * scale), round(size[1] * scale))
    return content.draw(sampled(content, frame), window, scale)


def scene(width: int = 320, height: int = 180) -> Picture:
    """A covering picture with detail at several sizes."""
    channels = [fractal(width, height, 60, seed=seed, octaves=4) * 0.5 + 0.4 for seed in range(3)]
    pixels = np.dstack([*channels, np.ones((height, width), np.float32)])
    return Picture(np.ascontiguousarray(np.clip(pixels, 0, 1), np.float32), Window(0, 0, width, height))


def dot(x: int = 60, y: int = 40) -> Picture:
    pixels = np.zeros((80, 120, 4), np.float32)
    pixels[y - 1 : y + 2, x - 1 : x + 2] = [0.9, 0.5, 0.1, 1]
    return Picture(pixels, Window(0, 0, 120, 80))


def reduced(picture: Picture) -> np.ndarray:
    h, w = picture.pixels.shape[:2]
    return cv2.resize(picture.pixels, (w // 2, h // 2), interpolation=cv2.INTER_AREA)


def display_error(a: np.ndarray, b: np.ndarray) -> float:
    seen = [to_display(np.ascontiguousarray(p), np.uint16).astype(float) / 65535 for p in (a, b)]
    return float(np.abs(seen[0] - seen[1]).mean())


@pytest.mark.parametrize("angle", [0.0, 90.0, 33.0])
def test_a_smear_spreads_light_evenly_along_its_way_and_keeps_it(angle: float) -> None:
    before, after = dot(), applied("smear", dot(), length=32.0, angle=angle)
    assert after.pixels.sum((0, 1)) == pytest.approx(before.pixels.sum((0, 1)), rel=2e-3)
    y, x = np.mgrid[after.window.y0 : after.window.y1, after.window.x0 : after.window.x1] + 0.5
    light, turn = after.pixels[..., 3], np.radians(angle)
    along, across = (
        (x - 60.5) * np.cos(turn) + (y - 40.5) * np.sin(turn),
        (y - 40.5) * np.cos(turn) - (x - 60.5) * np.sin(turn),
    )
    assert (light * along).sum() / light.sum() == pytest.approx(0, abs=0.05)
    assert (light * along**2).sum() / light.sum() == pytest.approx(32**2 / 12 + 9 / 12, rel=0.06)  # of an even spread
    assert (light * across**2).sum() / light.sum() < 2.0
    if angle == 0.0:
        row = light[41 - after.window.y0 - 1, 60 - 12 - after.window.x0 : 60 + 12 - after.window.x0]
        assert row.std() / row.mean() < 0.05


def test_a_zoom_blur_leaves_its_centre_and_spins_about_it() -> None:
    picture = scene()
    zoomed = applied("zoom-blur", picture, centre=[160.0, 90.0], grow=0.3)
    assert np.abs(zoomed.pixels[88:92, 158:162] - picture.pixels[88:92, 158:162]).max() < 0.02
    away = np.abs(zoomed.pixels - picture.pixels).mean(2)
    assert away[:20, :20].mean() > 5 * away[85:95, 155:165].mean()
    ring = np.zeros((180, 320, 4), np.float32)
    y, x = np.mgrid[0:180, 0:320] + 0.5
    far = np.hypot(x - 160, y - 90)
    ring[(far > 50) & (far < 60)] = 1
    spun = applied("zoom-blur", Picture(ring, Window(0, 0, 320, 180)), centre=[160.0, 90.0], grow=0.0, turn=40.0)
    inside = spun.fill(Window(0, 0, 320, 180))
    assert inside[(far > 53) & (far < 57), 3].min() > 0.97 and inside[(far > 65) | (far < 45), 3].max() < 0.02


def test_channels_are_split_by_what_is_said() -> None:
    picture = applied("split", dot(), red=[-5.0, 0.0], green=[0.0, 2.0], blue=[7.0, -3.0])
    whole = picture.fill(Window(0, 0, 120, 80))
    for c, (x, y, value) in enumerate(((55, 40, 0.9), (60, 42, 0.5), (67, 37, 0.1))):
        assert whole[y, x, c] == pytest.approx(value, abs=1e-5) and whole[..., c].sum() == pytest.approx(
            9 * value, rel=1e-4
        )
        assert whole[y, x, 3] == pytest.approx(1, abs=1e-5)
    assert applied("split", dot(), red=[0.0, 0.0], blue=[0.0, 0.0]).pixels.sum() == dot().pixels.sum()


def test_blocks_come_in_bursts_that_are_held_and_need_no_frame_before() -> None:
    picture = scene()
    bursts = [
        not np.array_equal(applied("blocks", picture, frame=f, often=0.5, hold=3.0).pixels, picture.pixels)
        for f in range(60)
    ]
    assert all(len(set(bursts[i : i + 3])) == 1 for i in range(0, 60, 3)) and 6 <= sum(bursts[::3]) <= 14
    torn = applied("blocks", picture, frame=7, often=1.0, torn=0.25, far=40.0, width=32.0, height=10.0)
    moved = (np.abs(torn.pixels - picture.pixels).max(2) > 0).reshape(18, 10, 10, 32).any((1, 3))
    assert 0.1 < moved.mean() < 0.4
    small = applied("blocks", Picture(reduced(picture), Window(0, 0, 160, 90)), 0.5, frame=7, often=1.0, torn=0.25, far=40.0, width=32.0, height=10.0)  # fmt: skip
    assert display_error(small.pixels, reduced(torn)) < 0.01  # the same blocks go the same way


def test_waves_push_each_line_as_far_as_the_sine_says() -> None:
    ramp = np.ones((96, 200, 4), np.float32)
    ramp[..., :3] = (np.arange(200, dtype=np.float32) / 200)[None, :, None]
    out = applied(
        "waves", Picture(ramp, Window(0, 0, 200, 96)), height=10.0, length=48.0, angle=0.0, speed=0.5, frame=12.0
    )
    turn = (np.arange(96) + 0.5) / 48 + 0.25
    np.testing.assert_allclose(out.pixels[:, 100, 0], (100 + 10 * np.sin(2 * np.pi * turn)) / 200, atol=1e-3)
    stepped = applied("waves", Picture(ramp, Window(0, 0, 200, 96)), height=10.0, length=48.0, steps=4.0, speed=0.0)
    assert len(np.unique(stepped.pixels[:, 100, 0].round(4))) == 3  # up, down, and twice the middle


def test_turbulence_bends_no_farther_than_it_says_and_moves() -> None:
    ramp = np.ones((180, 320, 4), np.float32)
    ramp[..., 0] = np.arange(320, dtype=np.float32) / 320
    picture = Picture(ramp, Window(0, 0, 320, 180))
    out = applied("turbulence", picture, amount=6.0, size=60.0, detail=3.0, frame=5.0)
    far = (out.pixels[20:-20, 20:-20, 0] - ramp[20:-20, 20:-20, 0]) * 320
    assert 0.5 < far.std() < 6 and np.abs(far).max() < 12.1
    assert not np.array_equal(
        out.pixels, applied("turbulence", picture, amount=6.0, size=60.0, detail=3.0, frame=6.0).pixels
    )
    assert np.array_equal(
        out.pixels, applied("turbulence", picture, amount=6.0, size=60.0, detail=3.0, frame=5.0).pixels
    )
    assert applied("turbulence", picture, amount=0.0) is picture


def test_a_vignette_is_clear_in_the_middle_and_as_dark_in_the_corners_as_it_says() -> None:
    white = Picture(np.ones((181, 321, 4), np.float32), Window(0, 0, 321, 181))
    dark = applied("vignette", white, stops=2.0, size=0.5, soft=0.5).pixels
    assert dark[90, 160, 0] == 1 and dark[0, 0, 0] == pytest.approx(0.25, rel=1e-3) and dark[..., 3].min() == 1
    assert dark[90, 0, 0] == pytest.approx(0.25, rel=0.05) and dark[0, 160, 0] == pytest.approx(0.25, rel=0.05)
    round_ = applied("vignette", white, stops=2.0, size=0.5, soft=0.5, round=1.0).pixels
    assert round_[90, 160 - 60, 0] == pytest.approx(round_[90 - 60, 160, 0], rel=1e-3)


SAMPLES = {
    "smear": {"length": 24.0, "angle": 20.0}, "zoom-blur": {"centre": [100.0, 60.0], "grow": 0.2, "turn": 5.0},
    "split": {"red": [-6.0, 2.0], "blue": [5.0, 0.0]}, "waves": {"height": 8.0, "length": 50.0},
    "turbulence": {"amount": 6.0, "size": 80.0}, "vignette": {"stops": 1.5},
}  # fmt: skip


@pytest.mark.parametrize("kind", SAMPLES)
def test_a_preview_looks_as_the_final_picture_does(kind: str) -> None:
    picture, values = scene(640, 360), SAMPLES[kind]
    full = applied(kind, picture, frame=9, **values)
    own = np.diag([2.0, 2.0, 1.0]).tolist()
    effect = EFFECTS.of(kind).model_validate({"kind": kind, "id": "e", **{n: {"value": v} for n, v in values.items()}})
    given = sampled(effect, 9) | ({"own": own} if kind == "zoom-blur" else {})
    small = run(kind, Picture(reduced(picture), Window(0, 0, 320, 180)), given, 0.5)
    assert display_error(small.pixels, reduced(full)) < 0.006
    assert small.pixels.mean() == pytest.approx(full.pixels.mean(), rel=0.01)


def test_gradients_run_from_one_colour_to_the_other_evenly_to_the_eye() -> None:
    ends = {"first": [0.0, 0.0, 0.0], "last": [1.0, 0.25, 0.0], "last_cover": 0.5}
    line = drawn(LinearGradient, start=[0.0, 20.0], end=[0.0, 160.0], **ends)
    assert np.array_equal(line.pixels[:20], np.broadcast_to([0, 0, 0, 1], (20, 320, 4)))
    np.testing.assert_allclose(
        line.pixels[161:], np.broadcast_to(np.float32([0.5, 0.125, 0, 0.5]), (19, 320, 4)), atol=1e-4
    )
    shown = to_display(np.ascontiguousarray(line.pixels / line.pixels[..., 3:]), np.uint16)[..., 0] / 65535
    np.testing.assert_allclose(shown[:, 7], np.clip((np.arange(180) + 0.5 - 20) / 140, 0, 1), atol=2e-3)
    ball = drawn(RoundGradient, centre=[160.0, 90.0], inner=20.0, outer=60.0, **ends)
    y, x = np.mgrid[0:180, 0:320] + 0.5
    far = np.hypot(x - 160, y - 90)
    assert ball.pixels[far < 20, 3].min() == 1 and np.allclose(ball.pixels[far > 60.1, 3], 0.5, atol=1e-6)
    half = drawn(RoundGradient, scale=0.5, centre=[160.0, 90.0], inner=20.0, outer=60.0, **ends)
    assert display_error(half.pixels, reduced(ball)) < 0.002


def test_clouds_drift_as_far_as_they_are_told_and_look_alike_at_any_size() -> None:
    values = {"billow": 60.0, "stretch": 2.0, "boil": 0.0, "drift": [24.0, -48.0], "ridges": 0.3}
    first, later = drawn(CloudsContent, frame=0, **values), drawn(CloudsContent, frame=10, **values)
    np.testing.assert_allclose(later.pixels[20:140, 30:300], first.pixels[40:160, 20:290], atol=2e-3)
    assert first.pixels[..., 3].std() > 0.02 and (first.pixels[..., :3] <= first.pixels[..., 3:] + 1e-6).all()
    boiled = drawn(CloudsContent, frame=10, **(values | {"boil": 1.0, "drift": [0.0, 0.0]}))
    assert not np.allclose(boiled.pixels, first.pixels, atol=0.02)
    large = drawn(CloudsContent, (640, 360), **values)
    assert display_error(drawn(CloudsContent, (640, 360), 0.5, **values).pixels, reduced(large)) < 0.006
    fill = drawn(FillContent, colour=[0.2, 0.4, 2.0], cover=0.5).pixels
    assert np.allclose(fill, np.float32([0.1, 0.2, 1.0, 0.5])) and fill.shape == (180, 320, 4)
