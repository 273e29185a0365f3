"""Carrying a cut-out through its footage, and a first guess of it."""

from __future__ import annotations

from typing import ClassVar, Literal

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.compose.timing import footage_frame
from tropein.core.document import Id, Layer, Shot
from tropein.core.document.base import FrameNumber
from tropein.core.errors import BadInput, NotFound
from tropein.core.matte.cutout_file import packed
from tropein.core.matte.people import guessed
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.pieces.carry import Carry, carry
from tropein.core.pieces.cutout import CutoutPiece, CutoutStroke
from tropein.core.pieces.settled import by_frame, mark_of


class OfCutout(WorkBase):
    """Work on a cut-out of a matte."""

    matte: Id
    piece: Id

    def found(self, session: Session) -> tuple[Shot, CutoutPiece, Layer]:
        """The shot, the cut-out, and the layer it looks at."""
        shot = shots.shot_of(session, self.shot or "")
        piece = shot.mattes[self.matte].pieces.get(self.piece) if self.matte in shot.mattes else None
        if not isinstance(piece, CutoutPiece):
            raise NotFound("This cut-out does not exist (any more).")
        return shot, piece, shot.layers[piece.layer]

    def write(self, session: Session, label: str, field: str, value: object) -> None:
        op = {"op": "add", "path": f"/mattes/{self.matte}/pieces/{self.piece}/{field}", "value": value}
        shots.apply(session, self.shot or "", None, label, [op], "worker")


@WORKS.add
class CarryCutout(OfCutout):
    """Carries a cut-out's strokes through the whole of its footage that the shot shows. The result replaces what was carried before; a
    cancelled run leaves that as it is."""

    title: ClassVar[str] = "Carry a cut-out"
    kind: Literal["cutout"] = "cutout"
    first: FrameNumber = 0
    last: FrameNumber = 0
    total: int = 0

    def begin(self, session: Session) -> Begun:
        shot, piece, layer = self.found(session)
        if not any(s.keep for s in piece.strokes):
            raise BadInput("Draw a stroke over what is to be kept first, on any frame.")
        frames = [footage_frame(shot, layer, f) for f in range(shot.trim[0], shot.trim[1] + 1)]
        shown = [f for f in frames if f is not None]
        drawn = [s.frame for s in piece.strokes]
        end = shot.footage[layer.footage or ""].frames - 1
        self.first, self.last = max(0, min([*shown, *drawn])), min(end, max([*shown, *drawn]))
        self.total = self.last - self.first + 1 + max(drawn) - min(drawn)  # between strokes from both sides
        return Begun(f"Carry {piece.name}", self.total)

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        with transaction(context.engine) as session:
            shot, piece, layer = self.found(session)
        footage = shot.footage[layer.footage or ""]
        ticker, count = Ticker(context, run_id), 0

        def report(frame: int) -> None:
            nonlocal count
            count += 1
            if ticker.due():
                ticker.tick(min(count, self.total), self.total, f"frame {frame}")

        strokes = by_frame(piece.strokes)
        pictures = ColourFrames(context.library.store, footage.media)
        try:
            frames = carry(Carry(pictures.rgb, footage.size, (self.first, self.last), strokes, report))
        finally:
            pictures.close()
        name = context.artefacts.put_cutout(packed(frames, {f: mark_of(s) for f, s in strokes.items()}))

        def store(session: Session) -> Ended:
            self.write(session, f"carry {self.found(session)[1].name}", "samples", name)
            missing = self.last - self.first + 1 - len(frames)
            return Ended({"frames": len(frames), "note": f"{missing} frames lie beyond a cut." if missing else ""})

        return Outcome(store)


@WORKS.add
class GuessPeople(OfCutout):
    """Strokes for the people of one frame of the footage, added to those that are there."""

    title: ClassVar[str] = "Guess people"
    kind: Literal["guess"] = "guess"
    frame: FrameNumber

    def begin(self, session: Session) -> Begun:
        shot, piece, layer = self.found(session)
        if self.frame >= shot.footage[layer.footage or ""].frames:
            raise BadInput(f"There is no frame {self.frame} in {layer.name}.")
        return Begun(f"Guess the person for {piece.name}", 1)

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        with transaction(context.engine) as session:
            shot, _, layer = self.found(session)
        pictures = ColourFrames(context.library.store, shot.footage[layer.footage or ""].media)
        try:
            strokes = guessed(pictures.rgb(self.frame))
        finally:
            pictures.close()
        drawn = [CutoutStroke(frame=self.frame, keep=s.keep, points=list(s.points), width=s.width) for s in strokes]

        def store(session: Session) -> Ended:
            piece = self.found(session)[1]
            rows = [s.model_dump(mode="json") for s in [*piece.strokes, *drawn]]
            self.write(session, f"guess the person for {piece.name}", "strokes", rows)
            return Ended({"strokes": len(drawn)})

        return Outcome(store)
