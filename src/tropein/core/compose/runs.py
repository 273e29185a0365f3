"""Runs: from the steps of a plan that can be made row by row to one pass over the rows of a picture.

A run begins at the step that is asked for and goes down its inputs; each step that has a form (forms.py) adds its operations. What has none, what
is in the cache, and what several others ask for comes in as a picture. While something is changed the rest is the same from picture
to picture: what is made a second time is kept on the way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.step import Step
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Extent, Picture, Window, nothing
from tropein.core.rows import loads, registers
from tropein.core.rows.interpret import perform
from tropein.core.rows.lays import laying
from tropein.core.rows.op import REGISTERS, Kernel, Op
from tropein.core.rows.points import Use

Mark = tuple[int, int]  # operations, and pictures that are kept
MOST_TURNED = 0.5  # of display values that are made linear in parts, rather than all at once
DEEPEST = REGISTERS - 2  # a step may need the two registers after its own


class Results(Protocol):
    """What a run is given: see render.py."""

    def result(self, step: Step) -> Any: ...
    def known(self, key: str) -> Any | None: ...
    def keep(self, key: str, result: Any) -> None: ...
    def asked(self, step: Step) -> int: ...
    def again(self, key: str) -> bool: ...


@dataclass(frozen=True, eq=False)
class Held:
    """A picture in a register: its window in the frame; whether it covers all of that; between which columns it has anything; whether it is in
    display values, as only opaque ones are."""

    register: int
    window: Window
    opaque: bool = False
    spans: NDArray[np.int32] | None = None
    spans_from: int = 0
    display: bool = False
    turned: int = 0  # pixels that were linear in between, for what was laid on them

    @property
    def area(self) -> int:
        """Pixels it reaches over at most."""
        w = self.window
        if self.spans is None:
            return w.width * w.height
        rows = self.spans[w.y0 - self.spans_from : w.y1 - self.spans_from]
        return int(np.maximum(rows[:, 1] - rows[:, 0], 0).sum())

    def within(self, window: Window) -> Held:
        return replace(self, window=self.window.meet(window))

    def op(
        self, kernel: Kernel, ints: Sequence[int], numbers: Sequence[float] = (), arrays: Sequence[NDArray[Any]] = ()
    ) -> Op:
        """An operation on all of it."""
        return Op(kernel, self.window, ints, numbers, arrays, self.spans, self.spans_from)


@dataclass(eq=False)
class Run:
    """Operations as they come together."""

    results: Results
    ops: list[Op] = field(default_factory=list)
    keeps: list[tuple[str, Picture]] = field(default_factory=list)
    region: Window = Window(0, 0, 0, 0)
    _having: dict[str, Held] = field(default_factory=dict)
    _results: dict[str, Any] = field(default_factory=dict)
    _inside: bool = False
    takes_display: bool = True  # what is read may come as display values
    _wanted: Coverage | None = None

    def made(self, step: Step, register: int) -> Held:
        """A step's picture in a register; those from it on are free."""
        if (here := self._having.get(step.key)) is not None:
            return self.copied(here, register)
        form = step.form
        shared = self.results.asked(step) > 1 and not (form and form.cheap)
        if form is None or shared or register >= DEEPEST or self.results.known(step.key) is not None:
            return self.loaded(self.result(step), register)
        keep = not self._inside and not form.cheap and self.results.again(step.key)
        with self.inside(keep), self.wanting(None if keep else self._wanted):
            here = form.made(self, step, register)
        return self.keep(step.key, self.linear(here)) if keep else here

    def result(self, step: Step) -> Any:
        """A step's result, made apart from the run."""
        if step.key not in self._results:
            self._results[step.key] = self.results.result(step)
        return self._results[step.key]

    def kept(self, key: str, make: Callable[[], Any]) -> Any:
        """Something made on the way that may be of use again."""
        known = self.results.known(key)
        if known is None:
            known = make()
            self.results.keep(key, known)
        return known

    def cached(self, key: str) -> Any:
        return self.results.known(key)

    def resumed(self, keys: Sequence[str]) -> tuple[int, int | None]:
        """Of the pictures on the way through a stack, by their keys: the last one that is known, and the last one after it that was made
        before and is worth keeping now. The first is not one of its own."""
        known = next((i for i in range(len(keys) - 1, 0, -1) if self.cached(keys[i]) is not None), 0)
        seen = [self.results.again(key) for key in keys]
        if self._inside or self._wanted is not None:
            return known, None
        return known, next((i for i in range(len(keys) - 1, known, -1) if seen[i]), None)

    @contextmanager
    def inside(self, something_kept: bool = True) -> Iterator[None]:
        """What is made within is part of what is kept: it is not kept by itself."""
        before = self._inside
        self._inside = before or something_kept
        try:
            yield
        finally:
            self._inside = before

    @contextmanager
    def wanting(self, where: Coverage | None) -> Iterator[None]:
        """Of what is made within nothing is wanted but where that covers anything; None: all of it. What is kept is made whole."""
        before = self._wanted
        self._wanted = where
        try:
            yield
        finally:
            self._wanted = before

    def narrowed(self, here: Held) -> Held:
        """A register as far as it is wanted."""
        wanted, w = self._wanted, here.window
        if wanted is None or wanted.spans is None or wanted.window.meet(w) != w:
            return here
        spans = wanted.spans[w.y0 - wanted.window.y0 : w.y1 - wanted.window.y0]
        if here.spans is not None:
            own = here.spans[w.y0 - here.spans_from : w.y1 - here.spans_from]
            spans = np.stack([np.maximum(own[:, 0], spans[:, 0]), np.minimum(own[:, 1], spans[:, 1])], 1)
        return replace(here, spans=np.ascontiguousarray(spans), spans_from=w.y0)

    @contextmanager
    def having(self, step: Step, here: Held) -> Iterator[None]:
        """Within, a step's picture is already there."""
        before = self._having
        self._having = {**before, step.key: here}
        try:
            yield
        finally:
            self._having = before

    # --- operations

    def add(self, op: Op) -> None:
        self.ops.append(op)

    def mark(self) -> Mark:
        """How far it has come."""
        return len(self.ops), len(self.keeps)

    def forget(self, since: Mark, until: Mark) -> None:
        """Leave out what was added between two marks, if nothing of it is kept."""
        if since[1] == until[1]:
            del self.ops[since[0] : until[0]]

    def held(self, register: int, window: Window, opaque: bool, spans: NDArray[np.int32] | None = None) -> Held:
        """What is about to be made in a register, as far as it is wanted."""
        return self.narrowed(Held(register, window, opaque, spans, window.y0))

    def loaded(self, picture: Picture, register: int) -> Held:
        w = picture.window
        if w.empty:
            return Held(register, Window(0, 0, 0, 0))
        extent, pixels = picture.extent, picture.pixels
        if pixels.dtype != np.float32 or pixels.strides[1:] != (16, 4):
            pixels = np.ascontiguousarray(pixels, np.float32)
        here = self.held(register, w, extent.whole, extent.spans)
        self.add(here.op(loads.load, (register, pixels.strides[0] // 4, w.x0, w.y0), arrays=(pixels,)))
        return here

    def copied(self, here: Held, register: int) -> Held:
        if here.register != register:
            self.add(here.op(registers.copy, (register, here.register)))
        return replace(here, register=register)

    def linear(self, here: Held) -> Held:
        if not here.display:
            return here
        self.add(here.op(registers.decode, (here.register,)))
        return replace(here, display=False)

    def linear_within(self, here: Held, other: Held) -> Held | None:
        """Display values made linear where another register is laid on them, as long as that is little of them; None where it is not."""
        turned = here.turned + other.area
        inside = here.display and here.spans is None and other.window.meet(here.window) == other.window
        if not inside or turned > MOST_TURNED * here.area:
            return None
        self.add(other.op(registers.decode, (here.register,)))
        return replace(here, turned=turned)

    def shown_again(self, here: Held, other: Held) -> Held:
        """Display values again, there."""
        self.add(other.op(registers.encode, (here.register,)))
        return here

    def used(self, use: Use, here: Held) -> Held:
        """A point operation on a register."""
        if here.display and use.on_display is not None:
            use = use.on_display()
        wants_display = use.wants == "display"
        if here.opaque and wants_display != here.display:
            self.add(here.op(registers.encode if wants_display else registers.decode, (here.register,)))
            here = replace(here, display=wants_display)
        apart = int(not here.opaque and use.wants != "light")
        self.add(here.op(use.kernel, (here.register, apart, *use.ints), use.numbers, use.arrays))
        return replace(here, display=here.display and not use.gives_light)

    def cut(self, here: Held, coverage: Coverage) -> Held:
        here = self.limited(here, coverage)
        if not here.window.empty:
            plane, at = _plane(coverage, here.window)
            self.add(here.op(registers.cut, (here.register, 0, *at), arrays=(plane,)))
        return replace(here, opaque=False)

    def limited(self, here: Held, coverage: Coverage | None) -> Held:
        """What of a register lies where anything is covered: the rest is left as it is."""
        if coverage is None or coverage.spans is None or here.spans is not None:
            return here
        w = coverage.window
        if w.meet(here.window) != here.window:  # beyond its window coverage goes on as at its border
            return here
        return replace(here, spans=coverage.spans, spans_from=w.y0)

    def mixed(self, here: Held, other: Held, share: float, where: Coverage | None, changed: bool = False) -> Held:
        """Of another register a share into the first one. `changed`: it is what became of that, or of a part of it."""
        if other.window.empty and here.window.empty:
            return here
        here, other = self.linear(here), self.linear(other)
        if not changed or other.window != here.window:
            window = here.window.join(other.window)
            here, other = self.widened(here, window), self.widened(other, window)
        opaque = here.opaque and other.opaque
        if where is None:
            self.add(other.op(registers.mix, (here.register, other.register), (share,)))
        else:
            plane, at = _plane(where, here.window)
            ints = (here.register, other.register, *at, int(opaque))
            self.add(other.op(registers.mix_where, ints, (share,), (plane,)))
        return replace(here, opaque=opaque)

    def blended(self, here: Held, other: Held, mode: str, display: bool) -> Held:
        """Another register blended with the first one where that is, both as if they covered wholly. The register after both is free."""
        here, other = self.linear(here), self.widened(self.linear(other), here.window).within(here.window)
        if here.window.empty:
            return here
        cover = None if here.opaque else self.copied(here, other.register + 1)
        for one in (here, other):
            if not one.opaque:
                self.add(one.op(registers.wholly, (one.register,)))
        self.add(here.op(laying(mode, display), (here.register, other.register, 1), (1.0,)))
        if cover is not None:
            self.add(here.op(registers.covered, (here.register, cover.register)))
        return here

    def widened(self, here: Held, window: Window) -> Held:
        """The same with nothing around it, as far as both windows reach."""
        window = here.window.join(window)
        if here.window == window and here.spans is None:
            return here
        w = here.window
        ints = (here.register, w.x0, w.y0, w.x1, w.y1, here.spans_from)
        self.add(Op(registers.clear_around, window, ints, arrays=() if here.spans is None else (here.spans,)))
        return Held(here.register, window)

    # --- what comes out

    def keep(self, key: str, here: Held) -> Held:
        """A register, linear, as a picture: that of a key."""
        self.keeps.append((key, self._out(here)))
        return here

    def _out(self, here: Held) -> Picture:
        w = here.window
        if w.empty:
            return nothing()
        shape = (w.height, w.width, 4)
        pixels = np.empty(shape, np.float32) if here.spans is None else np.zeros(shape, np.float32)
        self.add(here.op(loads.keep, (here.register, w.width * 4, w.x0, w.y0), arrays=(pixels,)))
        self.region = self.region.join(w)
        picture = Picture(pixels, w)
        if here.opaque and here.spans is None:
            return picture.known(Extent(True))
        return picture if here.spans is None else picture.known(Extent(False, _part(here)))

    def picture(self, step: Step) -> Picture:
        """Carry it out, for a step's picture."""
        assert step.form is not None
        self.takes_display = not step.form.cheap  # what is read and no more is wanted as light
        with self.inside():
            out = self._out(self.linear(step.form.made(self, step, 0)))
        self._perform()
        return out

    def shown(self, step: Step, window: Window) -> NDArray[np.uint8]:
        """Carry it out, for a step's picture over black in display bytes (h, w, 3) of a window."""
        here = self.made(step, 0).within(window)
        full = here.window == window and here.spans is None
        codes = (np.empty if full else np.zeros)((window.height, window.width, 3), np.uint8)
        if not here.window.empty:
            if not here.display:
                self.add(here.op(registers.encode, (0,)))
            self.add(here.op(loads.keep_bytes, (0, window.width * 3, window.x0, window.y0), arrays=(codes,)))
            self.region = self.region.join(here.window)
        self._perform()
        return codes

    def _perform(self) -> None:
        perform(self.ops, self.region)
        for key, picture in self.keeps:
            self.results.keep(key, picture)


def _part(here: Held) -> NDArray[np.int32]:
    """Spans of a register's rows, cut to its window."""
    assert here.spans is not None
    w = here.window
    rows = here.spans[w.y0 - here.spans_from : w.y1 - here.spans_from]
    return np.ascontiguousarray(np.clip(rows, w.x0, w.x1))


def _plane(coverage: Coverage, window: Window) -> tuple[NDArray[np.float32], tuple[int, int, int]]:
    """A plane of coverage over at least a window, as long as a row of it is, and where it begins."""
    plane, w = coverage.plane, coverage.window
    if w.meet(window) != window:  # beyond its window it goes on as at its border
        sides = [
            (max(w.y0 - window.y0, 0), max(window.y1 - w.y1, 0)),
            (max(w.x0 - window.x0, 0), max(window.x1 - w.x1, 0)),
        ]
        plane = np.pad(plane, sides, mode="edge")
        w = w.join(window)
    plane = np.ascontiguousarray(plane, np.float32)
    return plane, (plane.shape[1], w.x0, w.y0)
