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
from hashlib import blake2b
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from tropein.app.live.questions import QUESTIONS
from tropein.core.compose.look import PLAIN_VIEWS, Look, looked_at
from tropein.core.compose.warm import PARTS, ready, warm
from tropein.core.errors import TropeinError
from tropein.core.garbage import settled
from tropein.core.limited import end_with_parent

log = logging.getLogger(__name__)
MEMORY_BYTES = 12 << 30  # address space, not resident memory: thread stacks and mapped files count
JPEG_SHARE = 4  # a quarter of the cache limit is for finished JPEGs
SHOTS_KEPT = 16


@dataclass(frozen=True)
class Ask:
    """One wanted picture. `scale` is preview pixels per shot pixel. Where its key is among those in `have` it is not sent."""

    shot: str  # the name under which the document was told
    frame: int
    scale: float = 0.5
    look: Look = Look()
    draft: bool = False
    quality: int = 88
    have: tuple[str, ...] = ()
    overlay: str = ""  # a JSON Patch that is laid over the document
    about: tuple[str, int] = ("", 0)  # only what lies about a layer, so many pixels wide


@dataclass(frozen=True)
class Question:
    """Something else about a frame of a shot (see live.questions), or of "keys": the keys of pictures."""

    shot: str
    frame: int
    name: str
    arguments: tuple[tuple[str, Any], ...]
    overlay: str = ""


@dataclass(frozen=True)
class Drawn:
    """A picture as a JPEG, and its key: two of the same key are the same picture. No data where whoever asked has it."""

    key: str
    data: bytes

    @property
    def nbytes(self) -> int:
        return len(self.data) + 128


class Previewer:
    """Answers requests for pictures of shots it was told of."""

    def __init__(self, media: Path, artefacts: Path, cache_bytes: int) -> None:
        from tropein.core.compose.artefacts import Artefacts
        from tropein.core.compose.cache import Cache
        from tropein.core.compose.render import of_artefacts
        from tropein.core.media.record import MediaStore
        from tropein.core.media.source import Sources

        self.store = MediaStore(media)
        sources = Sources(self.store, final=False)
        self.artefacts = kept = Artefacts(artefacts)
        self.renderer = of_artefacts(sources, kept, cache_bytes - cache_bytes // JPEG_SHARE)
        self.jpegs: Cache[Drawn] = Cache(cache_bytes // JPEG_SHARE)
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

    def shot(self, ask: Ask | Question) -> Any:
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

    def answer(self, ask: Ask | Question) -> Drawn | dict[str, Any]:
        """A picture, or what was asked about one."""
        known = self.shot(ask)
        if isinstance(ask, Ask):
            return self._about(known, ask) if ask.about[0] else self._drawn(known, ask)
        if ask.name == "keys":
            return self._keys(known, **dict(ask.arguments))
        return QUESTIONS[ask.name](self.renderer, known, ask.frame, **dict(ask.arguments))

    def _about(self, known: Any, ask: Ask) -> Drawn:
        """What lies about a layer; where that is, is looked up without what is laid over the shot, so that several are of the same place."""
        import simplejpeg

        from tropein.core.compose.close import about, closely

        layer, width = ask.about
        box = about(self.renderer, self.shots[ask.shot].shot, layer, ask.frame)
        codes = closely(self.renderer, known, box, ask.frame, width)
        return Drawn("", simplejpeg.encode_jpeg(codes, ask.quality, "RGB", "420"))

    def _drawn(self, known: Any, ask: Ask) -> Drawn:
        import simplejpeg

        from tropein.core.compose.view import display, display_matte

        look, plans = ask.look, Plans(self.renderer, known, ask.look, ask.scale, ask.draft, ask.quality)
        plan, coverage, key = plans.at(ask.frame)
        if key in ask.have:
            return Drawn(key, b"")
        kept = self.jpegs.get(key)
        if kept is None:
            window, view = plans.planner.frame_window, look.view if look.view in PLAIN_VIEWS else "picture"
            if coverage is not None:
                codes = display_matte(self.renderer.run(plan), self.renderer.run(coverage), look.view)
            elif view == "picture" and not look.checker:
                codes = self.renderer.shown(plan, window)
            else:
                codes = display(self.renderer.run(plan), window, view, look.checker)
            data = simplejpeg.encode_jpeg(codes, ask.quality, "RGB", "420" if ask.quality < 90 else "444")
            kept = Drawn(key, data)
            self.jpegs.put(key, kept)
        return kept

    def _keys(self, known: Any, look: Look, scale: float, quality: int, frames: list[int]) -> dict[str, Any]:
        """The keys that pictures of some frames would have, "" for those that cannot be drawn."""
        plans = Plans(self.renderer, known, look, scale, False, quality)
        out: dict[Any, str] = {}
        for frame in frames:
            try:
                out[frame] = plans.at(frame)[2]
            except TropeinError:
                out[frame] = ""
        return out


class Plans:
    """How pictures of a shot come about, looked at in one way at one scale."""

    def __init__(self, renderer: Any, shot: Any, look: Look, scale: float, draft: bool, quality: int) -> None:
        from tropein.core.compose.view import cut_alone

        shown = looked_at(shot, look)
        matte = shown.mattes.get(look.matte) if look.shows_matte else None
        self.matte = None if matte is None else matte.id
        self.mattes = None if matte is None else renderer.planner(shown, scale)
        if matte is not None and look.view.startswith("on-"):
            shown = cut_alone(shown, matte.id)
        self.planner = renderer.planner(shown, scale, "draft" if draft else "final")
        self._rest = f"{self.planner.frame_window} {look.view} {look.checker} {quality}"

    def at(self, frame: int) -> tuple[Any, Any, str]:
        """(the step that makes the picture, that of the matte or None, the picture's key)."""
        plan = self.planner.plan(frame)
        coverage = None if self.mattes is None else self.mattes.matte(self.matte, frame)
        text = f"{plan.key} {coverage.key if coverage else ''} {self._rest}"
        return plan, coverage, blake2b(text.encode(), digest_size=12).hexdigest()


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


def _alone(previewer: Previewer, kind: str, start: str, frame: int, width: int) -> bytes:
    """What a content makes by itself, as a JPEG (see core.compose.alone)."""
    import simplejpeg

    from tropein.core.compose.alone import alone

    return bytes(simplejpeg.encode_jpeg(alone(previewer.renderer, kind, start, frame, width), 85, "RGB"))


# what needs no shot: footage is decoded for it, or a picture made of nothing but its parameters
ERRANDS: dict[str, Callable[..., Any]] = {"snap": _snap, "patches": _patches, "alone": _alone}


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
    # kernels are read from their cache now, not at the first picture; what is not there yet is being compiled elsewhere
    for part in PARTS:
        if part in ("pixels", "rows") or ready(part).exists():
            warm(part)
    settled()
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
