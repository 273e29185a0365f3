"""How steps are made row by row: what each adds to a run (see runs.py)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from hashlib import blake2b
from typing import TYPE_CHECKING, Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.step import Step
from tropein.core.effects import by_points
from tropein.core.raster import warp as warps
from tropein.core.raster.blend import Laying
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.outline import outline_spans
from tropein.core.raster.picture import Picture, Pixels, Window
from tropein.core.raster.warp import Edge, Matrix, Move, Quality, scaling, translation
from tropein.core.rows import lays, registers, samples
from tropein.core.rows.points import Use

if TYPE_CHECKING:
    from tropein.core.compose.runs import Held, Mark, Run


class Form(Protocol):
    """How a step's picture comes about in a register of a run."""

    cheap: bool  # it may be made several times rather than kept

    def asks(self, step: Step) -> Sequence[Step]:
        """The inputs that are asked for, as often as they are."""

    def made(self, run: Run, step: Step, register: int) -> Held:
        """Adds what makes the step's picture in a register."""


class Plain:
    cheap = False

    def asks(self, step: Step) -> Sequence[Step]:
        return step.inputs


@dataclass(frozen=True)
class Read(Plain):
    """A frame of footage at a scale; its input gives it as it is coded."""

    scale: float
    cheap = True

    def made(self, run: Run, step: Step, register: int) -> Held:
        return self.moved(run, step, register, (0, 0))

    def moved(self, run: Run, step: Step, register: int, by: tuple[int, int]) -> Held:
        """The same, so many pixels to the right and down."""
        coded = run.result(step.inputs[0])
        displayed = coded.displayed and run.takes_display
        load = coded.load(displayed) if abs(coded.scale - self.scale) < SAME_SCALE else None
        if load is None:
            return run.loaded(run.kept(step.key, lambda: step.make(coded)).moved(*by), register)
        window = coded.window.moved(*by)
        here = replace(run.held(register, window, coded.opaque), display=displayed)
        run.add(replace(load(register, window), spans=here.spans, spans_from=here.spans_from))
        return here


SAME_SCALE = 1e-3


@dataclass(frozen=True)
class Placed(Plain):
    """A picture moved to where it is seen in a frame."""

    moves: Sequence[Move]
    frame: Window
    quality: Quality
    edge: Edge

    def made(self, run: Run, step: Step, register: int) -> Held:
        own, still = step.inputs[0], len(self.moves) == 1
        if any(m.bending is not None for m in self.moves) or not (still or self.edge == "nothing"):
            return run.loaded(step.make(run.result(own)), register)
        if not still:
            return self._blurred(run, own, register)
        shift = warps.whole_shift(self.moves[0].matrix)
        if shift is None:
            return self._seen(run, own, self.moves[0], register, self.quality == "final")
        if self.edge != "nothing":
            return run.loaded(step.make(run.result(own)), register)
        if shift == (0, 0):
            return run.made(own, register).within(self.frame)
        if isinstance(own.form, Read) and run.cached(own.key) is None:
            return own.form.moved(run, own, register, shift).within(self.frame)
        return run.loaded(run.result(own).moved(*shift), register).within(self.frame)

    def _seen(self, run: Run, own: Step, move: Move, register: int, bicubic: bool) -> Held:
        """The picture through one move."""
        picture: Picture = run.result(own)
        target = warps.landing(picture.window, move, self.frame, self.edge)
        if target.empty:
            return run.held(register, target, False)
        pixels, back, n = self._source(run, own, picture, move.matrix)
        spans = None if self.edge != "nothing" else _spans(_outline(picture, n) @ move.matrix.T, target)
        here = run.held(register, target, False, spans)
        h, w = pixels.shape[:2]
        ints = (register, w, h, EDGES.index(self.edge), int(bicubic), samples.PARTS)
        run.add(here.op(samples.sample, ints, (), (pixels, back, *samples.weights(samples.PARTS))))
        return here

    def _blurred(self, run: Run, own: Step, register: int) -> Held:
        """The mean of the picture through all moves: blurred anyway, so that bilinear is enough."""
        picture: Picture = run.result(own)
        windows = [warps.landing(picture.window, move, self.frame, self.edge) for move in self.moves]
        target = reduce(Window.join, windows)
        if target.empty:
            return run.held(register, target, False)
        matrices = np.array([move.matrix for move, window in zip(self.moves, windows, strict=True) if not window.empty])
        reductions = np.array([warps.reduction(matrix, picture.window) for matrix in matrices])
        way = (_outline(picture, int(reductions.max())) @ matrices.transpose(0, 2, 1)).reshape(-1, 3)
        here = run.held(register, target, False, _spans(way, target))
        run.add(here.op(registers.clear, (register,)))
        for n in np.unique(reductions):
            pixels, back, _ = self._source(run, own, picture, matrices[reductions == n], int(n))
            h, w = pixels.shape[:2]
            run.add(here.op(samples.mean, (register, w, h, len(back)), (1 / len(self.moves),), (pixels, back)))
        return here

    def _source(
        self, run: Run, own: Step, picture: Picture, to_frame: Matrix, n: int | None = None
    ) -> tuple[Pixels, Matrix, int]:
        """Pixels to be sampled, made so many times smaller, what takes pixels of the frame to theirs, and how many times. `to_frame` (..., 3, 3) takes
        the picture's there."""
        n = warps.reduction(to_frame, picture.window) if n is None else n
        pixels, to_frame = picture.pixels, to_frame @ translation(picture.window.x0, picture.window.y0)
        if n > 1:
            pixels = run.kept(f"{own.key}/{n}{self.edge}", lambda: warps.reduced(picture.pixels, n, self.edge))
            to_frame = to_frame @ scaling(n, n)
        return np.ascontiguousarray(pixels), np.ascontiguousarray(np.linalg.inv(to_frame)), n


EDGES = ("nothing", "mirror", "repeat")
REACH = 2.0  # so far beyond its edge a pixel, as it is sampled, still counts


def _outline(picture: Picture, n: int) -> NDArray[np.float64]:
    """Corners (8, 3), homogeneous, about everything there is in a picture that is made n times smaller before it is sampled: a rectangle with
    its own corners cut off by diagonals, for much that is laid in is round."""
    w, spans, far = picture.window, picture.extent.spans, REACH * n
    x0, y0, x1, y1 = float(w.x0), float(w.y0), float(w.x1), float(w.y1)
    sums, gaps = (x0 + y0, x1 + y1), (x0 - y1, x1 - y0)
    if spans is not None:
        some = np.flatnonzero(spans[:, 1] > spans[:, 0])
        if not some.size:
            return np.array([(x0, y0, 1.0)] * 8)
        left, right, y = spans[some, 0], spans[some, 1], some + w.y0
        x0, y0, x1, y1 = float(left.min()), float(y[0]), float(right.max()), float(y[-1] + 1)
        sums = float((left + y).min()), float((right + y).max() + 1)
        gaps = float((left - y).min() - 1), float((right - y).max())
    x0, y0, x1, y1 = x0 - far, y0 - far, x1 + far, y1 + far
    least, most = sums[0] - 2 * far, sums[1] + 2 * far
    low, high = gaps[0] - 2 * far, gaps[1] + 2 * far
    corners = (
        (max(x0, least - y0), y0), (min(x1, high + y0), y0), (x1, max(y0, x1 - high)), (x1, min(y1, most - x1)),
        (min(x1, most - y1), y1), (max(x0, low + y1), y1), (x0, min(y1, x0 - low)), (x0, max(y0, least - x0)),
    )  # fmt: skip
    return np.array([(x, y, 1.0) for x, y in corners])


def _spans(corners: NDArray[np.float64], target: Window) -> NDArray[np.int32] | None:
    """From and to which column of the frame what lies within corners (n, 3), homogeneous, reaches in each row of the target; None where it
    reaches the horizon."""
    if corners[:, 2].min() <= 1e-9:
        return None
    spans = np.empty((target.height, 2), np.int32)
    around = cv2.convexHull(np.clip(corners[:, :2] / corners[:, 2:], -FAR, FAR).astype(np.float32))
    outline_spans(around[:, 0].astype(np.float64), target.x0, target.x1, target.y0, spans)
    return spans


FAR = 1e6


@dataclass(frozen=True)
class Pointwise(Plain):
    """An effect that changes each pixel by itself, laid in by its mix, within what it is limited to."""

    kind: str
    values: dict[str, Any]
    mix: float
    scale: float

    def made(self, run: Run, step: Step, register: int) -> Held:
        here = run.made(step.inputs[0], register)
        rows = by_points(self.kind)
        assert rows is not None
        uses = rows(self.values, self.scale, here.window)
        if not uses or here.window.empty:
            return here
        limit = run.result(step.inputs[1]) if len(step.inputs) > 1 else None
        if limit is None and self.mix >= 1:
            for use in uses:
                here = run.used(use, here)
            return here
        here = run.linear(here)
        changed = run.copied(run.limited(here, limit), register + 1)
        for use in uses:
            changed = run.used(use, changed)
        return run.mixed(here, changed, self.mix, limit, changed=True)


Rows = Callable[[Window], Sequence[Use]]


@dataclass(frozen=True)
class Changed(Plain):
    """A picture whose pixels are changed by themselves."""

    rows: Rows

    def made(self, run: Run, step: Step, register: int) -> Held:
        here = run.made(step.inputs[0], register)
        for use in self.rows(here.window) if not here.window.empty else ():
            here = run.used(use, here)
        return here


@dataclass(frozen=True)
class CutBy(Plain):
    """A picture where it is covered."""

    def made(self, run: Run, step: Step, register: int) -> Held:
        coverage: Coverage = run.result(step.inputs[1])
        with run.wanting(coverage):
            here = run.linear(run.made(step.inputs[0], register))
        return here if here.window.empty else run.cut(here, coverage)


@dataclass(frozen=True)
class Stacked(Plain):
    """Pictures laid over each other; inputs: what is under them, and they, the undermost first."""

    layings: Sequence[Laying]
    display: bool
    frame: Window

    def made(self, run: Run, step: Step, register: int) -> Held:
        under, overs, begun = step.inputs[0], step.inputs[1:], run.mark()
        keys = self._keys(under, overs)
        first, keep = run.resumed(keys[:-1])
        here = run.loaded(run.cached(keys[first]), register) if first else run.made(under, register)
        here = here.within(self.frame)
        with run.inside(keep is not None):
            for i in range(first, keep or 0):
                here = self._laid(run, here, overs[i], self.layings[i], register, begun)
        if keep is not None:
            here = run.keep(keys[keep], run.linear(here))
        for i in range(keep or first, len(overs)):
            here = self._laid(run, here, overs[i], self.layings[i], register, begun)
        return here

    def _keys(self, under: Step, overs: Sequence[Step]) -> list[str]:
        """What names each picture on the way."""
        digest = blake2b(f"{under.key}{self.display}{self.frame}".encode(), digest_size=16)
        keys = [digest.hexdigest()]
        for over, how in zip(overs, self.layings, strict=True):
            digest.update(f"{over.key}{how.mode}{how.opacity}".encode())
            keys.append(digest.hexdigest())
        return keys

    def _laid(self, run: Run, here: Held, over: Step, how: Laying, register: int, begun: Mark) -> Held:
        if how.opacity <= 0:
            return here
        if here.window.empty and how == Laying():
            return run.made(over, register).within(self.frame)  # the plate, most often
        before = run.mark()
        laid = run.linear(run.made(over, register + 1)).within(self.frame)
        if laid.window.empty:
            return here
        if how == Laying() and laid.opaque and laid.window.meet(here.window) == here.window:
            run.forget(begun, before)  # what it hides need not be drawn
            return run.copied(laid, register)
        partly = run.linear_within(here, laid)
        here = run.widened(run.linear(here), laid.window) if partly is None else partly
        ints = (register, register + 1, int(here.opaque))
        run.add(laid.op(lays.laying(how.mode, self.display), ints, (how.opacity,)))
        return here if partly is None else run.shown_again(here, laid)


def _follows(step: Step) -> bool:
    """Whether all that was done to a step's first input to become its second is done row by row."""
    at, first = step.inputs[1], step.inputs[0].key
    while at.form is not None and not at.form.cheap and at.inputs:
        at = at.inputs[0]
        if at.key == first:
            return True
    return False


class OfWhatWas:
    """What a picture and what became of it give together; inputs: the picture, and what became of it."""

    cheap = False

    def asks(self, step: Step) -> Sequence[Step]:
        return step.inputs[1:] if _follows(step) else step.inputs

    def both(self, run: Run, step: Step, register: int, limit: Coverage | None = None) -> tuple[Held, Held]:
        """The picture, and in the next register what became of it, where that matters."""
        under, changed = step.inputs[:2]
        here = run.linear(run.made(under, register))
        if not _follows(step):
            return here, run.made(changed, register + 1)
        with run.having(under, run.limited(here, limit)):
            return here, run.made(changed, register + 1)


@dataclass(frozen=True)
class Veiled(OfWhatWas):
    """Mixed; a third input says where, if not everywhere."""

    share: float

    def made(self, run: Run, step: Step, register: int) -> Held:
        limit = run.result(step.inputs[2]) if len(step.inputs) > 2 else None
        here, became = self.both(run, step, register, limit)
        return run.mixed(here, became, self.share, limit, changed=_follows(step))


@dataclass(frozen=True)
class Blended(OfWhatWas):
    """Blended."""

    mode: str
    display: bool

    def made(self, run: Run, step: Step, register: int) -> Held:
        return run.blended(*self.both(run, step, register), self.mode, self.display)


@dataclass(frozen=True)
class Mixed(Plain):
    """One picture and another, mixed."""

    share: float

    def made(self, run: Run, step: Step, register: int) -> Held:
        here, other = run.made(step.inputs[0], register), run.made(step.inputs[1], register + 1)
        return run.mixed(here, other, self.share, None)
