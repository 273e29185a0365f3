"""The grain of a plate as it is: how strong at each brightness, of what fineness, and how its channels go together.

Read from what is left of two frames laid on each other (residual), in the flattest blocks of each eighth of brightness. What the reading itself takes away, and
takes in, is found by reading grain that was made of what it said, and given back.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.match.residual import (
    FLATTEST,
    HIGH,
    LEAST,
    LOW,
    QUANTILE,
    SIDES,
    SMOOTH,
    SPREAD,
    blocks_of,
    whither,
    without_slopes,
)
from tropein.core.meets.grain import GrainLike
from tropein.core.raster.colour import LUMA, decoded, encoded
from tropein.core.raster.grain_like import BANDS, CORNER, grain_like, table_of, tile_like
from tropein.core.raster.picture import Pixels

TONES, FEWEST, ENOUGH = 8, 4, 24  # parts of brightness; blocks of one below which it says nothing, and of all of them
SIDE = SIDES[0]
SETTLES = 4
AGAIN = 2  # times that what was said is read again
FARTHEST = 4.0  # by how much that may change a band
QUIET, NONE = 1e-4, 5e-4  # of white: as little as is counted; below that there is no grain
CARRIED = 1.06  # more than this between frames further apart is grain that was carried, not a picture laid on itself less well
FLAT = np.array((0.18, 0.32, 0.5, 0.68, 0.82), np.float32)  # of display, greys on which grain is read again

Pairs = Sequence[tuple[Pixels, Pixels]]


@dataclass(frozen=True)
class Grainy:
    """Deviations of display brightness by brightness (TONES,), powers by frequency (BANDS,) of mean 1, and the covariance of the channels, brightness 1."""

    tones: NDArray[np.float64]
    bands: NDArray[np.float64]
    channels: NDArray[np.float64]

    def at(self, tone: float) -> float:
        """How strong it is at a display brightness."""
        return float(np.interp(tone, (np.arange(TONES) + 0.5) / TONES, self.tones))

    def like(self, tone: float) -> GrainLike:
        """As grain is laid on, an amount of 1 being what is shown at a brightness."""
        triangle = np.linalg.cholesky(self.channels + 1e-9 * np.eye(3))
        return GrainLike(
            tones=[round(float(v), 4) for v in np.minimum(self.tones / max(self.at(tone), QUIET), 1000)],
            bands=[round(float(v), 5) for v in self.bands],
            mix=[round(float(v), 5) for v in triangle[np.tril_indices(3)]],
        )


def spectrum_of(near: Pairs, far: Pairs = (), where: NDArray[np.bool_] | None = None) -> Grainy | None:
    """Of some pairs of frames that follow each other, and of some that lie further apart, each (h, w, 3) display values, within `where`: codecs carry grain
    from frame to frame, and what is carried is not seen between neighbours. None where too little is flat, or there is no grain."""
    first = _read(near, where)
    apart = _read(far, where) if far else None
    if first is not None and apart is not None and np.median(apart.tones / first.tones) > CARRIED:
        first = apart
    if first is None or first.tones.max() < NONE:
        return None
    said = first
    for _ in range(AGAIN):
        made = _read(_made(said), None)
        if made is None:
            return said
        lost = np.clip(first.bands / np.maximum(made.bands, 1e-6), 1 / FARTHEST, FARTHEST)
        # where there is next to nothing there is nothing to be told by either
        bands = np.where(first.bands > 0.02, said.bands * lost, said.bands)
        strong = float(np.median([first.at(t) / max(made.at(t), QUIET) for t in FLAT]))
        said = Grainy(said.tones * np.clip(strong, 0.5, 2.0), bands / _mean(bands), said.channels)
    return said


def _made(said: Grainy) -> Pairs:
    """Two frames of greys with grain as it was said to be."""
    across = SIDE * 4
    greys = decoded(np.repeat(FLAT, across)[None, :, None].repeat(3, 2).repeat(SIDE * 8, 0))
    flat = np.dstack([greys, np.ones(greys.shape[:2], np.float32)]).astype(np.float32)
    like = said.like(0.5)
    tile = tile_like(tuple(like.bands), tuple(like.mix), 1.0, 11)
    gains = table_of(tuple(like.tones)) * np.float32(said.at(0.5))
    now, then = (encoded(grain_like(flat, 0, 0, tile, gains, 11, f)[..., :3].copy()) for f in (0.0, 1.0))
    return [(now, then)]


def _mean(bands: NDArray[np.float64]) -> float:
    """What they come to over all frequencies of a picture."""
    return float((bands * _shares()).sum())


def _shares() -> NDArray[np.float64]:
    f = (np.arange(SIDE * 8) + 0.5) / (SIDE * 16)
    place = (np.hypot(f[:, None], f[None]) / CORNER * BANDS).astype(int).clip(0, BANDS - 1)
    return np.bincount(place.ravel(), minlength=BANDS) / place.size


def _read(pairs: Pairs, where: NDArray[np.bool_] | None) -> Grainy | None:
    tones, left = [], []
    for now, then in pairs:
        tone, off = _blocks_left(now, then, where)
        tones.append(tone)
        left.append(off)
    tone, off = np.concatenate(tones), np.concatenate(left)
    if len(tone) < ENOUGH:
        return None
    bright = off @ LUMA.astype(np.float64)
    power = (bright**2).mean(1)
    part = np.clip((tone * TONES).astype(int), 0, TONES - 1)
    counts = np.bincount(part, minlength=TONES)
    known = np.flatnonzero(counts >= FEWEST)
    if not len(known):
        return None
    typical, keep = np.full(len(known), float(np.median(power))), np.zeros(len(tone), bool)
    for _ in range(
        SETTLES
    ):  # within a part it changes with brightness too: blocks are held to what their own brightness shows
        expected = np.maximum(np.interp(tone * TONES - 0.5, known, typical), QUIET**2)
        keep[:] = False
        for k, i in enumerate(known):
            here = np.flatnonzero(part == i)
            times = power[here] / expected[here]
            # what turns or bends is not laid on itself: such blocks hold far more than the least do
            alike = times <= SPREAD * max(float(np.quantile(times, LEAST)), 1e-6)
            typical[k] = max(typical[k] * float(np.quantile(times[alike], QUANTILE)), QUIET**2)
            keep[here[alike]] = True
    strengths = np.sqrt(np.interp(np.arange(TONES), known, typical))
    per_block = np.interp(tone[keep] * TONES - 0.5, np.arange(TONES), strengths)[:, None, None]
    return Grainy(strengths, _bands(bright[keep] / per_block[..., 0]), _channels(off[keep] / per_block))


def _channels(off: NDArray[np.float64]) -> NDArray[np.float64]:
    mixed = np.einsum("nic,nid->cd", off, off) / (off.shape[0] * off.shape[1])
    luma = LUMA.astype(np.float64)
    return np.asarray(mixed / max(float(luma @ mixed @ luma), 1e-12))


def _bands(bright: NDArray[np.float64]) -> NDArray[np.float64]:
    window = np.hanning(SIDE + 1)[:-1]
    squares = bright.reshape(-1, SIDE, SIDE) * np.outer(window, window)
    power = np.abs(np.fft.fft2(squares)) ** 2
    f = np.fft.fftfreq(SIDE)
    place = (np.hypot(f[:, None], f[None]) / CORNER * BANDS).astype(int).clip(0, BANDS - 1).ravel()
    count = np.bincount(place, minlength=BANDS)
    each = np.stack([np.bincount(place, p.ravel(), BANDS) / np.maximum(count, 1) for p in power])
    bands = np.median(each, 0)
    bands = np.interp(np.arange(BANDS), np.flatnonzero(count), bands[count > 0])
    return np.asarray(bands / max(_mean(bands), 1e-30))


def _blocks_left(now: Pixels, then: Pixels, where: NDArray[np.bool_] | None) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """Of the flattest blocks of each part of brightness: their brightness (n,), and what is left of them (n, SIDE * SIDE, 3)."""
    luma = [np.ascontiguousarray(p @ LUMA, np.float32) for p in (now, then)]
    h, w = (n // SIDE * SIDE for n in luma[0].shape)
    none = np.zeros(0), np.zeros((0, SIDE * SIDE, 3))
    if not h or not w:
        return none
    (y, x), inside = whither(luma[0], luma[1], SIDE)
    other = then[y, x]
    level = blocks_of((luma[0] + other @ LUMA) / 2, SIDE)
    usable = blocks_of(inside if where is None else where & inside, SIDE).all(1)
    usable &= (level.max(1) < HIGH) & (level.min(1) > LOW)
    tone = level.mean(1)
    smooth = cv2.GaussianBlur((now + other) / 2, (0, 0), SMOOTH)
    busy = blocks_of(np.ascontiguousarray(smooth @ LUMA), SIDE).std(1)
    part = np.clip((tone * TONES).astype(int), 0, TONES - 1)
    chosen: list[int] = []
    for i in range(TONES):
        here = np.flatnonzero(usable & (part == i))
        chosen += list(here[np.argsort(busy[here])[: max(2 * FEWEST, round(FLATTEST * len(here)))]])
    if not chosen:
        return none
    which = np.array(chosen)
    off = np.stack(
        [
            without_slopes(blocks_of((now[..., c] - other[..., c]) / np.float32(np.sqrt(2)), SIDE)[which].astype(np.float64), np.ascontiguousarray(smooth[..., c]), which, SIDE)
            for c in range(3)
        ],
        2,
    )  # fmt: skip
    return tone[which], off
