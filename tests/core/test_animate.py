from __future__ import annotations

import json
from pathlib import Path as File
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tropein.core.animate.ride import Path, followed
from tropein.core.animate.sample import bezier_share, sample
from tropein.core.animate.values import flat
from tropein.core.document import (
    Animated,
    AnimatedColour,
    AnimatedCorners,
    AnimatedCurve,
    AnimatedNumber,
    AnimatedVec2,
    Outline,
)
from tropein.core.raster.warp import apply, rotation, scaling, translation


def number(*keys: tuple, value: float = 0.0) -> AnimatedNumber:  # type: ignore[type-arg]
    rows = [{"frame": k[0], "value": k[1], "ease": k[2] if len(k) > 2 else "smooth"} for k in keys]
    return AnimatedNumber.model_validate({"value": value, "keys": rows})


def test_eases() -> None:
    assert sample(number(value=7.0), 3) == 7.0
    assert sample(number((0, 1.0, "hold"), (10, 5.0)), 9.99) == 1.0
    assert sample(number((0, 0.0, "linear"), (10, 5.0)), 4) == pytest.approx(2.0)
    assert sample(number((0, 0.0), (10, 8.0)), 5) == pytest.approx(4.0)
    assert sample(number((5, 2.0), (10, 8.0)), -100) == 2.0
    assert sample(number((5, 2.0), (10, 8.0)), 100) == 8.0


def test_smooth_keys_are_passed_without_stopping() -> None:
    straight = number((0, 0.0), (10, 10.0), (20, 20.0))
    speed = sample(straight, 10.5) - sample(straight, 9.5)
    assert speed == pytest.approx(1.0, abs=0.05)


@given(st.lists(st.floats(-100, 100), min_size=2, max_size=6), st.floats(0, 1))
def test_smooth_never_overshoots_its_keys(values: list[float], share: float) -> None:
    p = number(*[(i * 7, v) for i, v in enumerate(values)])
    at = share * 7 * (len(values) - 1)
    i = min(int(at // 7), len(values) - 2)
    low, high = sorted(values[i : i + 2])
    assert low - 1e-6 <= sample(p, at) <= high + 1e-6


def test_a_bezier_ease_runs_on_its_curve() -> None:
    assert bezier_share((0.25, 0.25, 0.75, 0.75), 0.3) == pytest.approx(0.3, abs=1e-6)
    assert bezier_share((0.42, 0.0, 0.58, 1.0), 0.5) == pytest.approx(0.5, abs=1e-6)
    assert bezier_share((0.42, 0.0, 0.58, 1.0), 0.2) < 0.12


def test_vectors_are_sampled_by_component() -> None:
    p = AnimatedVec2.model_validate(
        {"value": [0, 0], "keys": [{"frame": 0, "value": [0, 10], "ease": "linear"}, {"frame": 4, "value": [8, 2]}]}
    )
    assert sample(p, 1) == pytest.approx((2, 8))


def test_the_page_samples_as_the_core_does() -> None:
    """web/src/document/animate.test.ts reads the same numbers."""
    cases = json.loads((File(__file__).parents[2] / "web/src/document/animate.cases.json").read_text())
    kinds = {
        "number": AnimatedNumber, "pair": AnimatedVec2, "colour": AnimatedColour, "corners": AnimatedCorners,
        "curve": AnimatedCurve, "outline": Animated[Outline],
    }  # fmt: skip
    assert {case["kind"] for case in cases} == set(kinds)
    for case in cases:
        kind: Any = kinds[case["kind"]]
        value = {"value": case["value"], "keys": []}
        got = sample(kind.model_validate(case["parameter"]), case["frame"])
        assert flat(got)[0] == pytest.approx(flat(kind.model_validate(value).value)[0], abs=1e-9), case["kind"]


def track(lost: tuple[int, ...] = ()) -> Path:
    frames = np.arange(10.0)
    return Path(frames, np.stack([frames * 3, frames * -2], 1)[:, None], ~np.isin(frames, lost))


def shift(path: Path, frame: float, reference: float, steady: float = 0, gaps: str = "bridge") -> list[float] | None:
    m = path.moved(frame, reference, steady, gaps)
    return None if m is None else [float(m[0, 2]), float(m[1, 2])]


def test_a_ride_is_nothing_at_its_reference_frame() -> None:
    for steady in (0.0, 2.0):
        assert shift(track(), 4, 4, steady) == [0, 0]
    corners = np.array([[0, 0], [10, 0], [11, 9], [0, 10.0]])
    plane = Path(np.arange(2.0), np.stack([corners, corners * 2]), np.ones(2, bool), "homography")
    assert np.array_equal(plane.moved(1, 1), np.eye(3))


def test_a_ride_follows_and_bridges_lost_frames() -> None:
    assert shift(track(), 7, 2) == pytest.approx([15, -10])
    assert shift(track((4, 5, 6)), 5, 0) == pytest.approx([15, -10])
    assert shift(track((4, 5, 6)), 5, 0, gaps="hold") == pytest.approx([9, -6])
    assert shift(track((4, 5, 6)), 5, 0, gaps="hide") is None
    assert shift(track((4, 5, 6)), 7, 0, gaps="hide") == pytest.approx([21, -14])


def test_two_points_give_turn_and_size_and_parts_of_it_can_be_followed() -> None:
    motion = translation(40, 10) @ rotation(30) @ scaling(2, 2)
    before = np.array([[0, 0], [10, 0], [3, 8.0]])
    path = Path(np.arange(2.0), np.stack([before, apply(motion, before)]), np.ones(2, bool), "similarity")
    whole = path.moved(1, 0)
    assert whole is not None and np.allclose(whole, motion)
    about = np.array([5.0, 5.0])
    goes = apply(motion, about[None])[0]
    assert np.allclose(followed(whole, ["position"], about), translation(*(goes - about)))
    turned = followed(whole, ["rotation"], about)
    assert np.allclose(apply(turned, about[None])[0], about) and np.allclose(turned[:2, :2], rotation(30)[:2, :2])
    assert np.allclose(followed(whole, ["position", "rotation", "scale"], about), motion)


def test_of_a_plane_the_local_turn_and_size_are_followed_without_perspective() -> None:
    square = np.array([[0, 0], [100, 0], [100, 100], [0, 100.0]])
    plane = Path(np.arange(2.0), np.stack([square, square * 1.5 + [20, 0]]), np.ones(2, bool), "homography")
    whole = plane.moved(1, 0)
    assert whole is not None
    about = np.array([50.0, 50.0])
    assert np.allclose(followed(whole, ["perspective"], about), whole)
    assert np.allclose(followed(whole, ["position", "scale"], about), translation(20, 0) @ scaling(1.5, 1.5), atol=1e-4)


def test_a_gap_is_coasted_through_with_the_speed_at_its_ends() -> None:
    frames = np.arange(30.0)
    truth = np.stack([3 * frames, 0.2 * (frames - 15) ** 2], 1)
    good = (frames < 10) | (frames >= 20)
    path = Path(frames, np.where(good[:, None], truth, 0)[:, None], good)
    straight, coasting = (np.array([path.at(f, 0, gaps)[0] for f in range(30)]) for gaps in ("bridge", "coast"))
    assert np.abs(coasting - truth).max() < 2.5 < np.abs(straight - truth).max() / 2
    assert np.allclose(coasting[good], truth[good])
    assert path.at(31, 0, "coast")[0][0] == pytest.approx(93, abs=0.01)  # and on beyond the end


def test_a_gap_is_carried_by_the_motion_of_another_track() -> None:
    frames = np.arange(30.0)
    sway = np.stack([20 * np.sin(frames / 4), 8 * np.cos(frames / 3)], 1)
    good = (frames < 8) | (frames > 22)
    lost = Path(frames, (sway + 100)[:, None], good)
    other = Path(frames, (sway - 40)[:, None], np.ones(30, bool))
    filled = lost.filled_by(other)
    assert filled.good.all() and np.allclose(filled.points[:, 0], sway + 100, atol=1e-9)
    assert not lost.good.all()  # the track itself is left as it was
    assert lost.filled_by(Path(frames, (sway - 40)[:, None], np.zeros(30, bool))).good.sum() == good.sum()
