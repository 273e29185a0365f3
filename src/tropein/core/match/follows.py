"""Whether an insert follows the light on the plate."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.document import Animated, EffectBase
from tropein.core.errors import BadInput
from tropein.core.match.follow import plate_light
from tropein.core.match.light import CELL, Change, Following, changed, soft
from tropein.core.match.measure import MEASURES, WHOLE, MeasureBase, Seen, alone
from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Pixels

LEAST_AGREED = 0.85  # of its cells
DARK, LEAST_PIXELS = 0.004, 200
NEAR_FRAMES = 6  # farther apart two frames of the plate are not compared at once


@MEASURES.add
class FollowsLight(MeasureBase):
    """How much brighter it has become since the first frame looked at than the plate has: in stops, at a middle grey."""

    title: ClassVar[str] = "Light over time"
    act: ClassVar[str] = "Let it follow the plate's light"
    work: ClassVar[str] = "follow-light"
    unit: ClassVar[str] = "stops"
    order: ClassVar[int] = 15
    visible_from: ClassVar[float] = 0.15
    kind: Literal["follows"] = "follows"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        first = seen.shot.trim[0]
        found = self.over(seen, sorted({first, frame}))[-1]
        if isinstance(found, str):
            raise BadInput(found)
        return found

    def over(self, seen: Seen, frames: list[int]) -> list[tuple[float, str] | str]:
        if seen.shot.plate is None:
            return ["The shot has no plate."] * len(frames)
        picture = plate_light(seen)
        following, at, change = Following(picture(frames[0])), frames[0], Change(cells=1.0)
        first = alone(seen, frames[0], 640)
        out: list[tuple[float, str] | str] = []
        for frame in frames:
            while at < frame:  # no farther at once than motion can be told over
                at = min(at + NEAR_FRAMES, frame)
                change = following.next(picture(at))
            now = alone(seen, frame, 640)
            own = _own(first, now) if frame > frames[0] else 0.0
            if not change.sure:
                out.append(f"At frame {frame} too little of the plate can be compared with the first.")
                continue
            if own is None:  # what it shows moves: what its effects do to it is known all the same
                own = _by_effects(now, alone(_held(seen, frames[0]), frame, 640))
                if own is None or abs(change.stops) > self.visible_from / 2:
                    out.append(f"What it shows at frame {frame} is too unlike the first to tell its light.")
                    continue
            out.append(
                (own - change.stops, f"The plate's light went by {change.stops:+.2f} stops, its own by {own:+.2f}.")
            )
        return out


def _own(first: Pixels, now: Pixels) -> float | None:
    """By how many stops a layer's own picture changed between two frames."""
    both = np.minimum(first[..., 3], now[..., 3])
    if (both > WHOLE).sum() < 2 * LEAST_PIXELS:
        return None
    straight = [
        np.where(both[..., None] > WHOLE, p[..., :3] / np.maximum(p[..., 3:], 1e-3), 0).astype(np.float32)
        for p in (first, now)
    ]
    found = changed(*(soft(np.ascontiguousarray(s)) for s in straight))
    # nearly all of it must be what it was, or it has moved, and darker things have come where lighter ones were
    agreed = found.cells / max(float((both > WHOLE).sum()) / CELL**2, 1)
    return found.stops if found.sure and agreed > LEAST_AGREED else None


def _held(seen: Seen, frame: int) -> Seen:
    """The insert with its effects as they are at one frame."""

    def still(effect: EffectBase) -> EffectBase:
        fields = {n: getattr(effect, n) for n in type(effect).model_fields}
        values = {
            n: v.model_copy(update={"value": sample(v, frame), "keys": [], "movers": {}, "moving": []})
            for n, v in fields.items()
            if isinstance(v, Animated)
        }
        return effect.model_copy(update=values)

    layer = seen.layer.model_copy(update={"effects": {i: still(e) for i, e in seen.layer.effects.items()}})
    return Seen(seen.renderer, seen.shot.model_copy(update={"layers": {**seen.shot.layers, layer.id: layer}}), layer)


def _by_effects(now: Pixels, held: Pixels) -> float | None:
    """By how many stops effects have changed what is seen, pixel by pixel."""
    whole = np.minimum(now[..., 3], held[..., 3]) > WHOLE
    luma = [p[whole][:, :3] @ LUMA for p in (now, held)]
    lit = np.minimum(*luma) > DARK if whole.any() else whole[:0]
    return float(np.median(np.log2(luma[0][lit] / luma[1][lit]))) if lit.sum() > LEAST_PIXELS else None
