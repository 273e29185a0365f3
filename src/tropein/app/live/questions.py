"""What can be asked about a shot beside pictures of it: each a function of (renderer, shot, frame, arguments) that answers with plain data."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot

Answer = dict[str, Any]


def guard(renderer: Renderer, shot: Shot, frame: int, matte: str, track: str, margin: float) -> Answer:
    """Whether a matte hides a tracked face."""
    from tropein.core.checks.hidden import guard

    return guard(renderer, shot, matte, track, frame, margin).model_dump()


def fit(renderer: Renderer, shot: Shot, frame: int, matte: str, piece: str) -> Answer:
    """How well a shape fits."""
    from tropein.core.checks.outline_fit import outline_fit

    return outline_fit(renderer, shot, matte, piece, frame).model_dump()


def screen(renderer: Renderer, shot: Shot, frame: int, matte: str, piece: str) -> Answer:
    """Which screen a chroma key sees."""
    from tropein.core.checks.screen_seen import screen_seen

    return screen_seen(renderer, shot, matte, piece, frame).model_dump()


def faults(renderer: Renderer, shot: Shot, frame: int, matte: str) -> Answer:
    """A matte's holes and crumbs."""
    from tropein.core.checks.faults_seen import faults_seen

    return faults_seen(renderer, shot, matte, frame).model_dump()


def measure(renderer: Renderer, shot: Shot, frame: int, layer: str, measure: str) -> Answer:
    """How an insert differs from what lies around it."""
    from tropein.core.match.measure import read

    return read(renderer, shot, layer, measure, frame).model_dump()


def sit(renderer: Renderer, shot: Shot, frame: int, layer: str, measure: str, count: int) -> Answer:
    """One measure of an insert over time."""
    from tropein.core.match.sit import sit

    return sit(renderer, shot, layer, measure, count).model_dump()


def match(renderer: Renderer, shot: Shot, frame: int, layer: str, asked: Answer) -> Answer:
    """The grade that brings an insert to its plate."""
    from tropein.core.match.colours import Asked, match
    from tropein.core.match.measure import insert_of

    return match(insert_of(renderer, shot, layer), Asked.model_validate(asked)).model_dump()


def tones(renderer: Renderer, shot: Shot, frame: int, layer: str, effect: str) -> Answer:
    """Which tones and hues a layer has."""
    from tropein.core.match.tones import tones

    return tones(renderer, shot, frame, layer, effect).model_dump()


def life(renderer: Renderer, shot: Shot, frame: int, layer: str) -> Answer:
    """One of the many that a layer makes at ages from birth to end, side by side, as a JPEG."""
    import simplejpeg

    from tropein.core.compose.alone import over_its_life
    from tropein.core.errors import NotFound

    found = shot.layers.get(layer)
    if found is None or found.content.lives is None:
        raise NotFound("There is nothing in it that lives and ends.")
    return {"jpeg": simplejpeg.encode_jpeg(over_its_life(found.content, frame), 88, "RGB", "420")}


def scopes(
    renderer: Renderer, shot: Shot, frame: int, kinds: list[str], layer: str, region: tuple[float, float, float, float] | None
) -> Answer:  # fmt: skip
    """Scopes of a frame (see core.match.scopes), as PNGs by their kinds."""
    from tropein.core.match.scopes import coded, scopes

    found = scopes(renderer, shot, frame, kinds, layer, region)
    first = found[0]
    pictures = {kind: coded(one) for kind, one in zip(kinds, found, strict=True)}
    return {"pictures": pictures, "white": first.white, "black": first.black, "insert": first.insert}


def pixel(
    renderer: Renderer, shot: Shot, frame: int, look: Look, scale: float, at: tuple[int, int], around: int
) -> Answer:
    """The values at a pixel of the picture at a scale, averaged over `around` to each side."""
    from tropein.core.compose.view import display
    from tropein.core.raster.picture import Window

    picture = renderer.frame(looked_at(shot, look), frame, scale)
    window = Window(at[0] - around, at[1] - around, at[0] + around + 1, at[1] + around + 1)
    if around:
        window = window.meet(picture.window) if not window.meet(picture.window).empty else window
    linear = picture.fill(window).mean((0, 1))
    shown = display(picture, window).mean((0, 1))
    return {"linear": [round(float(v), 5) for v in linear], "display": [int(v) for v in shown]}


QUESTIONS: dict[str, Callable[..., Answer]] = {
    "guard": guard, "fit": fit, "screen": screen, "faults": faults, "measure": measure, "pixel": pixel, "life": life, "scopes": scopes, "sit": sit, "match": match, "tones": tones,
}  # fmt: skip
