"""A disc with a pattern that shifts, grows and rolls before a wall; a board may pass in front of it."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.errors import BadInput
from tropein.core.interchange.table import written
from tropein.core.raster.warp import apply
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.file import parse_track
from tropein.core.track.follow import Wish, follow_object
from tropein.core.track.forms.object import ObjectFile, found_object, object_sample
from tropein.core.track.masked import MaskedColours
from tropein.core.track.object import ObjectTracker
from tropein.core.track.solid import Solid

SIZE = (400, 260)
SIDES = np.array([96.0, 96.0])


class Disc:
    def __init__(self, count: int = 20, board: range | None = None) -> None:
        self.size, self.count, self.board = SIZE, count, board
        self.skin = texture(200, 200, seed=3) // 2 + np.array([110, 20, 0], np.uint8)
        self.wall = texture(600, 400, seed=9) // 2 + np.array([0, 40, 90], np.uint8)

    def __len__(self) -> int:
        return self.count

    def truth(self, i: int) -> Box:
        centre = np.array([120 + 7.0 * i, 110 + 25 * np.sin(0.2 * i)])
        return Box(centre, SIDES * (1 + 0.015 * i), 1.2 * i)

    def rgb(self, i: int) -> np.ndarray:
        box = self.truth(i)
        to = box.matrix() @ np.diag([1 / 48, 1 / 48, 1])
        m = (to @ np.array([[1, 0, -99], [0, 1, -99], [0, 0, 1.0]]))[:2]
        disc = np.zeros((200, 200), np.float32)
        cv2.circle(disc, (99, 99), 48, 1.0, -1)
        over = cv2.warpAffine(self.skin.astype(np.float32), m, SIZE)
        mask = cv2.warpAffine(disc, m, SIZE)[..., None]
        back = cv2.warpAffine(self.wall, np.array([[1, 0, -60 - 1.5 * i], [0, 1, -50.0]]), SIZE)
        picture = back * (1 - mask) + over * mask
        if self.board and i in self.board:  # it comes in from the right and goes on to the left
            x = int(box.centre[0]) - 62 + 50 * (self.board[len(self.board) // 2] - i)
            part = texture(600, 400, seed=30)[: SIZE[1], :124]
            low, high = max(0, x), min(SIZE[0], x + 124)
            if high > low:
                picture[:, low:high] = part[:, low - x : high - x]
        return np.clip(picture + np.random.default_rng(i).normal(0, 2, picture.shape), 0, 255).astype(np.uint8)


def off(clip: Disc, found: ObjectFound) -> float:
    """Distance of the centre from the true one, in sizes of the box."""
    truth = clip.truth(found.frame)
    return float(np.linalg.norm(found.box.centre - truth.centre) / truth.sides[0])


def test_a_thing_that_moves_grows_and_rolls_is_followed_both_ways() -> None:
    clip = Disc()
    found, stopped = follow_object(clip, ObjectAnchor(8, clip.truth(8)), [], Wish((0, 19)))
    assert stopped == "" and sorted(found) == list(range(20)) and not any(f.lost for f in found.values())
    assert max(off(clip, f) for f in found.values()) < 0.03
    assert abs(np.log(found[19].box.sides[0] / clip.truth(19).sides[0])) < 0.12
    assert abs(found[19].box.angle_deg - clip.truth(19).angle_deg) < 5


def test_a_thing_that_was_covered_is_lost_then_found_again() -> None:
    clip = Disc(board=range(3, 14))  # wholly before the thing at 8
    found, _ = follow_object(clip, ObjectAnchor(0, clip.truth(0)), [], Wish((0, 19)))
    assert found[8].lost and found[8].reason == "covered or changed"
    assert not any(found[i].lost for i in range(12, 20))
    assert max(off(clip, found[i]) for i in range(12, 20)) < 0.08


def test_nothing_is_followed_across_a_cut() -> None:
    clip, other = Disc(), texture(*SIZE, seed=50)
    shown = clip.rgb
    clip.rgb = lambda i: shown(i) if i < 12 else other  # type: ignore[method-assign]
    found, why = follow_object(clip, ObjectAnchor(5, clip.truth(5)), [], Wish((0, 19)))
    assert why == "the footage is cut"
    assert [i for i, f in found.items() if f.lost] == list(range(12, 20))
    assert {found[i].reason for i in range(12, 20)} == {"the footage is cut"}


def test_a_box_set_by_hand_is_kept_exactly_and_pulls_its_neighbours() -> None:
    clip = Disc()
    truth = clip.truth(12)
    hand = Box(truth.centre + 6, truth.sides, truth.angle_deg)
    found, _ = follow_object(clip, ObjectAnchor(0, clip.truth(0)), [ObjectAnchor(12, hand)], Wish((0, 19)))
    assert np.array_equal(found[12].box.centre, hand.centre)
    assert off(clip, found[2]) < off(clip, found[11])


def ball_points(count: int, seed: int = 4) -> np.ndarray:
    """Places (n, 3) on the near side of a ball of 60 pixels."""
    flat = np.random.default_rng(seed).uniform(-0.7, 0.7, (count, 2)) * 60
    return np.c_[flat, -np.sqrt(60**2 - (flat**2).sum(1))]


def test_turning_in_depth_is_not_taken_for_moving() -> None:
    """Points on a ball that turns under a still centre, with one in six of them wrong."""
    places, rng = ball_points(90), np.random.default_rng(5)
    solid = Solid(np.array([200.0, 100]), np.array([60.0, 60]), 0.0)
    solid.add(places[:, :2] + (200, 100))
    yaw = np.radians(4)
    there = places[:, :2] + (200, 100) + rng.normal(0, 0.05, (90, 2))
    there[:, 0] += places[:, 0] * (np.cos(yaw) - 1) + places[:, 2] * np.sin(yaw)
    slid = np.median(there - solid.points, 0)
    there[::6] += rng.uniform(-9, 9, (15, 2))
    agree = solid.move(there, np.ones(90, bool))
    assert agree is not None and agree.mean() > 0.7 and np.hypot(*slid) > 2  # the texture slides by that much
    assert np.hypot(*(solid.pose.centre - (200, 100))) < 0.4 * np.hypot(*slid)


def test_a_body_that_turns_far_stays_where_it_is_and_says_how_it_rolled() -> None:
    """A ball rolls by 20 degrees, swings 40 and comes 20 % nearer over 40 frames while its centre moves along."""
    body, rng = ball_points(80), np.random.default_rng(6)
    solid = Solid(np.array([200.0, 100]), np.array([60.0, 60]), 0.0)
    solid.add(body[:, :2] + (200, 100))
    kept = np.arange(80)
    for i in range(1, 41):
        roll, yaw, size = np.radians(0.5 * i), np.radians(i), 1 + 0.005 * i
        c, s = np.cos(roll), np.sin(roll)
        turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ np.array(
            [[np.cos(yaw), 0, np.sin(yaw)], [0, 1, 0], [-np.sin(yaw), 0, np.cos(yaw)]]
        )
        centre = np.array([200 + 2.0 * i, 100 + np.sin(i / 5)])
        there = size * (body[kept] @ turn.T)[:, :2] + centre + rng.normal(0, 0.1, (len(kept), 2))
        assert solid.move(there, np.ones(len(kept), bool)) is not None
        left = {tuple(np.round(p, 9)) for p in solid.points}
        kept = np.array([k for k, p in zip(kept, there, strict=True) if tuple(np.round(p, 9)) in left])
        assert np.hypot(*(solid.pose.centre - centre)) < 4  # of 120 across, while the texture slid by up to 38
    assert abs(solid.pose.size - 1.2) < 0.03 and abs(np.degrees(solid.pose.roll) - 20) < 4


def test_a_body_without_points_enough_stays_as_it_was() -> None:
    solid = Solid(np.array([50.0, 50]), np.array([20.0, 20]), 0.3)
    assert solid.move(np.zeros((0, 2)), np.zeros(0, bool)) is None
    assert np.array_equal(solid.pose.centre, [50, 50]) and abs(solid.pose.roll - 0.3) < 1e-9


def test_what_cannot_be_followed_is_refused_in_words() -> None:
    clip = Disc()
    with pytest.raises(BadInput, match="too small"):
        ObjectTracker(clip, ObjectAnchor(0, Box(np.array([100.0, 100]), np.array([8.0, 40]))))
    with pytest.raises(BadInput, match="outside"):
        ObjectTracker(clip, ObjectAnchor(0, Box(np.array([-50.0, 100]), SIDES)))
    clip.rgb = lambda i: np.full((260, 400, 3), 90, np.uint8)  # type: ignore[method-assign]
    with pytest.raises(BadInput, match="one even colour"):
        ObjectTracker(clip, ObjectAnchor(0, clip.truth(0)))


def test_object_files_round_trip_and_carry_place_size_and_angle() -> None:
    boxes = [ObjectFound(i, Disc().truth(i), 0.9, i == 2, "covered" if i == 2 else "") for i in range(4)]
    file = parse_track(
        ObjectFile(size=SIZE, rate="24/1", reference_frame=0, frames=[object_sample(b) for b in boxes]).dumps()
    )
    assert isinstance(file, ObjectFile)
    again = found_object(file.frames[3])
    assert again is not None and np.allclose(again.box.centre, boxes[3].box.centre, atol=1e-3)
    path = file.path()
    assert list(path.good) == [True, True, False, True]
    moved = path.moved(3, 0)
    assert moved is not None
    assert np.allclose(apply(moved, boxes[0].box.centre[None]), boxes[3].box.centre, atol=1e-2)
    assert np.isclose(np.sqrt(np.linalg.det(moved[:2, :2])), 1.045, atol=1e-3)
    assert written(file).splitlines()[0] == "frame,confidence,lost,reason,x,y,width,height,angle_deg"


def test_what_a_matte_holds_out_is_wiped_from_every_channel() -> None:
    clip = Disc()
    mask = np.zeros(SIZE[::-1], bool)
    mask[60:200, 60:300] = True
    wiped = MaskedColours(clip, lambda frame: mask).rgb(0)
    busy = [np.abs(np.diff(p[100:160, 100:260].astype(float), axis=1)).mean() for p in (wiped, clip.rgb(0))]
    assert busy[0] < 0.1 * busy[1]
    assert np.array_equal(wiped[:20], clip.rgb(0)[:20])
