from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.errors import BadInput
from tropein.core.raster.warp import apply
from tropein.core.track.file import parse_track
from tropein.core.track.follow import Wish, follow_plane
from tropein.core.track.forms.plane import PlaneFile, found_plane, plane_sample
from tropein.core.track.plane import PlaneAnchor, check_corners

SIZE = (400, 260)
CARD = np.array([[90, 60], [310, 50], [320, 210], [80, 200.0]])


class Card:
    """A textured card that turns in depth before a wall that slides the other way; a disc may pass; it may leave."""

    def __init__(self, count: int = 16, cover: range | None = None, leave: bool = False) -> None:
        self.size, self.count, self.cover, self.leave = SIZE, count, cover, leave
        self.card = cv2.cvtColor(texture(*SIZE, seed=3), cv2.COLOR_RGB2GRAY).astype(np.float32)
        self.wall = cv2.cvtColor(texture(600, 400, seed=9), cv2.COLOR_RGB2GRAY).astype(np.float32)
        self.thing = cv2.cvtColor(texture(300, 300, seed=21), cv2.COLOR_RGB2GRAY).astype(np.float32)

    def __len__(self) -> int:
        return self.count

    def homography(self, i: int) -> np.ndarray:
        a = np.radians(0.7 * i)
        turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0.00004 * i, -0.00002 * i, 1]])
        centre = np.array([[1, 0, -200], [0, 1, -130], [0, 0, 1.0]])
        back = np.array([[1, 0, 200 + (28 if self.leave else 2.2) * i], [0, 1, 130 - 0.8 * i], [0, 0, 1.0]])
        return back @ turn @ centre

    def truth(self, i: int) -> np.ndarray:
        return apply(self.homography(i), CARD - 0.5) + 0.5

    def frame(self, i: int) -> np.ndarray:
        h = self.homography(i)
        mask = np.zeros(SIZE[::-1], np.float32)
        cv2.fillPoly(mask, [np.rint(CARD).astype(np.int32)], 1.0)
        over, mask = (cv2.warpPerspective(p, h, SIZE, flags=cv2.INTER_CUBIC) for p in (self.card, mask))
        back = cv2.warpAffine(self.wall, np.array([[1, 0, -60 - 2.0 * i], [0, 1, -50]]), SIZE)
        picture = back * (1 - mask) + over * mask
        if self.cover and i in self.cover:
            centre = self.truth(i).mean(0) + [6.0 * (i - self.cover[0]) - 30, 0]
            hole = np.zeros(SIZE[::-1], np.float32)
            cv2.circle(hole, tuple(int(v) for v in centre), 50, 1.0, -1)
            moved = cv2.warpAffine(self.thing, np.array([[1, 0, centre[0] - 150], [0, 1, centre[1] - 150]]), SIZE)
            picture = picture * (1 - hole) + moved * hole
        picture = picture * (1 - 0.01 * i) + np.random.default_rng(i).normal(0, 2, picture.shape)
        return np.clip(picture, 0, 255).astype(np.uint8)


def error(clip: Card, corners: np.ndarray, i: int) -> float:
    return float(np.linalg.norm(corners - clip.truth(i), axis=1).mean())


def test_a_card_is_followed_both_ways_through_turning_light_and_grain() -> None:
    clip = Card()
    found, stopped = follow_plane(clip, PlaneAnchor(6, clip.truth(6)), [], Wish((0, 15)))
    assert stopped == "" and sorted(found) == list(range(16)) and not any(f.lost for f in found.values())
    assert max(error(clip, f.corners, i) for i, f in found.items()) < 0.2


def test_something_textured_that_passes_does_not_take_the_card_along() -> None:
    clip = Card(cover=range(3, 13))
    found, _ = follow_plane(clip, PlaneAnchor(0, clip.truth(0)), [], Wish((0, 15)))
    kept = [error(clip, f.corners, i) for i, f in found.items() if not f.lost]
    assert len(kept) >= 14 and max(kept) < 0.4


def test_a_card_that_leaves_is_lost_and_says_so() -> None:
    clip = Card(leave=True)
    found, _ = follow_plane(clip, PlaneAnchor(0, clip.truth(0)), [], Wish((0, 15)))
    assert found[15].lost and found[15].reason == "left the picture"
    assert max(error(clip, f.corners, i) for i, f in found.items() if not f.lost) < 1


def test_corners_set_by_hand_are_kept_exactly() -> None:
    clip = Card()
    moved = clip.truth(10) + 3
    found, _ = follow_plane(clip, PlaneAnchor(0, clip.truth(0)), [PlaneAnchor(10, moved)], Wish((0, 15)))
    assert np.array_equal(found[10].corners, moved)
    assert 0.5 < error(clip, found[7].corners, 7) < 5  # in between it leans to both


def test_what_cannot_be_a_plane_is_refused_in_words() -> None:
    with pytest.raises(BadInput, match="cross over"):
        check_corners(CARD[[0, 2, 1, 3]])
    with pytest.raises(BadInput, match="too small"):
        check_corners(np.array([[0, 0], [9, 0], [9, 9], [0, 9.0]]))
    flat = Card()
    flat.frame = lambda i: np.full(SIZE[::-1], 90, np.uint8)  # type: ignore[method-assign]
    with pytest.raises(BadInput, match="too little texture"):
        follow_plane(flat, PlaneAnchor(0, CARD), [], Wish((0, 5)))


def test_plane_files_round_trip_and_carry_the_homography() -> None:
    clip = Card()
    found, _ = follow_plane(clip, PlaneAnchor(0, clip.truth(0)), [], Wish((0, 3)))
    rows = [plane_sample(found[i], clip.truth(0)) for i in range(4)]
    file = parse_track(PlaneFile(size=SIZE, rate="24/1", reference_frame=0, frames=rows).dumps())
    assert isinstance(file, PlaneFile)
    h = np.array(file.frames[3].homography).reshape(3, 3)
    assert np.abs(apply(h, clip.truth(0)) - found[3].corners).max() < 0.01
    moved = file.path().moved(3, 0)
    assert moved is not None and np.allclose(moved / moved[2, 2], h, atol=1e-3)
    again = found_plane(file.frames[2])
    assert again is not None and np.allclose(again.corners, found[2].corners, atol=1e-3)
