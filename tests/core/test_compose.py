from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.core.builders import MEDIA, document, layer
from tropein.core.animate.ride import Path as TrackPath
from tropein.core.compose.cache import Cache
from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.loop import render_part
from tropein.core.compose.render import Renderer
from tropein.core.compose.view import display
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.media import still
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING
from tropein.core.raster.picture import Picture, Window

SAMPLES, PLANE = "a" * 32, "b" * 32


class Painted:
    """Footage without files: the wall is a grey ramp, "spot" a white square with alpha; counts what is read."""

    def __init__(self) -> None:
        self.reads = 0

    def level(self, media: str, scale: float) -> int:
        return 0

    def read(self, media: str, index: int, level: int) -> Coded:
        self.reads += 1
        if media == MEDIA:
            pixels = np.ones((180, 320, 4), np.float32)
            pixels[..., :3] = np.linspace(0.05, 0.2, 320, dtype=np.float32)[None, :, None]
            return Coded(pixels, WORKING)
        pixels = np.zeros((40, 40, 4), np.float32)
        pixels[10:30, 10:30] = 1
        return Coded(pixels, WORKING)


CARD = np.array([[60, 40], [140, 40], [140, 120], [60, 120.0]])


def paths(name: str, spot: str = "") -> TrackPath | None:
    frames = np.arange(48.0)
    slide = np.stack([3 * frames, frames], 1)
    if name == SAMPLES:
        return TrackPath(frames, ([50, 60] + slide)[:, None], np.ones(48, bool))
    if name == PLANE:
        grown = CARD[None] * (1 + 0.01 * frames[:, None, None]) + slide[:, None] * 0.2
        return TrackPath(frames, grown, np.ones(48, bool), "homography")
    return None


def shot_with_spot(**more: Any) -> dict[str, Any]:
    spot = {"id": "spot", "name": "Spot", "kind": "still", "media": "1" * 32, "size": [40, 40], "alpha": True}
    track = {"kind": "point", "id": "nail", "name": "Nail", "footage": "wall", "samples": SAMPLES}
    sign = {
        "kind": "plane",
        "id": "sign",
        "name": "Sign",
        "footage": "wall",
        "samples": PLANE,
        "corners": CARD.tolist(),
    }
    d = document([{**layer("top"), "footage": "spot", "place": {"position": {"value": [100, 80]}, **more}}])
    d["footage"]["spot"], d["tracks"] = spot, {"nail": track, "sign": sign}
    return d


def renderer(cache: int = 64 << 20) -> Renderer:
    return Renderer(Painted(), paths, cache)  # type: ignore[arg-type]


def spot_at(picture: Picture, scale: float = 1.0) -> tuple[float, float]:
    bright = np.clip(picture.pixels[..., 0] - 0.3, 0, None)
    y, x = np.mgrid[0 : bright.shape[0], 0 : bright.shape[1]] + 0.5
    return float((bright * x).sum() / bright.sum()) / scale, float((bright * y).sum() / bright.sum()) / scale


@pytest.mark.parametrize("scale", [1.0, 0.5, 0.77])
def test_a_layer_lies_where_its_place_says_at_any_scale(scale: float) -> None:
    got = renderer().frame(load_shot(shot_with_spot()), 0, scale)
    assert spot_at(got, scale) == pytest.approx((100, 80), abs=0.15)


def test_a_ride_follows_the_track_and_never_jumps_where_it_is_tied() -> None:
    still_shot, tied = (
        load_shot(shot_with_spot()),
        load_shot(shot_with_spot(ride={"track": "nail", "reference_frame": 12})),
    )
    r = renderer()
    assert (r.frame(tied, 12).pixels == r.frame(still_shot, 12).pixels).all()
    assert spot_at(r.frame(tied, 30)) == pytest.approx((100 + 3 * 18, 80 + 18), abs=0.05)
    assert spot_at(r.frame(tied, 0)) == pytest.approx((100 - 3 * 12, 80 - 12), abs=0.05)


def test_keys_come_on_top_of_the_ride() -> None:
    position = {
        "value": [100, 80],
        "keys": [{"frame": 0, "value": [100, 80], "ease": "linear"}, {"frame": 20, "value": [120, 60]}],
    }
    tied = load_shot(shot_with_spot(ride={"track": "nail", "reference_frame": 0}, position=position))
    assert spot_at(renderer().frame(tied, 10)) == pytest.approx((110 + 30, 70 + 10), abs=0.05)


def test_four_corners_place_a_layer() -> None:
    corners = [[60, 40], [140, 50], [140, 110], [60, 120]]
    got = renderer().frame(load_shot(shot_with_spot(corners={"value": corners})), 0)
    x, y = spot_at(got)
    assert 60 < x < 140 and y == pytest.approx(80, abs=1.5)


def test_old_documents_with_fixed_corners_still_open() -> None:
    corners = [[60, 40], [140, 50], [140, 110], [60, 120]]
    old = load_shot({**shot_with_spot(corners=corners), "schema_version": 1})
    new = load_shot(shot_with_spot(corners={"value": corners}))
    assert old == new and old.schema_version == 4


def test_keyed_corners_move_between_their_keys() -> None:
    a, b = [[60, 40], [140, 40], [140, 120], [60, 120]], [[100, 40], [180, 40], [180, 120], [100, 120]]
    keys = [{"frame": 0, "value": a, "ease": "linear"}, {"frame": 10, "value": b}]
    shot = load_shot(shot_with_spot(corners={"value": a, "keys": keys}))
    assert spot_at(renderer().frame(shot, 5)) == pytest.approx((120, 80), abs=0.1)


def test_a_layer_pinned_to_a_plane_goes_with_it_in_perspective() -> None:
    ride = {"track": "sign", "reference_frame": 0, "parts": ["perspective"]}
    shot = load_shot(shot_with_spot(corners={"value": CARD.tolist()}, ride=ride))
    got = renderer().frame(shot, 20)
    assert spot_at(got) == pytest.approx(tuple(np.array([100, 80]) * 1.2 + [12, 4]), abs=0.1)
    area = float(np.clip(got.pixels[..., 0] - 0.3, 0, None).sum())
    before = float(np.clip(renderer().frame(shot, 0).pixels[..., 0] - 0.3, 0, None).sum())
    assert area / before == pytest.approx(1.2**2, rel=0.05)


def test_what_hangs_goes_where_its_carrier_goes_and_jumps_nowhere() -> None:
    d = shot_with_spot(hang={"layer": "arm", "reference_frame": 10})
    turn = {"value": 0, "keys": [{"frame": 10, "value": 0, "ease": "linear"}, {"frame": 20, "value": 90}]}
    d["layers"]["arm"] = {
        "kind": "carrier", "id": "arm", "name": "Arm", "place": {"position": {"value": [160, 80]}, "rotation": turn},
    }  # fmt: skip
    d["stack"].insert(0, "arm")
    r, shot = renderer(), load_shot(d)
    plain = load_shot(shot_with_spot())
    assert np.abs(r.frame(shot, 10).pixels - r.frame(plain, 10).pixels).max() < 1e-5
    assert spot_at(r.frame(shot, 20)) == pytest.approx((160, 20), abs=0.1)  # a quarter turn about the carrier
    d["layers"]["arm"]["place"]["hang"] = {"layer": "top"}
    with pytest.raises(BadInput, match="hang from itself"):
        load_shot(d)


def test_the_plate_cannot_ride_on_itself() -> None:
    d = shot_with_spot()
    d["layers"]["plate"]["place"]["ride"] = {"track": "nail"}
    with pytest.raises(BadInput, match="in a circle"):
        load_shot(d)


def test_what_rides_goes_along_when_the_plate_is_reframed() -> None:
    d = shot_with_spot(ride={"track": "nail", "reference_frame": 0})
    keys = [{"frame": 0, "value": [160, 90], "ease": "linear"}, {"frame": 20, "value": [120, 70]}]
    d["layers"]["plate"]["place"] = {"position": {"value": [160, 90], "keys": keys}}
    assert spot_at(renderer().frame(load_shot(d), 20)) == pytest.approx((100 + 60 - 40, 80 + 20 - 20), abs=0.1)


def test_motion_blur_spreads_what_moves_over_its_way_and_leaves_what_stands() -> None:
    position = {
        "value": [100, 80],
        "keys": [{"frame": 0, "value": [100, 80], "ease": "linear"}, {"frame": 10, "value": [300, 80]}],
    }
    r = renderer()
    still_one = load_shot(shot_with_spot(motion_blur=True))
    assert np.array_equal(r.frame(still_one, 5).pixels, r.frame(load_shot(shot_with_spot()), 5).pixels)
    got = r.frame(load_shot(shot_with_spot(position=position, motion_blur=True)), 5).pixels[80, :, 0]
    sharp = r.frame(load_shot(shot_with_spot(position=position)), 5).pixels[80, :, 0]
    wide = [int((row > 0.35).sum()) for row in (sharp, got)]
    assert wide[0] == pytest.approx(20, abs=1) and wide[1] == pytest.approx(
        20 + 10 * 0.5, abs=4
    )  # 20 px a frame, half open
    plate = r.frame(looked_at(still_one, Look(of="plate")), 0).pixels[80, :, 0]
    assert (got - plate).sum() == pytest.approx((sharp - plate).sum(), rel=0.03)  # the light is the same


def test_span_visibility_and_opacity() -> None:
    d = shot_with_spot()
    d["layers"]["top"]["span"] = [5, 9]
    r, shot = renderer(), load_shot(d)
    inside = [float(r.frame(shot, f).pixels[80, 100, 0]) > 0.5 for f in (4, 5, 9, 10)]
    assert inside == [False, True, True, False]
    d["layers"]["top"].update(span=None, opacity={"value": 0.5})
    half = r.frame(load_shot(d), 0).pixels[80, 100, 0]
    plate = r.frame(looked_at(load_shot(d), Look(of="plate")), 0).pixels[80, 100, 0]
    assert half == pytest.approx(0.5 + plate / 2, abs=1e-4)


def test_a_veil_changes_what_lies_beneath_and_nothing_above() -> None:
    d = shot_with_spot()
    veil = {
        "kind": "veil",
        "id": "veil",
        "name": "Veil",
        "effects": [{"kind": "grade", "id": "g", "exposure": {"value": -1}}],
    }
    d["layers"]["veil"] = veil
    d["stack"] = ["top", "veil", "plate"]
    r = renderer()
    below = r.frame(load_shot(d), 0)
    plain = r.frame(load_shot(shot_with_spot()), 0)
    assert below.pixels[20, 200, 0] == pytest.approx(plain.pixels[20, 200, 0] / 2, rel=2e-3)
    assert below.pixels[80, 100, 0] == pytest.approx(1.0, abs=1e-4)
    d["layers"]["veil"]["opacity"] = {"value": 0.5}
    assert r.frame(load_shot(d), 0).pixels[20, 200, 0] == pytest.approx(plain.pixels[20, 200, 0] * 0.75, rel=2e-3)


def test_what_two_steps_ask_for_is_made_once_with_no_cache_at_all() -> None:
    d = shot_with_spot()
    grade = {"kind": "grade", "id": "g", "exposure": {"value": -1}}
    veils = {
        f"v{i}": {"kind": "veil", "id": f"v{i}", "name": "Veil", "effects": [grade], "opacity": {"value": 0.5}}
        for i in range(6)
    }
    d["layers"] |= veils
    d["stack"] = ["top", *veils, "plate"]
    kept, bare = renderer(), renderer(1)
    assert np.array_equal(kept.frame(load_shot(d), 0).pixels, bare.frame(load_shot(d), 0).pixels)
    assert bare.sources.reads == 2  # type: ignore[attr-defined]  # the wall and the spot; 65 with each veil asking twice


def test_what_did_not_change_is_not_computed_again() -> None:
    r = renderer()
    d = shot_with_spot()
    r.frame(load_shot(d), 0)
    reads = r.sources.reads  # type: ignore[attr-defined]
    d["layers"]["top"]["opacity"] = {"value": 0.3}
    r.frame(load_shot(d), 0)
    assert r.sources.reads == reads  # type: ignore[attr-defined]
    first = renderer().planner(load_shot(d)).plan(0).key
    assert first == renderer().planner(load_shot(d)).plan(0).key
    d["layers"]["top"]["name"] = "Another name"
    assert first == renderer().planner(load_shot(d)).plan(0).key
    d["layers"]["top"]["opacity"] = {"value": 0.4}
    assert first != renderer().planner(load_shot(d)).plan(0).key


def test_the_cache_keeps_to_its_limit() -> None:
    cache: Cache[Picture] = Cache(100_000)
    pictures = [Picture(np.zeros((32, 32, 4), np.float32), Window(0, 0, 32, 32)) for _ in range(12)]
    for i, p in enumerate(pictures):
        cache.put(str(i), p)
        cache.get("0")
        assert cache.nbytes <= 100_000
    assert cache.get("0") is pictures[0] and cache.get("1") is None and cache.get("11") is pictures[11]
    cache.put("large", Picture(np.zeros((90, 90, 4), np.float32), Window(0, 0, 90, 90)))
    assert cache.get("large") is None


def test_views_and_variants() -> None:
    r, shot = renderer(), load_shot(shot_with_spot())
    picture = r.frame(looked_at(shot, Look(of="layer", layer="top")), 0)
    window = r.planner(shot).frame_window
    alpha = display(picture, window, "alpha")
    assert alpha[80, 100].tolist() == [255] * 3 and alpha[10, 10].tolist() == [0] * 3
    assert display(picture, window, checker=True)[10, 10, 0] > 20
    without = r.frame(looked_at(shot, Look(without="top")), 0)
    assert (without.pixels == r.frame(looked_at(shot, Look(of="plate")), 0).pixels).all()


def test_rendered_pictures_are_the_frames_that_were_asked(tmp_path: Path) -> None:
    shot = load_shot(shot_with_spot(ride={"track": "nail", "reference_frame": 0}))
    render_part(renderer(), shot, 3, 5, 0.5, "exr", tmp_path / "out_%04d.exr")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["out_0003.exr", "out_0004.exr", "out_0005.exr"]
    values = still.read(tmp_path / "out_0004.exr")[0]
    assert values.shape == (90, 160, 4)
    assert spot_at(Picture(values, Window(0, 0, 160, 90)), 0.5) == pytest.approx((112, 84), abs=0.15)
    assert np.abs(values - renderer().frame(shot, 4, 0.5).fill(Window(0, 0, 160, 90))).max() < 1e-3


def test_a_render_that_is_stopped_leaves_no_half_film(tmp_path: Path) -> None:
    def stop(frame: int) -> None:
        if frame == 4:
            raise InterruptedError

    with pytest.raises(InterruptedError):
        render_part(renderer(), load_shot(shot_with_spot()), 0, 20, 0.5, "h264", tmp_path / "film.mp4", stop)
    assert list(tmp_path.iterdir()) == []
