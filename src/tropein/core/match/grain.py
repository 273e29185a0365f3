"""Strength of grain."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.document import new_id
from tropein.core.effects.grain import Grain
from tropein.core.errors import BadInput
from tropein.core.match.measure import MEASURES, WHOLE, Fix, MeasureBase, Seen, added, brightness, laid
from tropein.core.raster.grain import film_grain

BLOCK, FLATTEST, LEAST_BLOCKS = 16, 0.3, 6
SIZES = (0.0, 0.3, 0.45, 0.6, 0.8, 1.0, 1.25, 1.5, 2.0)  # of grain, that are told from each other
LEAST = 0.0015  # of white: below that there is none to be seen
# what is neither flat nor straight is let through by it: a plane and a straight edge give nothing (Immerkaer 1996)
DETAIL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
NORMAL = 1.4826 / 6  # from the median of what it lets through to a standard deviation


@MEASURES.add
class GrainStrength(MeasureBase):
    """How much more grain it shows than what it is laid over, in octaves: where both are flattest, and not of what stands still."""

    title: ClassVar[str] = "Grain"
    act: ClassVar[str] = "Match the grain to what lies behind"
    unit: ClassVar[str] = "octaves"
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
        (own, _), (around, ratio) = strengths(seen, frame)
        grain = next((e for e in layer.looks if isinstance(e, Grain) and e.on), None)
        size = size_of(ratio)
        made = grain or Grain.model_validate(
            {"kind": "grain", "id": new_id(), "size": {"value": size}, "tones": {"value": 0.0}}
        )
        read_of = response(made.size.value, made.colour.value)
        had = 0.0 if grain is None else grain.amount.value * read_of
        # variances add up: what it lacks is laid on; what it has too much of is taken from what was laid on before
        lacks = had**2 + (around**2 - own**2)
        amount = round(float(np.sqrt(max(lacks, 0.0))) / read_of, 4)
        patch: list[dict[str, Any]]
        if grain is not None:
            patch = grain.amount.set_at(f"/layers/{layer.id}/effects/{grain.id}/amount", frame, amount)
        elif amount >= LEAST:
            laid_on = made.model_copy(update={"amount": made.amount.model_copy(update={"value": amount})})
            patch = added(layer, "effects", laid_on)
        else:
            return None
        return Fix(label=f"match the grain of {layer.name} to what lies behind", patch=patch)


@lru_cache(64)
def _read(size: float, colour: float) -> tuple[float, float]:
    """What is read of grain of this size and colour, laid on with an amount of 1 (a high pass hardly sees coarse grain), and the same at half the size by
    that: by laying some on an even grey."""
    grey, amount = np.full((384, 384, 4), 0.2, np.float32), 0.02
    grey[..., 3] = 1
    frames = [film_grain(grey, 0, 0, size, amount, colour, 0.0, 1, float(f)) for f in (0, 1)]
    found = _grain([brightness(f[..., :3]) for f in frames], np.ones((384, 384), bool))
    assert found is not None
    return max(found[0] / amount, 0.01), found[1]


def response(size: float, colour: float) -> float:
    return _read(round(size, 2), round(colour, 2))[0]


@lru_cache(1)
def _ratios() -> NDArray[np.float64]:
    return np.maximum.accumulate([_read(size, 0.4)[1] for size in SIZES])


def size_of(ratio: float) -> float:
    """How large grain is, as a standard deviation in pixels, of which half a picture shows `ratio` as much as the whole."""
    return round(float(np.interp(ratio, _ratios(), SIZES)), 2)


def strengths(seen: Seen, frame: int) -> tuple[tuple[float, float], tuple[float, float]]:
    """Of the insert, and of what lies beneath: what a high pass sees of display brightness, as a standard deviation in shares of white; and how much of
    it at half the size by how much at full size. BadInput in words where too little of either is flat."""
    last = seen.shot.frames - 1
    other = frame + 1 if frame < last else frame - 1
    pictures = [laid(seen, f) for f in (frame, max(other, 0))]
    inside = cv2.erode(np.minimum(*(p.insert[..., 3] for p in pictures)), np.ones((5, 5), np.uint8)) > WHOLE
    if not inside.any():
        raise BadInput(f"{seen.layer.name} covers nothing whole at frame {frame}: its grain cannot be told.")
    own = _grain([brightness(p.insert[..., :3]) for p in pictures], inside)
    around = _grain([brightness(p.under) for p in pictures], np.ones_like(inside))
    if own is None:
        raise BadInput(f"{seen.layer.name} is too small, or nowhere flat: set its grain by eye.")
    if around is None:
        raise BadInput("What lies behind is nowhere flat enough to tell its grain: set it by eye.")
    return own, around


def _grain(pictures: list[NDArray[np.float32]], where: NDArray[np.bool_]) -> tuple[float, float] | None:
    """(what a high pass sees of grain, in the picture and at half its size, as a standard deviation; the latter by the former), by the flattest blocks; None where
    there are too few."""
    now, then = pictures
    h, w = (n // BLOCK * BLOCK for n in now.shape)

    def blocks(plane: NDArray[Any], side: int = BLOCK) -> NDArray[Any]:
        high, wide = h * side // BLOCK, w * side // BLOCK
        return (
            plane[:high, :wide].reshape(high // side, side, wide // side, side).swapaxes(1, 2).reshape(-1, side * side)
        )

    def strength(plane: NDArray[np.float32], side: int = BLOCK) -> NDArray[np.float64]:
        detail = np.abs(blocks(cv2.filter2D(plane, cv2.CV_32F, DETAIL), side))
        return np.asarray(np.median(detail, 1) * NORMAL, np.float64)

    usable = blocks(where).all(1) & (blocks(now).max(1) < 0.97) & (blocks(now).min(1) > 0.02)
    if usable.sum() < LEAST_BLOCKS:
        return None
    # a difference of two frames holds no texture that stands still; a frame alone none that moves by much; where two are the same it is a still
    between = now if np.array_equal(now, then) else (now - then) / np.float32(np.sqrt(2))
    least = np.minimum(strength(now), strength(between))
    flat = np.flatnonzero(usable)[np.argsort(least[usable])][: max(LEAST_BLOCKS, round(FLATTEST * usable.sum()))]
    found = float(np.median(least[flat]))
    half = [cv2.resize(p[:h, :w], (w // 2, h // 2), interpolation=cv2.INTER_AREA) for p in (now, between)]
    coarse = np.minimum(*(strength(p, BLOCK // 2) for p in half))
    reduced = float(np.median(coarse[flat]))
    return float(np.hypot(found, reduced)), reduced / max(found, 1e-6)
