"""The preview process: the only place where the server decodes and renders, apart from the event loop's process.

It is a child with limits on memory. Requests and answers are plain tuples over a pipe; finished JPEGs are kept by the key
of what they show, so that undo and a second look cost nothing.
"""

from __future__ import annotations

import json
import logging
import os
import resource
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from tropein.core.compose.warm import warm
from tropein.core.errors import TropeinError
from tropein.core.limited import end_with_parent

log = logging.getLogger(__name__)
MEMORY_BYTES = 12 << 30  # address space, not resident memory: thread stacks and mapped files count
JPEG_SHARE = 4  # a quarter of the cache limit is for finished JPEGs
SHOTS_KEPT = 16
PLAIN = ("picture", "alpha", "red", "green", "blue", "luminance")  # views that need no matte


@dataclass(frozen=True)
class Ask:
    """One wanted picture. `scale` is preview pixels per shot pixel; `variant` and `view` as in core.compose.view."""

    shot: str  # the name under which the document was told
    frame: int
    scale: float = 0.5
    view: str = "picture"
    variant: str = "shot"
    draft: bool = False
    checker: bool = False
    quality: int = 88
    pixel: tuple[int, int] | None = None
    around: int = 0  # the pixel's values are averaged over so many to each side
    matte: str = ""  # which one the views of a matte show
    guards: str = ""  # a face track that the matte must hide: asks whether it does
    margin: float = 0.0
    shape: str = ""  # a shape of the matte: asks how well it fits
    faults: bool = False  # asks for the matte's holes and crumbs
    layer: str = ""  # an insert
    measure: str = ""  # asks how that differs from what lies around it, by this measure
    overlay: str = ""  # a JSON Patch that is laid over the document
    screen_of: str = ""  # a chroma key of the matte: asks which screen it sees


@dataclass(frozen=True)
class Jpeg:
    data: bytes

    @property
    def nbytes(self) -> int:
        return len(self.data) + 64


class Previewer:
    """Answers requests for pictures of shots it was told of."""

    def __init__(self, media: Path, artefacts: Path, cache_bytes: int) -> None:
        from tropein.core.compose.artefacts import Artefacts
        from tropein.core.compose.cache import Cache
        from tropein.core.compose.render import Renderer
        from tropein.core.media.record import MediaStore
        from tropein.core.media.source import Sources

        self.store = MediaStore(media)
        sources = Sources(self.store, final=False)
        self.artefacts = kept = Artefacts(artefacts)
        self.renderer = Renderer(sources, kept.path, cache_bytes - cache_bytes // JPEG_SHARE, kept.cutout)
        self.jpegs: Cache[Jpeg] = Cache(cache_bytes // JPEG_SHARE)
        self.shots: dict[str, Any] = {}
        self.laid: tuple[tuple[str, str], Any] | None = None

    def tell(self, key: str, document: str) -> None:
        """Remember a shot document (JSON) under a key; one that does not hold together is remembered as its error."""
        from tropein.core.document.held import Held

        try:
            self.shots[key] = Held.of(json.loads(document))
        except TropeinError as error:
            self.shots[key] = error

    def step(self, key: str, before: str, ops: str) -> None:
        """Remember what an edit (JSON Patch) makes of a document that is known."""
        known = self.shots[before]
        try:
            self.shots[key] = known if isinstance(known, TropeinError) else known.edit(json.loads(ops))[0]
        except TropeinError as error:
            self.shots[key] = error

    def forget(self, key: str) -> None:
        self.shots.pop(key, None)

    def shot(self, ask: Ask) -> Any:
        """The shot that is asked for, with what is laid over it; raises what is wrong with it. The last overlay is kept: while something is dragged
        more than one picture is asked for."""
        known = self.shots[ask.shot]
        if isinstance(known, TropeinError):
            raise known
        if not ask.overlay:
            return known.shot
        wanted = (ask.shot, ask.overlay)
        if self.laid is None or self.laid[0] != wanted:
            self.laid = (wanted, known.edit(json.loads(ask.overlay))[0].shot)
        return self.laid[1]

    def answer(self, ask: Ask) -> bytes | dict[str, Any]:
        """A JPEG, or the values of one pixel."""
        import simplejpeg

        from tropein.core.compose.view import cut_alone, display, display_matte, variant

        known = self.shot(ask)
        if ask.guards:
            from tropein.core.checks.hidden import guard

            return guard(self.renderer, known, ask.matte, ask.guards, ask.frame, ask.margin).model_dump()
        if ask.shape:
            from tropein.core.checks.outline_fit import outline_fit

            return outline_fit(self.renderer, known, ask.matte, ask.shape, ask.frame).model_dump()
        if ask.screen_of:
            from tropein.core.checks.screen_seen import screen_seen

            return screen_seen(self.renderer, known, ask.matte, ask.screen_of, ask.frame).model_dump()
        if ask.faults:
            from tropein.core.checks.faults_seen import faults_seen

            return faults_seen(self.renderer, known, ask.matte, ask.frame).model_dump()
        if ask.measure:
            from tropein.core.match.measure import read

            return read(self.renderer, known, ask.layer, ask.measure, ask.frame).model_dump()
        shot = variant(known, ask.variant)
        coverage = None
        if ask.matte in shot.mattes and ask.view not in PLAIN:
            coverage = self.renderer.planner(shot, ask.scale).matte(ask.matte, ask.frame)
            shot = cut_alone(shot, ask.matte) if ask.view.startswith("on-") else shot
        planner = self.renderer.planner(shot, ask.scale, "draft" if ask.draft else "final")
        plan = planner.plan(ask.frame)
        if ask.pixel is not None:
            return self._values(self.renderer.run(plan), ask.pixel, ask.around)
        matte = coverage.key if coverage else ""
        key = f"{plan.key} {matte} {planner.frame_window} {ask.view} {ask.checker} {ask.quality}"
        kept = self.jpegs.get(key)
        if kept is None:
            picture, view = self.renderer.run(plan), ask.view if coverage or ask.view in PLAIN else "picture"
            if coverage:
                codes = display_matte(picture, self.renderer.run(coverage), view)  # type: ignore[arg-type]
            else:
                codes = display(picture, planner.frame_window, view, ask.checker)  # type: ignore[arg-type]
            kept = Jpeg(simplejpeg.encode_jpeg(codes, ask.quality, "RGB", "420" if ask.quality < 90 else "444"))
            self.jpegs.put(key, kept)
        return kept.data

    @staticmethod
    def _values(picture: Any, at: tuple[int, int], around: int) -> dict[str, Any]:
        from tropein.core.compose.view import display
        from tropein.core.raster.picture import Window

        window = Window(at[0] - around, at[1] - around, at[0] + around + 1, at[1] + around + 1)
        if around:
            window = window.meet(picture.window) if not window.meet(picture.window).empty else window
        linear = picture.fill(window).mean((0, 1))
        shown = display(picture, window).mean((0, 1))
        return {"linear": [round(float(v), 5) for v in linear], "display": [int(v) for v in shown]}


def _snap(previewer: Previewer, media: str, frame: int, corners: list[tuple[float, float]]) -> dict[str, Any]:
    """Four corners drawn to the edges near them (see core.track.snap)."""
    import numpy as np

    from tropein.core.errors import BadInput
    from tropein.core.media.grey import GreyFrames
    from tropein.core.track.snap import snapped

    frames = GreyFrames(previewer.store, media)
    try:
        if frame >= len(frames):
            raise BadInput("The footage has no such frame.")
        found, sides = snapped(frames.frame(frame), np.array(corners))
    finally:
        frames.close()
    return {"corners": [(round(float(x), 3), round(float(y), 3)) for x, y in found], "sides": sides}


def _patches(previewer: Previewer, media: str, samples: str, frames: list[int], point: int, half: float) -> bytes:
    """What a track holds on to at some frames, side by side, as a JPEG (see core.track.strip)."""
    import simplejpeg

    from tropein.core.media.colour_frames import ColourFrames
    from tropein.core.track.strip import strip

    pictures = ColourFrames(previewer.store, media)
    try:
        row = strip(previewer.artefacts.track(samples), pictures, frames, point, half)
    finally:
        pictures.close()
    return bytes(simplejpeg.encode_jpeg(row, 88, colorsubsampling="444"))


ERRANDS: dict[str, Callable[..., Any]] = {"snap": _snap, "patches": _patches}  # what needs footage decoded, but no shot


TOLD: dict[str, Callable[[Previewer, str, Any], None]] = {
    "shot": lambda previewer, key, document: previewer.tell(key, document),
    "step": lambda previewer, key, step: previewer.step(key, *step),
    "forget": lambda previewer, key, _: previewer.forget(key),
}


def main(pipe: Connection, media: str, artefacts: str, cache_bytes: int) -> None:
    """The child's loop. Messages in: ("shot", key, json), ("step", key, (key before, json)), ("forget", key, None), ("ask", number, Ask), ("errand", number, (name, arguments)).
    Out: (number, kind, value). No picture that cannot be drawn ends it."""
    end_with_parent()
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    os.nice(1)
    previewer = Previewer(Path(media), Path(artefacts), cache_bytes)
    warm()  # kernels are read from their cache now, not at the first picture
    while True:
        try:
            message = pipe.recv()
        except (EOFError, KeyboardInterrupt):
            return
        if message[0] in TOLD:
            TOLD[message[0]](previewer, message[1], message[2])
            continue
        what, number, wanted = message
        try:
            if what == "errand":
                answer: Any = ERRANDS[wanted[0]](previewer, *wanted[1])
            else:
                answer = previewer.answer(wanted)
            pipe.send((number, "ok", answer))
        except TropeinError as error:
            pipe.send((number, error.code, error.message))
        except Exception as error:
            log.exception("a picture could not be drawn: %s", wanted)
            pipe.send((number, "preview", f"This frame could not be drawn ({type(error).__name__}: {error})."))
