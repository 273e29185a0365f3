"""The sit check: what is planted is found, what was taken from the plate is not."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
from bench.sit import piece, plant

from tests.core.test_edges import Stills, facets, path
from tests.core.test_match import mended
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.match.measure import insert_of
from tropein.core.match.sit import Sat, frames_of, in_order, sit
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING

MEDIA, SIZE, FRAMES = "a" * 32, (480, 270), 20


class Swaying(Stills):
    """A wall of soft facets by a camera that sways, with grain."""

    def __init__(self) -> None:
        super().__init__()
        w, h = SIZE
        shade = np.clip(facets((w + 60, h + 60), 1.6, 0.0), 0.02, 0.98)
        self.wall = np.dstack([0.06 + 0.5 * shade, 0.05 + 0.45 * shade**1.2, 0.05 + 0.4 * shade**1.4]).astype(
            np.float32
        )

    def read(self, media: str, index: int, level: int) -> Coded:
        w, h = SIZE
        x, y = 20 + 3 * np.sin(index / 3), 20 + 2 * np.cos(index / 4)
        light = cv2.warpAffine(self.wall, np.array([[1, 0, -x], [0, 1, -y]], np.float32), (w, h), flags=cv2.INTER_CUBIC)
        light = light * (1 + np.random.default_rng(index).normal(0, 0.03, light.shape[:2] + (1,)))
        return Coded(np.dstack([np.clip(light, 0.001, 1), np.ones((h, w))]).astype(np.float32), WORKING)


@pytest.fixture(scope="module")
def renderer() -> Renderer:
    return Renderer(Swaying(), path, 1 << 28)  # type: ignore[arg-type]


def laid_back(**changes: Any) -> dict[str, Any]:
    return piece(MEDIA, SIZE, FRAMES, (480, 270), (170, 150), 3) | changes


def checked(renderer: Renderer, fault: str | None, measure: str) -> tuple[Any, Sat]:
    document = laid_back()
    if fault is not None:
        plant(fault, document)
    shot = load_shot(document)
    return shot, sit(renderer, shot, "over", measure, 3)


@pytest.mark.parametrize("measure", in_order())
def test_a_piece_of_the_plate_laid_back_on_itself_is_not_seen(renderer: Renderer, measure: str) -> None:
    _, found = checked(renderer, None, measure)
    assert not found.visible and found.fix is None, found.words
    assert found.judged or found.words


@pytest.mark.parametrize("fault", ["grain", "sharpness", "follows", "edge", "jitter", "flicker", "rim", "motion-blur"])
def test_what_is_planted_is_found_and_mended_where_an_edit_can(renderer: Renderer, fault: str) -> None:
    shot, found = checked(renderer, fault, fault)
    assert found.visible and found.worst in found.frames and found.times > 1, found
    if found.fix is None:
        assert found.work or not found.mends
        return
    assert found.mends.endswith(found.fix.to)
    after = sit(renderer, mended(shot, found.fix.patch), "over", fault, 3)
    assert after.times < 0.75 * found.times or not after.visible, (found.words, after.words)


def test_what_cannot_be_judged_says_so(renderer: Renderer) -> None:
    document = laid_back()
    document["layers"]["over"]["blend"] = "screen"
    found = sit(renderer, load_shot(document), "over", "grain", 2)
    assert not found.judged and not found.visible and "laid in by screen" in found.words
    small = piece(MEDIA, SIZE, FRAMES, (480, 270), (2, 2), 3)
    for measure in in_order():
        assert not sit(renderer, load_shot(small), "over", measure, 2).visible
    gone = laid_back()
    gone["layers"]["over"]["span"] = [18, 19]
    gone["trim"] = [0, 10]
    with pytest.raises(BadInput, match="not seen within"):
        sit(renderer, load_shot(gone), "over", "grain", 2)
    with pytest.raises(NotFound):
        sit(renderer, load_shot(laid_back()), "over", "elegance", 2)


def test_frames_are_spread_over_what_is_seen(renderer: Renderer) -> None:
    document = laid_back()
    document["layers"]["over"]["span"] = [5, 14]
    frames = frames_of(insert_of(renderer, load_shot(document), "over"), 4)
    assert len(frames) == 4 and frames[0] >= 5 and frames[-1] <= 14


def test_a_still_of_one_frame_is_looked_at(renderer: Renderer) -> None:
    document = laid_back()
    document["trim"] = [4, 4]
    assert sit(renderer, load_shot(document), "over", "grain", 5).frames == [4]


class BeforeGreen(Swaying):
    """The wall, and a clip of an orange disc with a green middle, soft at its edge, before a green screen."""

    def read(self, media: str, index: int, level: int) -> Coded:
        if media == MEDIA:
            return super().read(media, index, level)
        y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
        away = np.hypot(x - 240 - index, y - 135)
        cover = np.clip((70 - away) / 5 + 0.5, 0, 1)[..., None]
        colour = np.where((away < 30)[..., None], (0.1, 0.3, 0.08), (0.55, 0.25, 0.08))
        light = colour * cover + np.array([0.04, 0.4, 0.08]) * (1 - cover)
        light = light + np.random.default_rng(index).normal(0, 0.002, light.shape)
        return Coded(np.dstack([np.clip(light, 0.001, 1), np.ones(SIZE[::-1])]).astype(np.float32), WORKING)


@pytest.mark.parametrize(("high", "spill", "left"), [(0.97, 1.0, False), (0.35, 0.0, True), (0.35, 1.0, False)])
def test_what_a_screen_left_is_told_and_taken_off(high: float, spill: float, left: bool) -> None:
    renderer = Renderer(BeforeGreen(), path, 1 << 28)  # type: ignore[arg-type]
    document = laid_back()
    document["footage"]["front"] = {**document["footage"]["clip"], "id": "front", "media": "b" * 32}
    document["layers"]["over"]["content"] = {"kind": "footage", "footage": "front"}
    key = {"kind": "chroma", "id": "s", "name": "Key", "layer": "over", "core": {"value": 0.0}}
    key |= {"low": {"value": 0.02}, "high": {"value": high}, "spill": {"value": spill}}
    document["mattes"]["m"]["pieces"]["s"] = key
    shot = load_shot(document)
    found = sit(renderer, shot, "over", "spill", 3)
    assert found.judged and found.visible == left, found
    if left:
        assert found.times > 2 and "green" in found.words and found.fix is not None
        assert not sit(renderer, mended(shot, found.fix.patch), "over", "spill", 3).visible
