"""Grain as it was measured: what was planted is read, and laid again it is the same; small pictures of it are as strong as the large one made smaller."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tropein.core.match.spectrum import TONES, spectrum_of
from tropein.core.meets.grain import GrainLike
from tropein.core.raster.colour import LUMA, decoded, encoded
from tropein.core.raster.grain_like import BANDS, CORNER, grain_like, table_of, tile_like

LIKE = GrainLike(
    tones=[0.4, 0.7, 1.0, 1.1, 1.0, 0.8, 0.5, 0.3],
    bands=[float(np.exp(-(((i + 0.5) * CORNER / BANDS) ** 2) / 0.04)) for i in range(BANDS)],
    mix=[1.05, 0.7, 0.75, 0.6, 0.3, 1.2],
)


def ramp() -> np.ndarray:
    """A soft ramp from dark to light, opaque, linear."""
    shown = np.linspace(0.06, 0.94, 640, dtype=np.float32)[None, :, None].repeat(3, 2).repeat(384, 0)
    return np.dstack([decoded(np.ascontiguousarray(shown)), np.ones((384, 640), np.float32)])


def laid(like: GrainLike, frame: float, amount: float = 0.03, seed: int = 3) -> np.ndarray:
    tile = tile_like(tuple(like.bands), tuple(like.mix), 1.0, seed)
    made = grain_like(ramp(), 0, 0, tile, table_of(tuple(like.tones)) * np.float32(amount), seed, frame)
    return encoded(np.ascontiguousarray(made[..., :3]))


def test_what_is_read_is_what_was_laid_and_laid_again_it_is_the_same() -> None:
    frames = [laid(LIKE, f) for f in range(4)]
    said = spectrum_of([(frames[0], frames[1]), (frames[2], frames[3])])
    assert said is not None
    clean = encoded(np.ascontiguousarray(ramp()[..., :3]))
    again = laid(said.like(0.5), 9.0, said.at(0.5), seed=8) - clean
    off = frames[0] - clean
    for i in range(1, TONES - 1):
        part = np.s_[:, i * 80 : (i + 1) * 80]
        was = float((off[part] @ LUMA).std())
        close = 0.1 if 1 < i < TONES - 2 else 0.22  # where it falls off steeply, within one part by half
        assert said.tones[i] == pytest.approx(was, rel=close)
        assert float((again[part] @ LUMA).std()) == pytest.approx(was, rel=close)
    middle = np.s_[:, 240:400]
    # of the same fineness, in all channels as strong, and as alike
    for sigma in (0.7, 1.5, 3.0):
        coarse, other = (cv2.GaussianBlur(v[middle] @ LUMA, (0, 0), sigma).std() for v in (off, again))
        assert other == pytest.approx(coarse, rel=0.12)
    assert again[middle].std((0, 1)) == pytest.approx(off[middle].std((0, 1)), rel=0.12)
    alike = [np.corrcoef(v[middle].reshape(-1, 3).T)[0, 2] for v in (off, again)]
    assert alike[1] == pytest.approx(alike[0], abs=0.08)


def test_a_picture_at_half_the_scale_shows_as_much_as_the_large_one_made_smaller() -> None:
    tiles = [tile_like(tuple(LIKE.bands), tuple(LIKE.mix), s, 4).transpose(0, 2, 1) for s in (1.0, 0.5)]
    small = cv2.resize(tiles[0], (256, 256), interpolation=cv2.INTER_AREA)
    assert tiles[1].std((0, 1)) == pytest.approx(small.std((0, 1)), rel=0.05)
    assert (tiles[0] @ LUMA).std() == pytest.approx(np.sqrt(LUMA @ (t := _triangle()) @ t.T @ LUMA), rel=0.05)


def _triangle() -> np.ndarray:
    out = np.zeros((3, 3))
    out[np.tril_indices(3)] = LIKE.mix
    return out


def test_what_has_no_grain_says_nothing_and_clear_pixels_stay_clear() -> None:
    still = laid(LIKE, 0.0)
    assert spectrum_of([(still, still)]) is None
    assert spectrum_of([(still[:20, :20], still[:20, :20])]) is None
    none = np.zeros((8, 8, 4), np.float32)
    tile = tile_like(tuple(LIKE.bands), tuple(LIKE.mix), 1.0, 4)
    assert not grain_like(none, 3, 5, tile, table_of((1.0, 1.0)), 4, 2.0).any()


def test_frame_n_alone_is_frame_n_in_order() -> None:
    in_order = [laid(LIKE, f) for f in range(5)]
    assert np.array_equal(in_order[4], laid(LIKE, 4.0)) and not np.array_equal(in_order[3], in_order[4])
