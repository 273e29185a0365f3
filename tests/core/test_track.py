from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.errors import BadInput
from tropein.core.track.file import parse_track
from tropein.core.track.follow import Wish, between_points, follow, joined
from tropein.core.track.forms.point import PointFile, PointSample
from tropein.core.track.masked import wiped
from tropein.core.track.patches import Matching
from tropein.core.track.point import Anchor, Found
from tropein.core.track.shutter import ShutterGuess

SIZE = (360, 240)


class Synthetic:
    """A textured wall under a known motion: turning, growing, sliding, grain, changing light; an optional occluder."""

    def __init__(self, count: int = 24, speed: float = 2.5, occlude: range | None = None, leave: bool = False) -> None:
        self.size, self.count, self.occlude = SIZE, count, occlude
        self.wall = cv2.cvtColor(texture(700, 600, seed=7), cv2.COLOR_RGB2GRAY)
        self.speed = speed * (6 if leave else 1)
        self.cover = cv2.cvtColor(texture(200, 200, seed=40), cv2.COLOR_RGB2GRAY)
        self.point = np.array([350.0, 300.0])

    def __len__(self) -> int:
        return self.count

    def matrix(self, i: int) -> np.ndarray:
        angle, scale = np.radians(0.6 * i), 1 + 0.006 * i
        a = scale * np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        target = np.array([150.0, 110.0]) + np.array([1.0, 0.4]) * self.speed * i
        return np.c_[a, target - a @ self.point]

    def truth(self, i: int) -> np.ndarray:
        return self.matrix(i) @ np.r_[self.point, 1] + 0.5

    def frame(self, i: int) -> np.ndarray:
        rng = np.random.default_rng(i)
        picture = cv2.warpAffine(self.wall, self.matrix(i), SIZE, flags=cv2.INTER_CUBIC).astype(np.float32)
        if self.occlude and i in self.occlude:
            x, y = (self.truth(i) - 45).astype(int)
            picture[max(0, y) : y + 90, max(0, x) : x + 90] = self.cover[:90, :90][
                -y if y < 0 else 0 :, -x if x < 0 else 0 :
            ][: SIZE[1] - max(0, y), : SIZE[0] - max(0, x)]
        picture = picture * (1 - 0.012 * i) + 3 + rng.normal(0, 2.5, picture.shape)
        return np.clip(picture, 0, 255).astype(np.uint8)

    def errors(self, found: dict[int, Found]) -> np.ndarray:
        return np.array(
            [np.linalg.norm(np.array(f.xy) - self.truth(i)) for i, f in sorted(found.items()) if not f.lost]
        )


def test_a_point_is_followed_through_turning_growing_grain_and_light() -> None:
    clip = Synthetic()
    found, stopped = follow(clip, Anchor(10, tuple(clip.truth(10))), [], Wish((0, 23)))
    errors = clip.errors(found)
    assert stopped == "" and len(errors) == 24
    assert np.median(errors) < 0.15 and errors.max() < 0.5


def test_what_is_covered_is_said_to_be_lost_and_found_again() -> None:
    clip = Synthetic(occlude=range(9, 14))
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), [], Wish((0, 23)))
    assert all(found[i].lost and found[i].reason for i in range(9, 14))
    assert not any(found[i].lost for i in range(17, 24))
    assert clip.errors(found).max() < 0.6


def test_a_point_that_leaves_the_picture_is_lost_for_that_reason() -> None:
    clip = Synthetic(leave=True)
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), [], Wish((0, 23)))
    gone = [i for i in range(24) if clip.truth(i)[0] > SIZE[0] + 2]
    assert gone and all(found[i].lost for i in gone if i in found)
    assert any("left the picture" in found[i].reason for i in gone if i in found)
    assert clip.errors(found).max() < 1.0


def test_places_set_by_hand_are_kept_exactly() -> None:
    clip = Synthetic(occlude=range(9, 14))
    hand = [Anchor(11, tuple(clip.truth(11) + 0.3)), Anchor(20, tuple(clip.truth(20)))]
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), hand, Wish((0, 23)))
    for anchor in hand:
        assert found[anchor.frame].xy == anchor.xy and not found[anchor.frame].lost


def test_forward_leaves_the_frames_before_alone() -> None:
    clip = Synthetic()
    known = {3: Found(3, (1.0, 2.0), 0.5, False)}
    found, _ = follow(clip, Anchor(10, tuple(clip.truth(10))), [], Wish((0, 20), "forward"), known=known)
    assert found[3].xy == (1.0, 2.0) and sorted(found) == [3, *range(10, 21)]


def test_nothing_to_hold_on_to_is_said_at_once() -> None:
    class Flat(Synthetic):
        def frame(self, i: int) -> np.ndarray:
            return np.full((240, 360), 90, np.uint8)

    with pytest.raises(BadInput, match="nothing to hold on to"):
        follow(Flat(), Anchor(0, (100.0, 100.0)), [], Wish((0, 5)))
    with pytest.raises(BadInput, match="outside"):
        follow(Synthetic(), Anchor(0, (900.0, 100.0)), [], Wish((0, 5)))
    with pytest.raises(BadInput, match="range"):
        follow(Synthetic(), Anchor(0, (100.0, 100.0)), [], Wish((0, 500)))


def test_two_answers_for_one_frame_are_joined_by_nearness_and_sureness() -> None:
    a, b = Found(4, (0.0, 0.0), 0.9, False), Found(4, (10.0, 0.0), 0.9, False)
    assert joined(a, b, 0, 8, between_points).xy[0] == pytest.approx(5, abs=0.01)
    assert joined(a, b, 3, 23, between_points).xy[0] < 1
    assert joined(a, Found(4, (10.0, 0.0), 0.9, True, "covered"), 0, 8, between_points) is a


def test_track_files_round_trip_and_bad_ones_are_refused() -> None:
    rows = [
        PointSample(frame=i, confidence=1, lost=i == 2, points=[(i, 2 * i) if i != 3 else None], point_confidence=[1])
        for i in range(5)
    ]
    file = PointFile(source="a.mp4", size=(10, 10), rate="24/1", reference_frame=0, frames=rows)
    again = parse_track(file.dumps())
    assert again == file
    path = again.path()
    assert path.good.tolist() == [True, True, False, False, True] and path.at(3.0)[0] == pytest.approx([3, 6])
    for bad in (b"", b"{}", b"\x1f\x8bnope", b'{"format":"tropein.track","version":9}', b"[1,2"):
        with pytest.raises(BadInput):
            parse_track(bad)


def test_what_is_ignored_cannot_be_followed_or_mislead() -> None:
    """A patch crosses before the wall: followed without a matte the points on it go along, with one nothing is seen of it."""
    rng = np.random.default_rng(0)
    picture = cv2.GaussianBlur(rng.random((120, 160)).astype(np.float32), (0, 0), 1.5)
    picture = ((picture - picture.min()) / np.ptp(picture) * 255).astype(np.uint8)
    mask = np.zeros(picture.shape, bool)
    mask[30:90, 40:110] = True
    clean = wiped(picture, mask)
    assert np.array_equal(clean[:15], picture[:15])  # far away nothing changes
    inside = clean[40:80, 50:100].astype(float)
    assert inside.std() < 0.15 * picture[40:80, 50:100].std()
    other = picture.copy()
    other[mask] = 255 - other[mask]
    assert np.array_equal(wiped(other, mask)[40:80, 50:100], clean[40:80, 50:100])  # whatever was there
    corners = cv2.goodFeaturesToTrack(clean, 200, 0.02, 5)[:, 0]
    within = (corners[:, 0] > 52) & (corners[:, 0] < 98) & (corners[:, 1] > 42) & (corners[:, 1] < 78)
    assert not within.any()


class Blurred(Synthetic):
    """The wall sliding ever faster, seen with a shutter that is open for a share of the frame."""

    def __init__(self, share: float) -> None:
        super().__init__(count=14)
        self.share = share

    def matrix(self, i: float) -> np.ndarray:  # type: ignore[override]
        target = np.array([60.0 + 0.95 * i * i, 110.0])
        return np.c_[np.eye(2), target - self.point]

    def frame(self, i: int) -> np.ndarray:
        times = i + (np.arange(24) + 0.5) / 24 * self.share - self.share / 2
        seen = [
            cv2.warpAffine(self.wall, self.matrix(t), SIZE, flags=cv2.INTER_LINEAR).astype(np.float32) for t in times
        ]
        grain = np.random.default_rng(i).normal(0, 1.5, seen[0].shape)
        return np.clip(np.mean(seen, 0) + grain, 0, 255).astype(np.uint8)


@pytest.mark.parametrize("share", [0.2, 0.5, 0.85])
def test_the_shutter_is_read_from_the_blur(share: float) -> None:
    clip, guess = Blurred(share), ShutterGuess()
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), [], Wish((0, 13)), shutter=guess)
    assert guess.known and abs(guess.share - share) < 0.12
    assert clip.errors(found).mean() < 0.3 and not any(f.lost for f in found.values())


def test_what_may_not_differ_is_held_to() -> None:
    clip = Synthetic()
    held = Matching(turn=False)
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), [], Wish((0, 23)), held)
    free, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), [], Wish((0, 23)))
    off = [3.0 if f.lost else float(np.linalg.norm(np.array(f.xy) - clip.truth(i))) for i, f in found.items()]
    assert clip.errors(free).mean() < 0.5 * np.mean(off)  # where it was lost it counts as three pixels off
