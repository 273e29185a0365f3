"""A matte by distance: the floor of a solved scene, seen by a camera that is known."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.builders import document
from tests.core.test_compose import Painted
from tropein.core.animate import camera
from tropein.core.animate.ride import Path
from tropein.core.compose.places import Places
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.matte.distance import coverage
from tropein.core.raster.floor import contact_shadow, floor_hit

FOCAL, CENTRE = 300.0, np.array([160.0, 90.0])
UP = 50.0  # the camera stands so high over the floor and looks level


def along_floor(*arguments: Any) -> np.ndarray:
    return floor_hit(*arguments)[2]


def pose(turn_deg: float = 0.0) -> np.ndarray:
    """Tilted down by some degrees; y is down, so the eye is at y = -UP."""
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    m = np.eye(4)
    m[:3, :3] = np.array([[1, 0, 0], [0, c, -s], [0, s, c]])
    m[:3, 3] = -m[:3, :3] @ (0, -UP, 0)
    return m


def paths(name: str, spot: str = "") -> Path | None:
    numbers = camera.numbers(pose(), FOCAL, CENTRE)
    return Path(np.arange(48.0), np.repeat(numbers[None], 48, 0), np.ones(48, bool))


def test_the_floor_is_as_far_as_a_level_camera_sees_it() -> None:
    far = along_floor(pose(), FOCAL, CENTRE, 0.0, np.eye(3), (0, 0), (320, 180))
    assert np.isinf(far[:90]).all()  # above the horizon
    for row in (100, 130, 170):
        down = (row + 0.5 - 90) / FOCAL
        ahead = UP / down
        assert far[row, 160] == pytest.approx(np.hypot(UP, ahead), rel=1e-3)
    assert far[130, 10] > far[130, 160]  # to the side it is farther
    raised = along_floor(pose(), FOCAL, CENTRE, 25.0, np.eye(3), (0, 0), (320, 180))
    assert raised[130, 160] == pytest.approx(far[130, 160] / 2, rel=1e-3)


def test_parts_of_a_picture_and_other_sizes_of_it_agree() -> None:
    whole = along_floor(pose(12), FOCAL, CENTRE, 0.0, np.eye(3), (0, 0), (320, 180))
    part = along_floor(pose(12), FOCAL, CENTRE, 0.0, np.eye(3), (40, 100), (50, 30))
    assert part == pytest.approx(whole[100:130, 40:90])
    half = along_floor(pose(12), FOCAL, CENTRE, 0.0, np.diag([2.0, 2.0, 1.0]), (0, 0), (160, 90))
    assert half[60, 80] == pytest.approx(whole[120:122, 160:162].mean(), rel=0.01)


def test_coverage_runs_from_near_to_far_or_back() -> None:
    at = np.array([[50.0, 100, 150, 200, np.inf]], np.float32)
    assert coverage(at, 100, 200)[0] == pytest.approx([0, 0, 0.5, 1, 1])
    assert coverage(at, 200, 100)[0] == pytest.approx([1, 1, 0.5, 0, 0])
    assert coverage(at, 150, 150)[0] == pytest.approx([0, 0, 1, 1, 1])


def with_distance(**more: Any) -> dict[str, Any]:
    track = {"kind": "camera", "id": "cam", "name": "Camera", "footage": "wall", "samples": "c" * 32}
    piece = {
        "kind": "distance",
        "id": "p",
        "name": "Far",
        "track": "cam",
        "near": {"value": 100},
        "far": {"value": 300},
    }
    return document(tracks={"cam": track}, mattes={"m": {"id": "m", "name": "Far", "pieces": [piece | more]}})


def test_a_matte_of_what_is_far_goes_along_when_the_plate_is_reframed() -> None:
    renderer = Renderer(Painted(), paths, 1 << 24)  # type: ignore[arg-type]
    plain = renderer.matte(load_shot(with_distance()), "m", 0).plane
    t = (np.hypot(UP, UP * FOCAL / 89.5) - 100) / 200  # the last row
    assert plain[:88].min() == 1 and plain[179, 160] == pytest.approx(t * t * (3 - 2 * t), abs=1e-3)
    assert (np.diff(plain[92:, 160]) <= 1e-6).all()
    d = with_distance()
    d["layers"]["plate"]["place"]["position"] = {"value": [160, 60]}  # 30 up
    moved = renderer.matte(load_shot(d), "m", 0).plane
    assert moved[:150] == pytest.approx(plain[30:], abs=1e-5)


def test_a_distance_needs_a_camera() -> None:
    with pytest.raises(BadInput, match="measures from the camera of a track that is not"):
        load_shot(with_distance(track="gone"))


def test_a_ray_meets_the_floor_where_the_camera_sees_that_place() -> None:
    x, z, _ = floor_hit(pose(12), FOCAL, CENTRE, 0.0, np.eye(3), (0, 0), (320, 180))
    for row, column in ((100, 30), (150, 300)):
        seen = pose(12) @ (x[row, column], 0, z[row, column], 1)
        assert FOCAL * seen[:2] / seen[2] + CENTRE == pytest.approx((column + 0.5, row + 0.5))


def test_a_shadow_is_darkest_along_the_foot_and_fainter_the_higher_it_hangs() -> None:
    x, z = np.meshgrid(np.linspace(-100, 100, 201), np.linspace(-100, 100, 201))
    foot, way = np.array([10.0, 0.0]), np.array([40.0, 0.0])
    lying = contact_shadow(x, z, foot, way, 0.0, 10.0)
    assert lying[100, 70:150] == pytest.approx(np.ones(80))  # the foot lies from -30 to 50
    assert lying[110, 110] == pytest.approx(np.exp(-0.5)) and lying[100, 160 + 20] < lying[100, 160]
    raised = contact_shadow(x, z, foot, way, 40.0, 10.0)
    assert raised[100, 110] == pytest.approx(1 / 3) and raised[130, 110] > lying[130, 110]


def standing(**depth: Any) -> np.ndarray:
    """A card that stands on the floor, 200 before the camera, its picture as the frame shows it."""
    card = {"track": "cam", "position": {"value": [0, -20, 200]}, "width": {"value": 40}} | depth
    still = {"id": "spot", "name": "Spot", "kind": "still", "media": "1" * 32, "size": [40, 40], "alpha": True}
    d = document(
        [{"kind": "footage", "id": "top", "name": "top", "footage": "spot", "place": {"depth": card}}],
        tracks=with_distance()["tracks"],
    )
    d["footage"]["spot"] = still
    return Renderer(Painted(), paths, 1 << 24).frame(load_shot(d), 0).pixels[..., 0]  # type: ignore[arg-type]


def test_a_card_that_stands_in_a_scene_darkens_the_floor_about_its_foot_and_nothing_else() -> None:
    plain, dark = standing(), standing(shadow={"value": 0.8}, shadow_soft={"value": 8})
    share = dark / plain
    row = int(90 + FOCAL * UP / 200)  # where the floor is 200 away
    assert share[row + 1, 140] < 0.35 and share[row + 1, 40] > 0.97
    assert share[:85] == pytest.approx(np.ones((85, 320))) and share[175, 160] > 0.9
    assert standing(shadow={"value": 0.8}, track=None) == pytest.approx(standing(track=None))  # no floor is known there


def test_a_camera_with_lost_frames_is_not_bridged_by_another_track() -> None:
    """What fills the gaps of points in the picture would make nonsense of a camera's own numbers."""
    d = with_distance()
    d["tracks"]["cam"]["bridge"] = "nail"
    d["tracks"]["nail"] = {"kind": "point", "id": "nail", "name": "Nail", "footage": "wall", "samples": "d" * 32}

    def with_gap(name: str, spot: str = "") -> Path | None:
        if name == "d" * 32:
            return Path(np.arange(48.0), np.arange(48.0)[:, None, None] * [[3.0, 1.0]], np.ones(48, bool))
        path = paths(name, spot)
        assert path is not None
        return Path(path.frames, path.points, path.frames != 10, path.model)

    found = Places(load_shot(d), with_gap).solved("cam", 10)
    assert found is not None and found.focal == pytest.approx(FOCAL) and found.pose == pytest.approx(pose())
