"""Parts of bodies: a clay hand of our own with truth, a photograph that only shakes, and hands that are not there."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from skimage import data

from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.track.body import Bodies, Seen, brought_together, follow_body, put_right
from tropein.core.track.point import Anchor, Found

PLATES = Path(__file__).parents[2] / "demo/plates"


class Pictures:
    def __init__(self, pictures: list[np.ndarray]) -> None:
        self.pictures = pictures

    def __len__(self) -> int:
        return len(self.pictures)

    def rgb(self, index: int) -> np.ndarray:
        return self.pictures[index]


def test_a_fingertip_is_followed_out_of_the_picture_and_back(tmp_path: Path) -> None:
    media, _ = borrow(MediaStore(tmp_path), [PLATES / "swipe.mp4"])
    tips = [f["fingertips_px"]["index"] for f in json.loads((PLATES / "swipe.truth.json").read_text())["frames"]]
    pictures = ColourFrames(MediaStore(tmp_path), media)
    try:
        found = follow_body(pictures, "right index fingertip", 8, (4, 42))
    finally:
        pictures.close()
    kept = [f for f in found.values() if not f.lost]
    off = np.array([np.subtract(f.xy, tips[f.frame]) for f in kept])
    assert np.linalg.norm(off - np.median(off, 0), axis=1).mean() < 6  # the hand is 250 px tall, and smears by 40
    assert all(found[f].lost and found[f].reason == "no right index fingertip to be seen" for f in range(22, 35))
    assert sum(found[f].lost for f in range(4, 17)) <= 2 and not any(found[f].lost for f in range(39, 43))


def test_a_still_head_is_steadier_than_the_model_alone_sees_it() -> None:
    rng = np.random.default_rng(3)
    still = cv2.copyMakeBorder(data.astronaut(), 0, 40, 40, 40, cv2.BORDER_REFLECT)
    pictures = Pictures([np.clip(still + rng.normal(0, 5, still.shape), 0, 255).astype(np.uint8) for _ in range(10)])
    found = follow_body(pictures, "left ear", 0, (0, 9))
    ours = np.array([found[f].xy for f in range(10)])
    with Bodies("left ear") as bodies:
        alone = np.array([bodies.within(pictures.rgb(f))[0].xy for f in range(10)])
    assert not any(f.lost for f in found.values())
    assert np.diff(ours, axis=0).std() < 0.4 * np.diff(alone, axis=0).std()


def test_what_is_not_there_is_refused_in_words() -> None:
    grey = Pictures([np.full((180, 320, 3), 90, np.uint8)] * 4)
    with pytest.raises(BadInput, match="No left palm was found at frame 1"):
        follow_body(grey, "left palm", 1, (0, 3))
    with pytest.raises(BadInput, match="range"):
        follow_body(grey, "head", 7, (0, 3))


def test_the_path_goes_through_what_is_set_by_hand_and_fades_in_between() -> None:
    found = {f: Found(f, (10.0 * f, 5.0), 0.9, f in (4, 5)) for f in range(9)}
    mended = put_right(found, [Anchor(2, (20.0, 9.0)), Anchor(6, (64.0, 5.0))], (0, 8))
    assert mended[2].xy == (20.0, 9.0) and mended[6].xy == (64.0, 5.0)
    assert mended[3].xy == pytest.approx((31.0, 8.0))  # a quarter of the way from one difference to the other
    assert mended[0].xy == pytest.approx((0.0, 9.0)) and mended[8].xy == pytest.approx((84.0, 5.0))
    assert not mended[4].lost and mended[4].xy == pytest.approx((42.0, 7.0))


def test_a_way_agrees_with_the_picture_and_with_most_of_what_the_model_says() -> None:
    rng = np.random.default_rng(5)
    ground = cv2.GaussianBlur(rng.uniform(0, 255, (200, 300, 3)), (0, 0), 2.0)
    ground = np.clip(128 + 4 * (ground - 128), 0, 255).astype(np.uint8)
    way = np.stack([150 + 30 * np.sin(np.arange(20) / 3), 100 + 1.5 * np.arange(20)], 1)
    pictures = Pictures(
        [
            cv2.warpAffine(
                ground, np.array([[1, 0, x - 150], [0, 1, y - 100]]), (300, 200), borderMode=cv2.BORDER_REFLECT
            )
            for x, y in way
        ]
    )
    raw = {f: Seen(xy + rng.normal(0, 4, 2), 100.0, (0, 0, 100, 100), 0.9) for f, xy in enumerate(way)}
    raw[12] = Seen(way[12] + 60, 100.0, (0, 0, 100, 100), 0.9)  # quite wrong
    del raw[7]  # not seen at all
    found = brought_together(pictures, raw, {f: way[f] + rng.normal(0, 6, 2) for f in range(20)})
    off = np.array([found[f] - way[f] for f in range(20)])
    assert np.linalg.norm(off, axis=1).max() < 4 and np.linalg.norm(np.diff(off, axis=0), axis=1).max() < 1
    assert (brought_together(pictures, raw, {3: way[3]})[3] == way[3]).all()
