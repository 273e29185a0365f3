"""Strength of grain."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.document import Layer, new_id
from tropein.core.effects.grain import Grain
from tropein.core.errors import BadInput
from tropein.core.match.measure import CLEAR, MEASURES, WHOLE, Fix, MeasureBase, Seen, added, beneath, brightness, laid
from tropein.core.match.residual import DETAIL, flat_grain, grain_of, of_still
from tropein.core.match.spectrum import spectrum_of
from tropein.core.meets.grain import GrainLike, GrainOver
from tropein.core.raster.colour import encoded

BLOCK, LEAST_BLOCKS, AMOUNT, OVER = 16, 6, 0.02, 1.15
FAR = 4  # frames, to what codecs have not carried grain to
LEAST = 0.003  # of white, less than a code: below that there is none to be seen
THICKEST = 0.9  # of the most that something covers


@MEASURES.add
class GrainStrength(MeasureBase):
    """How much more grain it shows than what it is laid over, in octaves: where both are flattest, and not of what stands still."""

    title: ClassVar[str] = "Grain"
    act: ClassVar[str] = "Match the grain"
    unit: ClassVar[str] = "oct"
    order: ClassVar[int] = 70
    looks: ClassVar[int] = 5
    by_meeting: ClassVar[bool] = True
    visible_from: ClassVar[float] = 0.35
    kind: Literal["grain"] = "grain"

    def measure(self, seen: Seen, frame: int) -> tuple[float, str]:
        (own, _), (around, _) = strengths(seen, frame)
        if max(own, around) < LEAST:
            return 0.0, "Neither it nor what lies behind shows grain."
        off = float(np.log2(max(own, LEAST) / max(around, LEAST)))
        return off, f"Its grain is {own * 100:.1f} % of white, behind it {around * 100:.1f} %."

    def fix(self, seen: Seen, frame: int, off: float) -> Fix | None:
        layer = seen.layer
        (own, _), (around, size) = strengths(seen, frame)
        # what is laid on already: in the frame's own pixels, or in the layer's
        had = next((m for m in layer.meetings if isinstance(m, GrainOver) and m.on), None)
        grain = had or next((e for e in layer.looks if isinstance(e, Grain) and e.on), None)
        # variances add up: what it lacks is laid on; what it has too much of is taken from what was laid on before
        was = 0.0 if grain is None else grain.amount.value * read_of(grain)
        lacks = was**2 + (around**2 - own**2)
        if grain is None and lacks <= 0:
            return None  # nothing to lay on, nothing to take away
        like = None if grain is not None and had is None else like_of(seen, frame)
        plain = {"kind": "grain", "id": new_id(), "size": {"value": size}, "colour": {"value": colour_of(seen, frame)}}
        made = grain or GrainOver.model_validate(plain)
        if isinstance(made, GrainOver):
            made = made.model_copy(update={"like": like})
        amount = round(float(np.sqrt(max(lacks, 0.0))) / read_of(made), 4)
        patch: list[dict[str, Any]]
        if grain is not None:
            path = f"/layers/{layer.id}/{'meets' if had else 'effects'}/{grain.id}"
            patch = grain.amount.set_at(f"{path}/amount", frame, amount)
            if had is not None and like != had.like:
                patch.append({"op": "add", "path": f"{path}/like", "value": like and like.model_dump(mode="json")})
        elif amount >= LEAST:
            laid_on = made.model_copy(update={"amount": made.amount.model_copy(update={"value": amount})})
            patch = added(layer, "meets", laid_on)
        else:
            return None
        to = f"{amount * 100:.1f} %" + (", as measured" if isinstance(made, GrainOver) and made.like else "")
        return Fix(label=f"match the grain of {layer.name} to what lies behind", patch=patch, to=to)


def read_of(grain: Grain | GrainOver) -> float:
    """How strong grain is in display brightness, where the insert is of its usual brightness, laid on with an amount of 1."""
    if isinstance(grain, GrainOver) and grain.like is not None:
        return 1.0
    return response(grain.size.value, grain.colour.value)


def like_of(seen: Seen, frame: int) -> GrainLike | None:
    """The plate's grain as it is, an amount of 1 being how strong it is at the insert's usual brightness; None where that cannot be told."""
    of = laid(seen, frame)
    whole = of.insert[..., 3] > WHOLE
    if not whole.any():
        return None
    tone = float(np.median(brightness(of.insert[whole][None, :, :3])))
    last = seen.shot.frames - 1
    step = 1 if frame + FAR < last else -1
    frames = [frame, frame + step, frame + FAR * step, frame + (FAR + 1) * step]
    if min(frames) < 0:
        frames = frames[:2] if frames[1] >= 0 else []
    shown = [encoded(beneath(seen, f)) for f in frames]
    if len(shown) < 2:
        return None
    apart = [(shown[0], shown[2]), (shown[1], shown[3])] if len(shown) > 2 else []
    found = spectrum_of([(shown[0], shown[1]), *([(shown[2], shown[3])] if apart else [])], apart)
    return None if found is None else found.like(tone)


def colour_of(seen: Seen, frame: int) -> float:
    """How far the channels of the plate's grain go their own ways, as the grain's own setting: by how alike a high pass sees red and green where the
    plate is flattest."""
    under = encoded(laid(seen, frame).under)
    detail = cv2.filter2D(under, cv2.CV_32F, DETAIL)
    h, w = (n // BLOCK * BLOCK for n in under.shape[:2])
    blocks = detail[:h, :w].reshape(h // BLOCK, BLOCK, w // BLOCK, BLOCK, 3).swapaxes(1, 2).reshape(-1, BLOCK**2, 3)
    strong = (blocks**2).mean((1, 2))
    flat = blocks[np.argsort(strong)[: max(LEAST_BLOCKS, len(strong) // 8)]].reshape(-1, 3)
    if not (flat**2).mean() > 0:
        return 0.4
    alike = np.corrcoef(flat.T)
    return round(float(np.sqrt(np.clip(1 - np.nanmean([alike[0, 1], alike[1, 2]]), 0, 1))), 2)


@lru_cache(64)
def response(size: float, colour: float) -> float:
    """How strong grain of ours is in display brightness, laid on with an amount of 1."""
    return float(flat_grain(size, colour, 0.0, AMOUNT).std()) / AMOUNT


def strengths(seen: Seen, frame: int) -> tuple[tuple[float, float], tuple[float, float]]:
    """Of the insert, and of what lies beneath: the standard deviation of its grain in display brightness, in shares of white, and its size in pixels.
    BadInput in words where too little of either is flat."""
    last = seen.shot.frames - 1
    other = frame + 1 if frame < last else frame - 1
    pictures = [laid(seen, f) for f in (frame, max(other, 0))]
    covers = np.minimum(*(p.insert[..., 3] for p in pictures))
    inside = cv2.erode(covers, np.ones((5, 5), np.uint8)) > WHOLE
    whole = bool(inside.any())
    if not whole and not is_drawn(seen.layer):
        raise BadInput(f"{seen.layer.name} covers nothing whole at frame {frame}: its grain cannot be told.")
    if not whole:  # letters, lines, mist: as bright as where they cover most; in the other frame they may lie elsewhere
        covers = pictures[0].insert[..., 3]
        inside = covers >= THICKEST * covers.max()
    own = _grain([brightness(p.insert[..., :3]) for p in pictures], inside) if whole else None
    straight = pictures[0].insert[..., :3] / np.maximum(pictures[0].insert[..., 3:], CLEAR)
    tone = float(np.median(brightness(straight)[inside]))
    around = _grain([brightness(p.under) for p in pictures], np.ones_like(inside), tone)
    if around is None:
        raise BadInput("What lies behind is nowhere flat enough to tell its grain: set it by eye.")
    if own is None:
        if not is_drawn(seen.layer):
            raise BadInput(f"{seen.layer.name} is too small, or nowhere flat: set its grain by eye.")
        # what is drawn has no grain but what was laid on: a pupil need not be large
        return (_laid_on(seen.layer), around[1]), around
    # what turns is grain between two frames, and texture in one of them: it is no more than either says, the latter as it says of the plate
    singly = (
        of_still(brightness(pictures[0].insert[..., :3]), inside),
        of_still(brightness(pictures[0].under), np.ones_like(inside), tone),
    )
    if singly[0] is not None and singly[1] is not None:
        most = singly[0][0] * max(1.0, around[0] / max(singly[1][0], LEAST)) * OVER
        own = min(own[0], most), own[1]
    return own, around


def is_drawn(layer: Layer) -> bool:
    """Whether a layer's picture is made here, of no footage."""
    return layer.footage is None and layer.stack is None and layer.kind != "twin"


def _laid_on(layer: Layer) -> float:
    """How strong all the grain that was laid on a layer is; variances add up."""
    laid_on = [g for g in (*layer.looks, *layer.meetings) if isinstance(g, Grain | GrainOver) and g.on]
    return float(np.sqrt(sum((g.amount.value * read_of(g)) ** 2 for g in laid_on)))


def _grain(
    pictures: list[NDArray[np.float32]], where: NDArray[np.bool_], tone: float | None = None
) -> tuple[float, float] | None:
    """(deviation, size) of grain, by two frames; None where too little is flat. Of a still, whose frames are the same, by what a high pass sees of it."""
    now, then = pictures
    within = now[where]
    if np.array_equal(within, then[where]):
        return of_still(now, where, tone)
    return grain_of(now, then, where, tone)
