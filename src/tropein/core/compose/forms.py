"""How steps are made row by row: what each adds to a run (see runs.py)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce
from hashlib import blake2b
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.step import Step
from tropein.core.effects import by_points
from tropein.core.raster import warp as warps
from tropein.core.raster.blend import Laying
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.outline import outline_spans
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Edge, Matrix, Move, Quality, scaling, translation
from tropein.core.rows import lays, registers, samples
from tropein.core.rows.op import Op

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
        load = coded.load() if abs(coded.scale - self.scale) < SAME_SCALE else None
        if load is None:
            return run.loaded(run.kept(step.key, lambda: step.make(coded)).moved(*by), register)
        window = coded.window.moved(*by)
        run.add(load(register, window))
        return run.held(register, window, coded.opaque)


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
        target = warps.landing(picture, move, self.frame, self.edge)
        if target.empty:
            return run.held(register, target, False)
        pixels, to_frame = picture.pixels, move.matrix @ translation(picture.window.x0, picture.window.y0)
        n = warps.reduction(move.matrix, picture.window)
        if n > 1:
            pixels = run.kept(f"{own.key}/{n}{self.edge}", lambda: warps.reduced(pixels, n, self.edge))
            to_frame = to_frame @ scaling(n, n)
        h, w = pixels.shape[:2]
        spans = _spans(to_frame, w, h, target) if self.edge == "nothing" else None
        matrix = np.ascontiguousarray(np.linalg.inv(to_frame))
        ints = (register, w, h, EDGES.index(self.edge), int(bicubic), samples.PARTS)
        arrays = (np.ascontiguousarray(pixels), matrix, *samples.weights(samples.PARTS))
        run.add(Op(samples.sample, target, ints, (), arrays, spans, target.y0))
        return run.held(register, target, False, spans)

    def _blurred(self, run: Run, own: Step, register: int) -> Held:
        """The mean of the picture through all moves: blurred anyway, so that bilinear is enough."""
        picture: Picture = run.result(own)
        targets = [warps.landing(picture, move, self.frame, self.edge) for move in self.moves]
        window = reduce(Window.join, targets)
        if window.empty:
            return run.held(register, window, False)
        run.add(Op(registers.clear, window, (register,)))
        for move in self.moves:
            part = self._seen(run, own, move, register + 1, bicubic=False)
            if not part.window.empty:
                run.add(part.op(lays.add, (register, register + 1), (1 / len(self.moves),)))
        return run.held(register, window, False)


EDGES = ("nothing", "mirror", "repeat")
REACH = 2.0  # so far beyond a picture's edge a pixel still counts


def _spans(to_frame: Matrix, w: int, h: int, target: Window) -> NDArray[np.int32] | None:
    """From and to which column of the frame a picture of w x h pixels, seen through a matrix, reaches in each row of the target."""
    corners = np.array([[-REACH, -REACH], [w + REACH, -REACH], [w + REACH, h + REACH], [-REACH, h + REACH]])
    p = corners @ to_frame[:, :2].T + to_frame[:, 2]
    if p[:, 2].min() <= 1e-9:
        return None
    spans = np.empty((target.height, 2), np.int32)
    outline_spans(p[:, :2] / p[:, 2:], target.x0, target.x1, target.y0, spans)
    return spans


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


@dataclass(frozen=True)
class CutBy(Plain):
    """A picture where it is covered."""

    def made(self, run: Run, step: Step, register: int) -> Held:
        here = run.linear(run.made(step.inputs[0], register))
        return here if here.window.empty else run.cut(here, run.result(step.inputs[1]))


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
        here = run.widened(run.linear(here), laid.window)
        ints = (register, register + 1, int(here.opaque))
        run.add(laid.op(lays.laying(how.mode, self.display), ints, (how.opacity,)))
        return here


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
