"""Colour match: a grade that brings an insert to the plate it is laid over, by pairs of places picked by hand, by two regions, or by itself."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from tropein.core.document import EffectBase, Layer, new_id
from tropein.core.document.base import Coordinate, FrameNumber
from tropein.core.document.pair import MOST_PAIRS, Pair
from tropein.core.effects.grade import Grade, balanced_by
from tropein.core.errors import BadInput
from tropein.core.match.cdl import Array, Cdl
from tropein.core.match.fit import Fitted, difference, from_clouds, from_pairs
from tropein.core.match.measure import HALF, WHOLE, Fix, Laid, Seen, beneath, laid, ring
from tropein.core.raster.colour import encoded
from tropein.core.raster.picture import Pixels

MATCHED = "match-"  # begins the id of the grade that a match has made: the next match replaces it
AROUND_PX = 3  # about a place that was picked, in pixels of the shot
ITSELF = 0.6  # how far a match goes that nobody has pointed at things for: what lies around is of other things
LEAST_PIXELS = 60

Shown = tuple[float, float, float]
Box = tuple[Coordinate, Coordinate, Coordinate, Coordinate]
Spot = tuple[Coordinate, Coordinate]


class Asked(BaseModel):
    """What to match by: pairs; or two regions (x, y, width, height in shot pixels), the whole insert and what is around it where they are left out.
    `plate_frame`: the frame of the plate that is looked at, that of the insert where it is left out. "scene": the other way about, the plate takes the insert's
    light, as far as `share`."""

    by: Literal["pairs", "regions", "itself", "scene"] = "itself"
    frame: FrameNumber = 0
    plate_frame: FrameNumber | None = None
    pairs: Annotated[list[Pair], Field(max_length=MOST_PAIRS)] = []
    own: Box | None = None
    plate: Box | None = None
    share: Annotated[float, Field(ge=0, le=2)] = 0.7


class Pairing(BaseModel):
    """Display colours of a pair as they were found, and how far apart they were and are (dE2000)."""

    own: Shown
    plate: Shown
    before: float
    after: float


class Matched(BaseModel):
    """`words` say what was used and what it is worth; `before` and `after`: how far colours were off, dE2000 of pairs, or how far clouds of colours lie
    apart in Lab. `fix` is the edit; none where it could not help. The edit of pairs keeps them with the insert, whether they help or not."""

    words: str
    before: float
    after: float
    fix: Fix | None = None
    pairs: list[Pairing] = []


def match(seen: Seen, asked: Asked) -> Matched:
    """The grade for an insert. BadInput in words where nothing can be told."""
    if asked.by == "scene":
        return scene_lit(seen, asked.frame, asked.share)
    plain = without_match(seen)
    pairs: list[Pairing] = []
    kept: list[dict[str, Any]] = []
    if asked.by == "pairs":
        found, words, pairs = _by_pairs(plain, asked.pairs)
        kept = [{"op": "add", "path": f"/layers/{seen.layer.id}/pairs", "value": [p.model_dump(mode="json") for p in asked.pairs]}]  # fmt: skip
    elif asked.by == "regions":
        found, words = _by_regions(plain, asked)
    else:
        found, words = _by_itself(plain, asked.frame)
    if not found.helps:
        words = f"{words} No grade brings them nearer to each other: nothing was changed."
        return Matched(words=words, before=found.before, after=found.before, pairs=pairs)
    grade = found.grade if asked.by != "itself" else found.grade.partly(ITSELF)
    fix = Fix(
        label=f"match the colours of {seen.layer.name}", patch=[*kept, *laid_in(seen.layer, MATCHED, _values(grade))]
    )
    return Matched(words=words, before=found.before, after=found.after, fix=fix, pairs=pairs)


def scene_lit(seen: Seen, frame: int, share: float) -> Matched:
    """The plate takes the light of what is laid over part of it (a new sky): by how its light differs from the light of what it covers."""
    shot, plate = seen.shot, seen.shot.layers.get(seen.shot.plate or "")
    if plate is None:
        raise BadInput("The shot has no plate that could take its light.")
    if (old := made_before(plate, LIT)) is not None:  # what an earlier one did is taken away first
        off = plate.effects[old].model_copy(update={"on": False})
        plain = plate.model_copy(update={"effects": {**plate.effects, old: off}})
        seen = Seen(seen.renderer, shot.model_copy(update={"layers": {**shot.layers, plate.id: plain}}), seen.layer)
    of = laid(seen, frame, 960)
    whole = of.insert[..., 3] > WHOLE
    if whole.sum() < LEAST_PIXELS:
        raise BadInput(f"{seen.layer.name} covers too little at frame {frame} to give its light to the scene.")
    new, was = of.insert[whole][:, :3].mean(0).astype(float), of.under[whole].mean(0).astype(float)
    gains = np.maximum(new, 1e-3) / np.maximum(was, 1e-3)
    exposure, temperature, tint = balanced_by(gains)
    exposure = float(np.clip(exposure * share, -MOST_STOPS, MOST_STOPS))
    temperature, tint = (float(np.clip(v * share, -MOST_TURN, MOST_TURN)) for v in (temperature, tint))
    apart = float(difference(_display(new[None]), _display(was[None]))[0])
    if max(abs(exposure), abs(temperature) / 6, abs(tint) / 6) < 0.03:
        return Matched(
            words="It gives no other light than what it covers: nothing was changed.", before=apart, after=apart
        )
    values = {"exposure": exposure, "temperature": temperature, "tint": tint}
    patch = laid_in(plate, LIT, {k: {"value": round(v, 3)} for k, v in values.items()})
    words = f"It is {abs(exposure / share if share else 0):.1f} stops {'brighter' if exposure > 0 else 'darker'} and {'warmer' if temperature > 0 else 'cooler'} than what it covers: the plate takes {share:.0%} of that."  # fmt: skip
    return Matched(words=words, before=apart, after=apart * abs(1 - share), fix=Fix(label=f"light the scene by {seen.layer.name}", patch=patch))  # fmt: skip


LIT = "lit-"  # begins the id of the grade by which a plate takes the light of what was laid over it
MOST_STOPS, MOST_TURN = 4.0, 9.0


def without_match(seen: Seen) -> Seen:
    """The insert without the grades that matches have made, and what comes after them."""
    chain = seen.layer.chain
    at = next((i for i, e in enumerate(chain) if e.startswith(MATCHED)), len(chain))
    off = {e: seen.layer.effects[e].model_copy(update={"on": False}) for e in chain[at:]}
    layer = seen.layer.model_copy(update={"effects": {**seen.layer.effects, **off}})
    shot = seen.shot.model_copy(update={"layers": {**seen.shot.layers, layer.id: layer}})
    return Seen(seen.renderer, shot, layer)


def made_before(layer: Layer, prefix: str) -> str | None:
    """The id of the grade that was made here before, by what its id begins with."""
    return next((e for e in layer.chain if e.startswith(prefix) and e in layer.effects), None)


def laid_in(layer: Layer, prefix: str, values: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that lays a grade in: in place of the one made before, else before what softens the layer and gives it grain."""
    old = made_before(layer, prefix)
    grade = Grade.model_validate({"kind": "grade", "id": old or f"{prefix}{new_id()}", **values})
    made = grade.model_dump(mode="json")
    if old is not None:
        return [{"op": "replace", "path": f"/layers/{layer.id}/effects/{old}", "value": made}]
    return put_in(layer, made)


def put_in(layer: Layer, effect: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that adds a colour effect to a layer's chain: before the first that softens, follows the light or gives grain."""
    at = next((i for i, e in enumerate(layer.looks) if _later(e)), None)
    return [
        {"op": "add", "path": f"/layers/{layer.id}/effects/{effect['id']}", "value": effect},
        {"op": "add", "path": f"/layers/{layer.id}/chain/{'-' if at is None else at}", "value": effect["id"]},
    ]


def _later(effect: EffectBase) -> bool:
    return effect.use in ("Grain", "Blur") or effect.id.startswith(FOLLOWS)


FOLLOWS = "follow-"  # begins the id of the grade that follows the plate's light


def graded(grade: Cdl, effect_id: str) -> Grade:
    return Grade.model_validate({"kind": "grade", "id": effect_id, **_values(grade)})


def _values(grade: Cdl) -> dict[str, Any]:
    """A grade's parameters, as documents hold them."""
    values: dict[str, Any] = {
        name: {"value": [round(v, 5) for v in three]}
        for name, three in (("slope", grade.slope), ("offset", grade.offset), ("power", grade.power))
    }
    return values | {"saturation": {"value": round(grade.saturation, 5)}}


def _by_pairs(seen: Seen, pairs: list[Pair]) -> tuple[Fitted, str, list[Pairing]]:
    if not pairs:
        raise BadInput("Pick a place in the insert, then the place in the plate that it should look like.")
    frames = {frame: laid(seen, frame) for frame in {pair.own_frame for pair in pairs}}
    plates = {f: of.under for f, of in frames.items()}
    plates |= {f: beneath(seen, f) for f in {pair.plate_frame for pair in pairs} - plates.keys()}
    own, wanted = [], []
    for pair in pairs:
        own.append(_own_colour(seen, frames[pair.own_frame], pair))
        under = plates[pair.plate_frame]
        wanted.append(_mean_about(under, pair.plate, under.shape[1] / seen.shot.size[0], None))
    a, b = _display(np.array(own)), _display(np.array(wanted))
    found = from_pairs(a, b)
    off = [(float(x), float(y)) for x, y in zip(difference(a, b), difference(found.grade(a), b), strict=True)]
    count = f"{len(pairs)} pair{'s' if len(pairs) > 1 else ''}"
    words = f"Matched by {count}: they were {found.before:.1f} apart and are {found.after:.1f} now (below 1 no eye tells them apart)."
    far = [i + 1 for i, (_, after) in enumerate(off) if len(pairs) >= 4 and after > max(4.0, 3 * found.after)]
    if far:
        words += f" Pair {far[0]} contradicts the others: it counts little." if len(far) == 1 else f" Pairs {', '.join(map(str, far))} contradict the others."  # fmt: skip
    if len(pairs) < 3:
        words += " Three or more, dark and light ones, tell it better."
    told = [
        Pairing(own=tuple(x.tolist()), plate=tuple(y.tolist()), before=round(was, 2), after=round(now, 2))
        for x, y, (was, now) in zip(a, b, off, strict=True)
    ]
    return found, words, told


def _own_colour(seen: Seen, there: Laid, pair: Pair) -> Array:
    colour = _mean_about(there.insert, pair.own, there.scale, HALF)
    if colour is None:
        raise BadInput(f"{seen.layer.name} shows nothing where you picked: pick a place within it.")
    return colour


def _mean_about(pixels: Pixels, at: Spot, scale: float, covered: float | None) -> Any:
    """The mean light about a place; of an insert (covered) its own colour, None where it is not."""
    h, w = pixels.shape[:2]
    r = max(1, round(AROUND_PX * scale))
    x, y = int(at[0] * scale), int(at[1] * scale)
    if not (0 <= x < w and 0 <= y < h):
        raise BadInput("The place lies outside the picture.")
    part = pixels[max(0, y - r) : y + r + 1, max(0, x - r) : x + r + 1].reshape(-1, pixels.shape[2]).astype(np.float64)
    if covered is None:
        return part[:, :3].mean(0)
    alpha = part[:, 3].sum()
    return part[:, :3].sum(0) / alpha if alpha > covered * len(part) else None


def _display(light: NDArray[Any]) -> Array:
    return np.asarray(encoded(np.ascontiguousarray(light[None], np.float32))[0], np.float64)


def _by_regions(seen: Seen, asked: Asked) -> tuple[Fitted, str]:
    of = laid(seen, asked.frame, 960)
    own = _own_pixels(of, asked.own)
    if len(own) < LEAST_PIXELS:
        raise BadInput(f"{seen.layer.name} shows too little in that region: draw it larger.")
    other = asked.plate_frame if asked.plate_frame is not None else asked.frame
    if asked.plate is not None:
        under = of.under if other == asked.frame else beneath(seen, other)
        wanted = _part(under, asked.plate, under.shape[1] / seen.shot.size[0]).reshape(-1, 3)
        where = f"the region of the plate{'' if other == asked.frame else f' at frame {other}'}"
    elif other != asked.frame:
        wanted, where = beneath(seen, other)[::2, ::2].reshape(-1, 3), f"the plate at frame {other}"
    else:
        wanted, where = of.under[ring(of)], "what is around it"
    if len(wanted) < LEAST_PIXELS:
        raise BadInput("The region of the plate is too small: draw it larger.")
    found = from_clouds(_display(own), _display(wanted))
    words = f"Brought to {where}: the colours were {found.before:.1f} apart and are {found.after:.1f} now."
    return found, words


def _by_itself(seen: Seen, frame: int) -> tuple[Fitted, str]:
    of = laid(seen, frame, 960)
    own, near = _own_pixels(of, None), ring(of)
    if len(own) < LEAST_PIXELS:
        raise BadInput(f"{seen.layer.name} covers too little at frame {frame} to be matched by itself.")
    if near.sum() < LEAST_PIXELS:
        raise BadInput("Nothing of the plate is left around it: match it by pairs, or to another frame.")
    found = from_clouds(_display(own), _display(of.under[near]))
    words = (
        f"A start only, {ITSELF:.0%} of the way to the colours around it: they are of other things. Pairs of things that should look alike tell it truly."
    )  # fmt: skip
    return found, words


def _own_pixels(of: Laid, box: Box | None) -> Array:
    """(n, 3) the insert's own colours in linear light, where it hides what lies behind."""
    pixels = of.insert if box is None else _part(of.insert, box, of.scale)
    alpha = pixels[..., 3]
    whole = alpha > WHOLE
    return np.asarray(pixels[whole][:, :3] / alpha[whole][:, None], np.float64)


def _part(pixels: Pixels, box: Box, scale: float) -> Pixels:
    x, y, w, h = (v * scale for v in box)
    part = pixels[max(0, int(y)) : max(0, int(np.ceil(y + h))), max(0, int(x)) : max(0, int(np.ceil(x + w)))]
    if not part.size:
        raise BadInput("The region lies outside the picture.")
    return part
