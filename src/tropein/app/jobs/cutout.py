"""Carrying a cut-out through its footage."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.compose.cutout_piece import by_frame, mark_of
from tropein.core.compose.cutouts import Carry, carry
from tropein.core.document import CutoutPiece, CutoutStroke, Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import NotFound
from tropein.core.matte.cutout_file import packed
from tropein.core.matte.people import guessed
from tropein.core.media.colour_frames import ColourFrames


def run_cutout(context: WorkContext, run_id: str, params: dict[str, Any]) -> Outcome:
    """The whole result replaces what was carried before; a cancelled run leaves that as it is."""
    shot_id, matte_id, piece_id = params["shot"], params["matte"], params["piece"]
    with transaction(context.engine) as session:
        shot = load_shot(shots.row_of(session, shot_id).document)
    piece = found(shot, matte_id, piece_id)
    layer = shot.layers[piece.layer]
    footage = shot.footage[layer.footage or ""]
    ticker, count = Ticker(context, run_id), 0

    def report(frame: int) -> None:
        nonlocal count
        count += 1
        if ticker.due():
            ticker.tick(min(count, params["total"]), params["total"], f"frame {frame}")

    strokes = by_frame(piece.strokes)
    pictures = ColourFrames(context.library.store, footage.media)
    try:
        frames = carry(Carry(pictures.rgb, footage.size, (params["first"], params["last"]), strokes, report))
    finally:
        pictures.close()
    name = context.artefacts.put_cutout(packed(frames, {f: mark_of(s) for f, s in strokes.items()}))

    def store(session: Session) -> Ended:
        piece = found(load_shot(shots.row_of(session, shot_id).document), matte_id, piece_id)
        ops: list[dict[str, Any]] = [
            {"op": "add", "path": f"/mattes/{matte_id}/pieces/{piece_id}/samples", "value": name}
        ]
        shots.apply(session, shot_id, None, f"carry {piece.name}", ops, "worker")
        missing = params["last"] - params["first"] + 1 - len(frames)
        return Ended({"frames": len(frames), "note": f"{missing} frames lie beyond a cut." if missing else ""})

    return Outcome(store)


def run_guess(context: WorkContext, run_id: str, params: dict[str, Any]) -> Outcome:
    """Strokes for the people of one frame, added to those that are there."""
    shot_id, matte_id, piece_id, frame = params["shot"], params["matte"], params["piece"], params["frame"]
    with transaction(context.engine) as session:
        shot = load_shot(shots.row_of(session, shot_id).document)
    piece = found(shot, matte_id, piece_id)
    layer = shot.layers[piece.layer]
    pictures = ColourFrames(context.library.store, shot.footage[layer.footage or ""].media)
    try:
        strokes = guessed(pictures.rgb(frame))
    finally:
        pictures.close()
    drawn = [CutoutStroke(frame=frame, keep=s.keep, points=list(s.points), width=s.width) for s in strokes]

    def store(session: Session) -> Ended:
        piece = found(load_shot(shots.row_of(session, shot_id).document), matte_id, piece_id)
        rows = [s.model_dump(mode="json") for s in [*piece.strokes, *drawn]]
        ops: list[dict[str, Any]] = [
            {"op": "replace", "path": f"/mattes/{matte_id}/pieces/{piece_id}/strokes", "value": rows}
        ]
        shots.apply(session, shot_id, None, f"guess the person for {piece.name}", ops, "worker")
        return Ended({"strokes": len(drawn)})

    return Outcome(store)


def found(shot: Shot, matte_id: str, piece_id: str) -> CutoutPiece:
    """A cut-out of a matte."""
    matte = shot.mattes.get(matte_id)
    piece = matte.pieces.get(piece_id) if matte else None
    if isinstance(piece, CutoutPiece):
        return piece
    raise NotFound("This cut-out does not exist (any more).")
