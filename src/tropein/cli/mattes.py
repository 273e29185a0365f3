"""Mattes from the command line."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated

import cv2
import numpy as np
import typer
from pydantic import BaseModel, ValidationError

from tropein.cli.clips import Clip, Json, seen
from tropein.cli.common import bar, frame_range, say
from tropein.core.compose.render import Renderer
from tropein.core.contents.footage import FootageContent
from tropein.core.document import Cut, Layer, Matte, Place, Shot
from tropein.core.document.animated import Animated
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput
from tropein.core.matte.fine import fine
from tropein.core.matte.foreground import cleaned
from tropein.core.matte.solid import mended
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.encode import write_coverage, write_picture
from tropein.core.media.record import MediaRecord
from tropein.core.media.source import Sources
from tropein.core.pieces.carry import Carry, carry
from tropein.core.pieces.chroma import ChromaPiece
from tropein.core.pieces.cutout import CutoutStroke
from tropein.core.pieces.settled import by_frame
from tropein.core.raster.colour import DISPLAY, WORKING, convert

CACHE_BYTES = 256 << 20
Holes = Annotated[float, typer.Option("--holes", min=0, help="Close holes up to so many pixels across.")]
Crumbs = Annotated[float, typer.Option("--crumbs", min=0, help="Drop crumbs up to so many pixels across.")]


def key(
    clip: Clip,
    out: Annotated[Path, typer.Option("-o", help="The folder for alpha_%04d.png and fg_%04d.png.")],
    screen: Annotated[str, typer.Option(help="auto, or the screen's colour as #RRGGBB.")] = "auto",
    frames: Annotated[str | None, typer.Option("--frames", help="A-B, both included.")] = None,
    holes: Holes = 0.0,
    crumbs: Crumbs = 0.0,
    json: Json = False,
) -> None:
    """Key the screen behind a subject: coverage (16 bit) and the subject without the screen's light."""
    with seen(clip) as (store, media, record):
        first, last = frame_range(frames, 0, record.frames - 1)
        shot = _keyed_shot(clip, media, record, _colour(screen), holes, crumbs)
        out.mkdir(parents=True, exist_ok=True)
        renderer = Renderer(Sources(store, final=True), lambda samples, spot: None, CACHE_BYTES)
        solid = []
        with bar("keying", last - first + 1) as tick:
            for frame in range(first, last + 1):
                coverage = renderer.matte(shot, "matte", frame)
                write_coverage(out / f"alpha_{frame:04d}.png", coverage.plane)
                write_picture(out / f"fg_{frame:04d}.png", renderer.frame(shot, frame).fill(coverage.window), "png")
                solid.append(float(coverage.plane.mean()))
                tick(frame - first + 1)
    if min(solid) > 0.999:
        raise BadInput("No screen was found in the picture: name its colour with --screen #RRGGBB.")
    say({"folder": str(out), "frames": last - first + 1, "covered": round(float(np.mean(solid)), 4)}, json)


class Drawn(BaseModel):
    """A strokes file: strokes in pixels of the full-size clip, later ones on top."""

    strokes: list[CutoutStroke]


def cutout(
    clip: Clip,
    strokes: Annotated[
        Path, typer.Option("--strokes", help='JSON: {"strokes": [{"frame", "keep", "points", "width"}]}.')
    ],
    out: Annotated[Path, typer.Option("-o", help="The folder for alpha_%04d.png and fg_%04d.png.")],
    frames: Annotated[str | None, typer.Option("--frames", help="A-B, both included.")] = None,
    hair: Annotated[float, typer.Option("--hair", min=0, help="How many pixels hairs stand out of the outline.")] = 0.0,
    holes: Holes = 0.0,
    crumbs: Crumbs = 0.0,
    json: Json = False,
) -> None:
    """Cut out a subject by strokes, carried through the clip: coverage and the subject without the old background."""
    try:
        drawn = Drawn.model_validate_json(strokes.read_bytes()).strokes
    except OSError as error:
        raise BadInput(f"{strokes} cannot be read.") from error
    except ValidationError as error:
        raise BadInput(f"{strokes}: {explain(error)}") from error
    with seen(clip) as (store, media, record):
        first, last = frame_range(frames, 0, record.frames - 1)
        outside = sorted({s.frame for s in drawn if not first <= s.frame <= last})
        if outside:
            raise BadInput(f"There are strokes on frame {outside[0]}, which lies outside {first}-{last}.")
        pictures = ColourFrames(store, media)
        with bar("cutting out", last - first + 1) as tick:
            done: set[int] = set()

            def report(frame: int) -> None:
                done.add(frame)
                tick(len(done))

            made = carry(Carry(pictures.rgb, record.size, (first, last), by_frame(drawn), report))
        out.mkdir(parents=True, exist_ok=True)
        for frame, coverage in made.items():
            codes = pictures.rgb(frame)
            rgb = convert(codes.astype(np.float32) / np.float32(255), DISPLAY, WORKING)
            alpha = cv2.resize(coverage, record.size, interpolation=cv2.INTER_LINEAR).astype(np.float32) / 255
            alpha = mended(fine(codes, alpha, hair), holes, crumbs)
            own = cleaned(rgb, alpha, 1.0, 1.0)
            write_coverage(out / f"alpha_{frame:04d}.png", alpha)
            write_picture(out / f"fg_{frame:04d}.png", np.dstack([own * alpha[..., None], alpha]), "png")
        pictures.close()
    say({"folder": str(out), "frames": len(made), "beyond a cut": last - first + 1 - len(made)}, json)


def _colour(text: str) -> tuple[float, float, float] | None:
    if text == "auto":
        return None
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        raise BadInput("--screen is auto, or a colour as #RRGGBB.")
    codes = np.array([[int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]], np.float32)
    r, g, b = (float(v) for v in convert(codes, DISPLAY, WORKING)[0])
    return r, g, b


def _keyed_shot(
    clip: str, media: str, record: MediaRecord, screen: tuple[float, float, float] | None, holes: float, crumbs: float
) -> Shot:
    from tropein.cli.tracks import footage_of

    footage = footage_of(Path(clip).name, media, record)
    w, h = footage.size
    piece = ChromaPiece(id="screen", name="Screen", layer="plate", screen=screen)
    place = Place.model_validate({"position": {"value": (w / 2, h / 2)}})
    content, cut = FootageContent(footage=footage.id), Cut(id="cut", matte="matte")
    layer = Layer(id="plate", name="plate", content=content, place=place, cuts={"cut": cut})
    mended = {"holes": Animated(value=holes), "crumbs": Animated(value=crumbs)}
    return Shot(
        name="key", size=footage.size, rate=footage.rate, frames=footage.frames, trim=(0, footage.frames - 1), plate="plate",
        footage={footage.id: footage}, layers={"plate": layer}, stack=["plate"],
        mattes={"matte": Matte(id="matte", name="Screen", pieces={piece.id: piece}, order=[piece.id], **mended)},
    )  # fmt: skip
