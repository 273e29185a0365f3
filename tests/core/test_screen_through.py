"""The empty screen put together from a shot whose subject moves and whose camera does not."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.core.test_mattes import path, shot
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.matte.chroma import Keying, coverage
from tropein.core.matte.screen import as_lit, find, seen_empty
from tropein.core.matte.screen_through import empty_of
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING

H, W, COUNT = 180, 320, 9


def cloth() -> NDArray[np.float32]:
    """A green cloth that hangs in folds."""
    x = np.arange(W, dtype=np.float32)
    fold = 1 - 0.45 * np.exp(-(((x - 150) / 9) ** 2)) - 0.3 * np.exp(-(((x - 205) / 14) ** 2))
    return np.float32([0.03, 0.32, 0.07]) * np.broadcast_to(fold[None, :, None], (H, W, 1)).astype(np.float32)


def alpha_at(i: int) -> NDArray[np.float32]:
    """A soft disc that crosses the cloth."""
    y, x = np.mgrid[0:H, 0:W]
    return np.clip((42 - np.hypot(x - 70 - 22 * i, y - 95)) / 5 + 0.5, 0, 1).astype(np.float32)


def frame(i: int) -> NDArray[np.float32]:
    a = alpha_at(i)[..., None]
    picture = a * np.float32([0.35, 0.2, 0.14]) + (1 - a) * cloth()
    return np.maximum(picture + np.random.default_rng(i).normal(0, 0.002, picture.shape), 0).astype(np.float32)


def test_folds_that_some_frame_shows_are_seen_and_the_subject_is_not() -> None:
    frames = [frame(i) for i in range(COUNT)]
    empty = empty_of(frames, None)
    assert empty is not None
    off = np.abs(empty - cloth()).max(-1)
    assert np.percentile(off, 99) < 0.012 and off.max() < 0.05


def test_a_key_with_it_is_better_than_one_fitted_to_the_frame() -> None:
    frames = [frame(i) for i in range(COUNT)]
    empty = empty_of(frames, None)
    assert empty is not None
    errors = []
    for i in (3, 4):
        fitted, through = find(frames[i], None, 1.0), seen_empty(empty, None)
        assert fitted is not None and through is not None
        errors.append(
            [float(((coverage(frames[i], s, Keying()) - alpha_at(i)) ** 2).mean()) for s in (fitted, through)]
        )
    alone, together = np.mean(errors, 0)
    assert together < 0.5 * alone


def test_without_a_screen_there_is_none() -> None:
    grey = np.full((H, W, 3), 0.2, np.float32)
    assert empty_of([grey, grey], None) is None
    mixed = empty_of([grey, frame(0)], None)
    assert mixed is not None and np.abs(mixed - cloth())[:, 200:].max() < 0.02


class Frames:
    """The crossing disc as footage of the layer, over a grey plate."""

    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        pixels = np.ones((H, W, 4), np.float32)
        pixels[..., :3] = 0.18 if media[0] == "0" else frame(index)
        return Coded(pixels, WORKING)


def crossing(through: bool) -> Shot:
    piece = {"kind": "chroma", "id": "k", "name": "key", "layer": "over", "clean_through": through}
    document = shot([piece], place={"position": {"value": [W / 2, H / 2]}})
    clip = document.footage["white"].model_copy(update={"size": (W, H), "frames": COUNT, "kind": "clip"})
    footage = {**document.footage, "white": clip}
    return document.model_copy(update={"footage": footage, "size": (W, H)})


@pytest.mark.parametrize("at", [3, 5])
def test_a_shot_is_keyed_with_what_its_other_frames_show(at: int) -> None:
    errors = []
    for through in (False, True):
        plane = Renderer(Frames(), path, 1 << 26).matte(crossing(through), "m", at).plane  # type: ignore[arg-type]
        errors.append(float(((plane - alpha_at(at)) ** 2).mean()))
    assert errors[1] < 0.6 * errors[0], errors


def test_a_known_screen_is_seen_in_the_light_of_the_frame() -> None:
    """Half the light, and a shadow on the right: the key is as good as in the light the screen is known in."""
    known = seen_empty(cloth(), None)
    assert known is not None
    shade = np.where(np.arange(W) > 230, 0.7, 1.0)[None, :, None].astype(np.float32)
    dim = (frame(3) * 0.5 * shade).astype(np.float32)
    as_it_was = coverage(dim, known, Keying())
    lit = coverage(dim, as_lit(known, dim), Keying())
    errors = [float(((a - alpha_at(3)) ** 2).mean()) for a in (as_it_was, lit)]
    assert errors[1] < 0.1 * errors[0] and errors[1] < 2e-3
    other = as_lit(known, np.full((H, W, 3), 0.2, np.float32))
    assert (other.light == known.light).all()  # a frame without that screen says nothing of its light
