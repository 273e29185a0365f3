"""The sit check: every measure of an insert over the frames in which it is seen."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.match.measure import MEASURES, Fix, MeasureBase, Seen, insert_of

USUAL, MOST = 7, 48  # frames that are looked at
SIZE_OF_WHERE = 0.04  # a picture of where is at least this share of the frame


class Sat(BaseModel):
    """One measure over time. `offs`: how far off at each of `frames`, None where nothing could be told; `words` say it of the worst, or why nothing can be
    told at all (then it is not `judged`); `fix` would mend it; `mends` says what that does."""

    measure: str
    title: str
    unit: str
    limit: float
    frames: list[int]
    offs: list[float | None]
    words: str
    judged: bool
    visible: bool
    worst: int
    fix: Fix | None = None
    mends: str = ""
    work: str = ""

    @property
    def times(self) -> float:
        """How far beyond the limit of the visible its worst frame is."""
        return max((abs(o) for o in self.offs if o is not None), default=0.0) / (self.limit or 1.0)


def frames_of(seen: Seen, count: int = USUAL) -> list[int]:
    """Frames of the trim in which an insert is switched on, spread evenly. BadInput where there is none."""
    first, last = seen.shot.trim
    if seen.layer.span is not None:
        first, last = max(first, seen.layer.span[0]), min(last, seen.layer.span[1])
    if first > last:
        raise BadInput(f"{seen.layer.name} is not seen within the shot's trim.")
    # not the very ends: motion needs frames on both sides
    edge = min(3, (last - first) // 4)
    return evenly(range(first + edge, last - edge + 1), count)


def evenly(some: Sequence[int], count: int) -> list[int]:
    """So many of them at most, spread evenly, both ends among them."""
    if count <= 1:
        return [some[len(some) // 2]]
    return sorted({some[round((len(some) - 1) * i / (count - 1))] for i in range(count)})


def sit(renderer: Renderer, shot: Shot, layer_id: str, measure: str, count: int = USUAL) -> Sat:
    """One measure of an insert over time. NotFound where there is no such insert or measure."""
    if measure not in MEASURES.known():
        raise NotFound(f"There is no measure {measure!r}.")
    seen = insert_of(renderer, shot, layer_id)
    by = MEASURES.of(measure)(kind=measure)
    # those of a measure that looks at few are among those of the others: what was made for one serves the next
    frames = evenly(frames_of(seen, min(count, MOST)), by.looks)
    found = by.over(seen, frames)
    offs = [None if isinstance(f, str) else round(f[0], 4) for f in found]
    told = [(abs(f[0]), i) for i, f in enumerate(found) if not isinstance(f, str)]
    if not told:
        why = next(f for f in found if isinstance(f, str))
        return Sat(
            measure=measure, title=by.title, unit=by.unit, limit=by.visible_from, frames=frames, offs=offs, words=why, judged=False, visible=False, worst=frames[len(frames) // 2]
        )  # fmt: skip
    # one frame alone may be a mistake of the measure: the worst is the one that a quarter of them reach
    told.sort(reverse=True)
    off, at = told[min(len(told) // 4, len(told) - 1)]
    visible = by.judges and off >= by.visible_from
    worst, said = frames[at], found[at]
    assert not isinstance(said, str)
    fix = None
    if visible:
        try:
            fix = by.fix(seen, worst, said[0])
        except BadInput:
            fix = None
    return Sat(
        measure=measure, title=by.title, unit=by.unit, limit=by.visible_from, frames=frames, offs=offs, words=said[1], judged=by.judges, visible=visible, worst=worst,
        fix=fix, mends=_mends(by, fix) if fix is not None or (visible and by.work) else "", work=by.work if visible else "",
    )  # fmt: skip


def _mends(by: MeasureBase, fix: Fix | None) -> str:
    return f"{by.act}: {fix.to}" if fix is not None and fix.to else by.act


def in_order() -> list[str]:
    """The measures, those first that are to be mended first."""
    return [c.model_fields["kind"].default for c in sorted(MEASURES, key=lambda c: c.order)]
