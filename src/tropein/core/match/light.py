"""How the light on a plate has changed between two of its frames, told from the same places in both.

Both frames are laid on each other by their motion; cells whose patterns agree (normalised correlation) are compared, the others are something
that came between. y = enc(g x + o)^p channel by channel: a gain and a veil in linear light, and a power on display values for what a film curve
makes of them. Nothing is smoothed over time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.match.cdl import LUMA, Three
from tropein.core.raster.colour import decoded, encoded
from tropein.core.raster.picture import Pixels
from tropein.core.track import motion

Array = NDArray[np.float64]
Plane = NDArray[np.float32]
CELL = 4  # pixels of the picture that is looked at, to a side
PATCH = 9  # cells whose pattern is compared
AGREED, WIDE = 0.6, 0.3  # correlation from which a cell counts, and how far above it it counts in full
FLAT, FLAT_WEIGHT = 0.012, 0.15  # log luma: a pattern weaker than this agrees with anything
DARKEST, BRIGHTEST = 0.01, 0.9
FEWEST = 20.0  # weighted cells
MOST_CELLS = 4000
OVERLAP = 0.45  # of the picture: with less in common a later frame takes the place of the first
BIN, ROUNDS, TUKEY = 0.02, 8, 0.06
SIGMA, SAMPLES = 0.02, 40.0
PRIOR = np.array([3.0, 0.05, 0.12])  # log gain, offset, log power: how far they go by themselves


@dataclass(frozen=True)
class Change:
    """What has become of light: display = enc(gain * linear + offset) ^ power. `cells`: how many agreed, weighted; `sure` whether that is enough."""

    gain: Three = (1.0, 1.0, 1.0)
    offset: Three = (0.0, 0.0, 0.0)
    power: Three = (1.0, 1.0, 1.0)
    cells: float = 0.0
    sure: bool = True

    def __call__(self, linear: NDArray[np.float32]) -> NDArray[np.float32]:
        """(h, ..., 3) light as it is after the change."""
        v = encoded(np.ascontiguousarray(linear * _f32(self.gain) + _f32(self.offset), np.float32))
        return decoded(np.ascontiguousarray(np.maximum(v, 0) ** _f32(self.power), np.float32))

    def undone(self, linear: NDArray[np.float32]) -> NDArray[np.float32]:
        """Light as it was before it."""
        v = np.maximum(encoded(np.ascontiguousarray(linear, np.float32)), 0) ** (1 / _f32(self.power))
        return np.asarray((decoded(np.ascontiguousarray(v, np.float32)) - _f32(self.offset)) / _f32(self.gain), np.float32)  # fmt: skip

    @property
    def stops(self) -> float:
        """How much brighter a middle grey has become."""
        grey = np.full((1, 1, 3), 0.18, np.float32)
        return float(np.log2(max(float(self(grey)[0, 0] @ LUMA), 1e-4) / 0.18))


def _f32(three: Three) -> Plane:
    return np.array(three, np.float32)


def changed(before: Pixels, after: Pixels) -> Change:
    """(h, w, 3) linear light of the same places at two times, cell by cell. A change that is not `sure` is none."""
    ratio_of, weight = _compared(before, after)
    if weight.sum() < FEWEST:
        return Change(cells=float(weight.sum()), sure=False)
    use = np.flatnonzero(weight.ravel() > 0)
    if use.size > MOST_CELLS:
        use = use[np.linspace(0, use.size - 1, MOST_CELLS).astype(int)]
    x, y = before.reshape(-1, 3)[use].astype(float), after.reshape(-1, 3)[use]
    w, start = weight.ravel()[use].astype(float), _mode(ratio_of.ravel()[use], weight.ravel()[use])
    display = encoded(np.ascontiguousarray(y[None]))[0].astype(float)
    # what has something before it lies far off the common ratio: nothing of it is to be believed
    off = ratio_of.ravel()[use] - start
    w = w * (np.abs(off) < MOST_OFF)
    if w.sum() < FEWEST:
        return Change(cells=float(w.sum()), sure=False)
    found = [_fitted(x[:, c], display[:, c], w, start) for c in range(3)]
    gain, offset, power = (tuple(float(f[i]) for f in found) for i in range(3))
    return Change(gain, offset, power, float(w.sum()))  # type: ignore[arg-type]


MOST_OFF = 1.2  # natural logarithms


def _compared(before: Pixels, after: Pixels) -> tuple[Plane, Plane]:
    """(log ratio of luma, how much each cell counts)."""
    luma = [np.maximum(p @ LUMA.astype(np.float32), 1e-5) for p in (before, after)]
    logs = [np.log(v) for v in luma]
    size = (PATCH, PATCH)
    means = [cv2.blur(v, size) for v in logs]
    spreads = [np.maximum(cv2.blur(v * v, size) - m * m, 0) for v, m in zip(logs, means, strict=True)]
    both = cv2.blur(logs[0] * logs[1], size) - means[0] * means[1]
    pattern = both / np.sqrt(np.maximum(spreads[0] * spreads[1], 1e-12))
    weight = np.clip((pattern - AGREED) / WIDE, 0, 1)
    flat = np.minimum(*spreads) < FLAT**2
    weight = np.where(flat, FLAT_WEIGHT, weight)
    for picture in (before, after):
        weight = weight * ((picture.max(-1) < BRIGHTEST) & (picture.min(-1) > DARKEST * 0.2) & (picture @ LUMA.astype(np.float32) > DARKEST))  # fmt: skip
    weight[:2], weight[-2:], weight[:, :2], weight[:, -2:] = 0, 0, 0, 0
    return np.asarray(logs[1] - logs[0], np.float32), np.asarray(weight, np.float32)


def _mode(ratios: Plane, weight: Plane) -> float:
    """The ratio that most cells have, refined: what stands before less than all of them does not pull it."""
    low, high = np.percentile(ratios, (1, 99))
    bins = max(4, int((high - low) / BIN) + 1)
    count, edges = np.histogram(ratios, bins, (low - BIN, high + BIN), weights=weight)
    count = np.convolve(count, [0.25, 0.5, 1, 0.5, 0.25], "same")
    middle = float(edges[int(count.argmax())] + (edges[1] - edges[0]) / 2)
    for _ in range(ROUNDS):
        off = (ratios - middle) / 0.25
        k = weight * np.where(np.abs(off) < 1, (1 - off**2) ** 2, 0)
        if k.sum() <= 0:
            break
        middle = float((k * ratios).sum() / k.sum())
    return middle


def _fitted(x: Array, y: Array, weight: Array, start: float) -> tuple[float, float, float]:
    """(gain, offset, power) of one channel: Gauss-Newton with Tukey's weights."""
    v = np.array([start, 0.0, 0.0])  # log gain, offset, log power

    def made(v: Array) -> Array:
        light = np.maximum(np.exp(v[0]) * x + v[1], 0)
        return _display(light) ** np.exp(v[2])

    for turn in range(10):
        now = made(v)
        off = now - y
        # at first the gain alone is wrong, and much of it may be
        width = max(TUKEY, 3 * float(np.median(np.abs(off)))) if turn < 4 else TUKEY
        k = weight * np.where(np.abs(off) < width, (1 - (off / width) ** 2) ** 2, 0)
        if k.sum() < FEWEST / 4:
            break
        k = k * SAMPLES / k.sum() / SIGMA**2
        free = 1 if turn < 2 else 3
        steps = [np.eye(3)[i] * 1e-4 for i in range(free)]
        slope = np.stack([(made(v + s) - now) / 1e-4 for s in steps], 1)
        prior = 1 / PRIOR[:free] ** 2
        normal = (slope * k[:, None]).T @ slope + np.diag(prior)
        pulled = np.array([v[0] - start, v[1], v[2]])[:free]
        step = np.linalg.solve(normal, -(slope * k[:, None]).T @ off - prior * pulled)
        v[:free] += np.clip(step, -0.5, 0.5)
    return float(np.exp(v[0])), float(v[1]), float(np.exp(v[2]))


def _display(light: Array) -> Array:
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)


@dataclass
class Following:
    """Follows light from a first frame on, frame by frame: hold on to one and go on with `next`. A frame that has too little in common with the
    first is compared with a later one, whose own change is known."""

    first: Pixels
    known: Change = field(default_factory=Change)
    _cells: Pixels = field(init=False)
    _grey: NDArray[np.uint8] = field(init=False)
    _last: NDArray[np.uint8] = field(init=False)
    _moved: Array = field(init=False)  # from the held frame to the last one
    _before: Change = field(init=False)  # of the last frame

    def __post_init__(self) -> None:
        self._hold(self.first, Change())
        self._last = self._grey
        self._before = Change()

    def _hold(self, light: Pixels, change: Change) -> None:
        self._cells, self._grey, self._moved = soft(light), _grey(light), np.eye(3)
        self.known = change

    def next(self, light: Pixels) -> Change:
        """(h, w, 3) linear light of the next frame (or of the one before): what has become of the first frame's light. Where too little agrees it is held
        as it was, and not `sure`."""
        grey = _grey(light)
        step = motion.measure(self._last, grey).dominant
        self._moved = (np.eye(3) if step is None else step) @ self._moved
        self._moved /= self._moved[2, 2]
        self._moved = _refined(self._grey, grey, self._moved)
        self._last = grey
        cells, inside = _seen_through(light, self._moved, self._cells)
        reference = self.known.undone(self._cells) if self.known.cells else self._cells
        reference = np.where(inside[..., None], reference, 0).astype(np.float32)
        found = changed(reference, cells)
        if not found.sure:
            return Change(self._before.gain, self._before.offset, self._before.power, found.cells, False)
        self._before = found
        if inside.mean() < OVERLAP:
            self._hold(light, found)
        return found


def soft(light: Pixels) -> Pixels:
    """(h / CELL, w / CELL, 3): the cells that are compared."""
    h, w = light.shape[:2]
    small = cv2.resize(light, (max(8, w // CELL), max(8, h // CELL)), interpolation=cv2.INTER_AREA)
    return cv2.GaussianBlur(small, (0, 0), 1.0)


def _grey(light: Pixels) -> NDArray[np.uint8]:
    """As a display shows it, brought to an even brightness: what follows it is not to follow the light."""
    shown = encoded(np.ascontiguousarray(light, np.float32)) @ LUMA.astype(np.float32)
    codes = np.clip(shown * 255, 0, 255).astype(np.uint8)
    return cv2.createCLAHE(2.0, (6, 6)).apply(codes)


def _refined(held: NDArray[np.uint8], grey: NDArray[np.uint8], guess: Array) -> Array:
    """The way from the held frame to this one, seen directly, where that agrees with the guess."""
    h, w = held.shape
    back = cv2.warpPerspective(grey, guess, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    rest = motion.measure(held, back).dominant
    if rest is None:
        return guess
    corners = np.array([[0, 0, 1], [w, 0, 1], [w, h, 1], [0, h, 1.0]]) @ rest.T
    off = np.abs(corners[:, :2] / corners[:, 2:] - [[0, 0], [w, 0], [w, h], [0, h]]).max()
    if off > 0.05 * w:
        return guess
    out = guess @ rest
    return np.asarray(out / out[2, 2])


def _seen_through(light: Pixels, moved: Array, cells: Pixels) -> tuple[Pixels, NDArray[np.bool_]]:
    """A frame's cells where those of the held frame lie, and which of them it has."""
    h, w = light.shape[:2]
    laid = cv2.warpPerspective(light, moved, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    inside = cv2.warpPerspective(
        np.ones((h, w), np.float32), moved, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    )
    small = cv2.resize(inside, (cells.shape[1], cells.shape[0]), interpolation=cv2.INTER_AREA)
    return soft(laid), small > 0.99


def followed(picture: Callable[[int], Pixels], frames: range, reference: int) -> Iterator[tuple[int, Change]]:
    """The light at each of some frames against that at a reference among them, in the order they are measured: forwards from it, then back.
    BadInput where it is none of them."""
    if reference not in frames:
        raise BadInput("The reference must be one of the frames.")
    first = picture(reference)
    yield reference, Change(cells=1.0)
    for way in (range(reference + 1, frames.stop), range(reference - 1, frames.start - 1, -1)):
        following = Following(first)
        for frame in way:
            yield frame, following.next(picture(frame))
