"""Pivots and effect centres that ride, footage at its own speed, and paths in the shot's time."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.builders import document, layer
from tests.core.test_compose import SAMPLES, paths, renderer, shot_with_spot, spot_at
from tropein.core.compose.places import Places
from tropein.core.compose.timing import footage_frame, shot_frame
from tropein.core.document import Layer, Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.raster.warp import apply

NAIL = {"kind": "point", "id": "nail", "name": "Nail", "footage": "wall", "samples": SAMPLES}


def matrix(shot: Shot, frame: float, name: str = "top") -> np.ndarray:
    one = shot.layers[name]
    found = Places(shot, paths).matrix(one, frame)
    assert found is not None
    return found


def copy_of_the_wall(**place: Any) -> Shot:
    """The plate again, over itself, its pivot at (50, 60), where the nail is at frame 0."""
    about = {"position": {"value": [50, 60]}, "pivot": {"value": [50 - 160, 60 - 90]}}
    return load_shot(document([layer("top", place=about | place)], tracks={"nail": NAIL}))


def test_a_riding_pivot_leaves_the_picture_where_it_is() -> None:
    shot = copy_of_the_wall(pivot_ride={"track": "nail"})
    for frame in (0, 10, 30):
        assert matrix(shot, frame) == pytest.approx(np.eye(3), abs=1e-9)


def test_a_picture_turns_and_grows_about_its_riding_pivot() -> None:
    turn = {"rotation": {"value": 90}, "scale": {"value": [2, 2]}}
    shot = copy_of_the_wall(pivot_ride={"track": "nail"}, **turn)
    at_20 = np.array([50 + 60, 60 + 20.0])  # where the nail is
    assert apply(matrix(shot, 20), at_20[None])[0] == pytest.approx(at_20, abs=1e-6)
    assert apply(matrix(shot, 20), at_20[None] + (5, 0))[0] == pytest.approx(at_20 + (0, 10), abs=1e-6)
    still = copy_of_the_wall(**turn)
    assert apply(matrix(still, 20), np.array([[50, 60.0]]))[0] == pytest.approx((50, 60), abs=1e-6)


def test_the_pivot_of_the_plate_does_not_ride_nor_does_anything_on_a_track_that_is_not_there() -> None:
    d = document(tracks={"nail": NAIL})
    d["layers"]["plate"]["place"]["pivot_ride"] = {"track": "nail"}
    with pytest.raises(BadInput, match="plate"):
        load_shot(d)
    light = {"kind": "light", "id": "e", "ride": {"track": "gone"}}
    with pytest.raises(BadInput, match="effect"):
        load_shot(document([{"kind": "veil", "id": "v", "name": "v", "effects": [light]}]))


def lit(ride: dict[str, Any] | None, **place: Any) -> Shot:
    """A round light on a veil over the grey wall, and on a copy of the wall that lies elsewhere."""
    light = {
        "kind": "light", "id": "e", "centre": {"value": [50, 60]}, "inner": {"value": 10}, "outer": {"value": 30},
        "strength": {"value": 8}, "colour": {"value": [1, 1, 1]}, "ride": ride,
    }  # fmt: skip
    if place:
        return load_shot(document([layer("top", place=place, effects=[light])], tracks={"nail": NAIL}))
    return load_shot(document([{"kind": "veil", "id": "v", "name": "v", "effects": [light]}], tracks={"nail": NAIL}))


def brightest(shot: Shot, frame: int, scale: float = 1.0) -> tuple[float, float]:
    dark = load_shot(document())
    gain = renderer().frame(shot, frame, scale).pixels[..., 0] / renderer().frame(dark, frame, scale).pixels[..., 0]
    y, x = np.nonzero(gain > 5)
    return float(x.mean() + 0.5) / scale, float(y.mean() + 0.5) / scale


@pytest.mark.parametrize("scale", [1.0, 0.5])
def test_the_centre_of_an_effect_rides(scale: float) -> None:
    assert brightest(lit({"track": "nail"}), 0, scale) == pytest.approx((50, 60), abs=0.6)
    assert brightest(lit({"track": "nail"}), 20, scale) == pytest.approx((110, 80), abs=0.6)
    assert brightest(lit(None), 20, scale) == pytest.approx((50, 60), abs=0.6)


def test_the_centre_of_an_effect_is_a_place_in_the_shot_however_the_layer_lies() -> None:
    moved = lit({"track": "nail"}, position={"value": [200, 90]}, rotation={"value": 30})
    picture = renderer().frame(moved, 10).pixels[..., 0]
    y, x = np.unravel_index(int(picture.argmax()), picture.shape)
    assert np.hypot(x - 80, y - 70) < 14  # in the flat middle of the light, which lies over the nail


def test_light_falls_off_between_its_radii_and_keeps_alpha() -> None:
    shot, dark = lit(None), load_shot(document())
    gain = renderer().frame(shot, 0).pixels[60, :, 0] / renderer().frame(dark, 0).pixels[60, :, 0]
    assert gain[55] == pytest.approx(9, rel=1e-4) and gain[100] == pytest.approx(1, rel=1e-4)
    t = (30 - np.hypot(20.5, 0.5)) / 20
    assert gain[70] == pytest.approx(1 + 8 * t * t * (3 - 2 * t), rel=1e-4)
    assert (renderer().frame(shot, 0).pixels[..., 3] == 1).all()


def timed(**more: Any) -> tuple[Shot, Layer]:
    shot = load_shot(document([layer("top", **more)]))
    top = shot.layers["top"]
    return shot, top


def test_speed_runs_footage_faster_slower_and_backwards() -> None:
    def at(frames: list[int], **more: Any) -> list[int | None]:
        return [footage_frame(*timed(**more), f) for f in frames]

    assert at([0, 5, 10], start=5) == [0, 0, 5]
    assert at([5, 6, 10], start=5, speed={"value": 2}) == [0, 2, 10]
    assert at([0, 1, 2, 3], speed={"value": 0.5}) == [0, 0, 1, 1]
    assert at([0, 1, 47], speed={"value": -1}) == [47, 46, 0]
    assert at([30], speed={"value": 4}, end="loop") == [120 % 48]
    assert at([30], speed={"value": 4}, end="nothing") == [None]


def test_a_keyed_speed_travels_as_far_as_its_curve_encloses() -> None:
    keys = [{"frame": 0, "value": 0, "ease": "linear"}, {"frame": 20, "value": 2, "ease": "linear"}]
    shot, top = timed(speed={"value": 1, "keys": keys})
    assert (
        footage_frame(shot, top, 10) == 5 and footage_frame(shot, top, 20) == 20 and footage_frame(shot, top, 25) == 30
    )
    assert [shot_frame(shot, top, i) for i in (5, 20)] == [10, 20]


def test_what_rides_on_the_plate_follows_its_pictures_when_it_starts_later_or_runs_slower() -> None:
    for change, at in (({"start": 10}, 30), ({"speed": {"value": 0.5}}, 40)):
        d = shot_with_spot(ride={"track": "nail", "reference_frame": 10})
        d["layers"]["plate"] |= change
        shot = load_shot(d)
        here, there = (footage_frame(shot, shot.layers["plate"], f) for f in (at, 10))  # type: ignore[arg-type]
        assert here is not None and there is not None
        went = here - there
        assert spot_at(renderer().frame(shot, at)) == pytest.approx((100 + 3 * went, 80 + went), abs=0.05)


def test_a_shake_moves_every_frame_the_same_at_every_render_and_shows_no_edge() -> None:
    shake = {"kind": "shake", "id": "s", "strength": {"value": 20}, "turn": {"value": 2}}
    shot = load_shot(document([{"kind": "veil", "id": "v", "name": "v", "effects": [shake]}]))
    frames = [renderer().frame(shot, f).pixels for f in range(6)]
    assert all((a[..., 3] > 0.99).all() for a in frames)
    assert (renderer().frame(shot, 3).pixels == frames[3]).all()
    middle = [float(f[90, 160, 0]) for f in frames]  # a ramp: brightness is place
    assert np.std(middle) > 0.001
    shake["strength"], shake["turn"] = {"value": 0}, {"value": 0}
    still = load_shot(document([{"kind": "veil", "id": "v", "name": "v", "effects": [shake]}]))
    assert (renderer().frame(still, 3).pixels == renderer().frame(load_shot(document()), 3).pixels).all()
