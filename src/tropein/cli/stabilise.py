"""Holding a clip still from the command line."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Annotated, Literal

import typer

from tropein.cli.clips import Clip, Json
from tropein.cli.common import bar, frame_range, say
from tropein.core.compose.loop import plate_sound, render_part, target_of
from tropein.core.compose.render import Renderer
from tropein.core.contents.footage import FootageContent
from tropein.core.document import Layer, Place, Shot, Steady
from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow, files_of
from tropein.core.media.encode import join
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.tracks.picture import PictureTrack

CACHE_BYTES = 256 << 20


def stabilise(
    clip: Clip,
    out: Annotated[Path, typer.Option("-o", help="The film to write (.mp4).")],
    strength: Annotated[float, typer.Option(help="How much of the shake goes, 0..1.")] = 1.0,
    smooth: Annotated[float, typer.Option(help="How smooth a move is left, frames; 0 holds the picture still.")] = 12.0,
    crop: Annotated[str, typer.Option(help="auto: zoom in until no edge shows; none: mirror at the edges.")] = "auto",
    frames: Annotated[str | None, typer.Option("--frames", help="A-B, both included.")] = None,
    json: Json = False,
) -> None:
    """Take the shake out of a clip."""
    from tropein.cli.tracks import footage_of
    from tropein.core.track.job import Job

    if crop not in ("auto", "none"):
        raise BadInput("--crop is auto or none.")
    if not 0 <= strength <= 1 or not 0 <= smooth <= 120:
        raise BadInput("--strength lies within 0..1, --smooth within 0..120 frames.")
    if out.suffix.lower() != ".mp4" or not out.parent.is_dir():
        raise BadInput("-o names an .mp4 file in a folder that is there.")
    edge: Literal["zoom", "mirror"] = "zoom" if crop == "auto" else "mirror"
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, record = borrow(store, files_of(clip), with_sound=True)
        if record.kind not in ("clip", "sequence"):
            raise BadInput(f"{clip} does not move.")
        first, last = frame_range(frames, 0, record.frames - 1)
        footage = footage_of(Path(clip).name, media, record)
        track = PictureTrack(id="whole", name="whole", footage=footage.id, reference_frame=first)
        path = track.measure(Job(store, footage, track, (first, last))).file.path()
        w, h = footage.size
        held = Steady(
            track="whole", reference_frame=first, parts=["position", "rotation", "scale"], strength=strength, smooth=smooth, edge=edge
        )  # fmt: skip
        place = Place.model_validate({"position": {"value": (w / 2, h / 2)}, "steady": held.model_dump()})
        layer = Layer(id="plate", name="plate", content=FootageContent(footage=footage.id), place=place)
        shot = Shot(
            name="steady", size=footage.size, rate=footage.rate, frames=footage.frames, trim=(first, last), plate="plate",
            footage={footage.id: footage}, layers={"plate": layer}, stack=["plate"],
            tracks={"whole": track.model_copy(update={"samples": "0" * 32})},
        )  # fmt: skip
        sources = Sources(store, final=True)
        part, whole = Path(folder) / "part.mp4", out.with_name(f".{out.stem}.whole.mp4")
        with bar("rendering", last - first + 1) as tick:
            renderer = Renderer(sources, lambda samples, spot: path, CACHE_BYTES)
            render_part(renderer, shot, first, last, 1.0, "h264", part, lambda f: tick(f - first + 1))
        sources.close()
        sound, start = plate_sound(shot, store, first)
        try:
            join([(part, last - first + 1)], whole, target_of(shot, 1.0, "h264"), sound, start)
            whole.replace(out)
        finally:
            whole.unlink(missing_ok=True)
    say({"frames": last - first + 1, "written": str(out)}, json)
