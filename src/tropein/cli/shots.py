"""Commands on shots: by name or id in the database, or as bundle files."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from sqlalchemy import select

from tropein.cli.clips import Json
from tropein.cli.common import bar, frame_range, say
from tropein.core.compose.artefacts import Artefacts
from tropein.core.compose.loop import plate_sound, render_part, target_of
from tropein.core.compose.render import of_artefacts
from tropein.core.document import Shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.files import whole
from tropein.core.interchange.bundle import Bundle, write_bundle
from tropein.core.media.adhoc import borrow
from tropein.core.media.encode import MOVIES, SUFFIX, Format, join
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

    from tropein.app.store.models import ShotRow

Name = Annotated[str, typer.Argument(metavar="SHOT", help="A shot's name or id, or a bundle file.")]
CACHE_BYTES = 1 << 30


@contextmanager
def opened(name: str) -> Iterator[tuple[Shot, MediaStore, Artefacts]]:
    """(shot, media store, artefacts) of a bundle file or of a shot in the database."""
    path = Path(name)
    if path.is_file():
        with tempfile.TemporaryDirectory() as folder:
            bundle = Bundle(path)
            store, artefacts = MediaStore(Path(folder) / "media"), Artefacts(Path(folder) / "artefacts")
            for media, files in bundle.media():
                paths = bundle.unpack_media(media, files, Path(folder) / "unpacked" / media)
                rate = next(f.rate for f in bundle.shot.footage.values() if f.media == media)
                borrow(store, paths, rate, with_sound=True)
            bundle.unpack_bulk(artefacts)
            yield bundle.shot, store, artefacts
        return
    from tropein.app.jobs.context import here
    from tropein.app.store import shots
    from tropein.app.store.database import migrate, transaction

    context = here()
    migrate(context.engine)
    with transaction(context.engine) as session:
        shot = shots.shot_of(session, stored_shot(session, name).id)
    yield shot, context.library.store, context.artefacts


def stored_shot(session: Session, name: str) -> ShotRow:
    """A shot in the database by its name or id."""
    from tropein.app.store.models import ShotRow

    rows = list(session.scalars(select(ShotRow).where((ShotRow.id == name) | (ShotRow.name == name))))
    if not rows:
        raise NotFound(f"There is no shot {name!r}, and no such file.")
    if len(rows) > 1:
        raise BadInput(f"{len(rows)} shots are called {name!r}; name one by its id: {', '.join(r.id for r in rows)}.")
    return rows[0]


def render(
    shot: Name,
    out: Annotated[str, typer.Option("-o", help="A file, or for pictures name_%04d.png.")],
    frames: Annotated[str | None, typer.Option("--frames", help="A-B, both included; default the shot's trim.")] = None,
    scale: Annotated[float, typer.Option(help="1 is full size.")] = 1.0,
    format: Annotated[
        str | None, typer.Option("--format", help="h264, prores4444, png or exr; default by suffix.")
    ] = None,
    matte: Annotated[str | None, typer.Option(help="The name of a matte: only its coverage is written.")] = None,
    json: Json = False,
) -> None:
    """Render a shot, or one of its mattes alone."""
    form = _format(out, format)
    target = Path(out)
    if not target.parent.is_dir():
        raise BadInput(f"There is no folder {target.parent}.")
    if not 0.01 < scale <= 2:
        raise BadInput("--scale lies above 0.01 and up to 2.")
    with opened(shot) as (document, store, artefacts):
        first, last = frame_range(frames, 0, document.frames - 1) if frames else document.trim
        only = _matte(document, matte)
        sources = Sources(store, final=True)
        renderer = of_artefacts(sources, artefacts, CACHE_BYTES, in_order=True)
        with bar("rendering", last - first + 1) as tick:
            if form in MOVIES:
                part = target.with_name(f".{target.stem}.{os.getpid()}.part{SUFFIX[form]}")
                try:
                    render_part(renderer, document, first, last, scale, form, part, lambda f: tick(f - first + 1), only)
                    sound, start = plate_sound(document, store, first)
                    with whole(target) as hidden:
                        join([(part, last - first + 1)], hidden, target_of(document, scale, form), sound, start)
                finally:
                    part.unlink(missing_ok=True)
            else:
                render_part(renderer, document, first, last, scale, form, target, lambda f: tick(f - first + 1), only)
        sources.close()
    say({"frames": last - first + 1, "written": out}, json)


def _matte(shot: Shot, name: str | None) -> str | None:
    if name is None:
        return None
    found = [m.id for m in shot.mattes.values() if name in (m.name, m.id)]
    if not found:
        known = ", ".join(m.name for m in shot.mattes.values()) or "none"
        raise BadInput(f"The shot has no matte called {name!r}; it has {known}.")
    return found[0]


def _format(out: str, asked: str | None) -> Format:
    by_suffix = {v: k for k, v in SUFFIX.items()}
    form = asked or by_suffix.get(Path(out).suffix.lower())
    if form not in SUFFIX:
        raise BadInput("--format is one of h264, prores4444, png, exr.")
    if form not in MOVIES:
        if "%" not in out:
            raise BadInput("Pictures are written to a name like out_%04d.png.")
        try:
            out % 1
        except (TypeError, ValueError):
            raise BadInput(f"{out}: a sequence is written like name_%04d.png.") from None
    return form  # type: ignore[return-value]


def export_shot(
    shot: Name, out: Annotated[Path, typer.Option("-o", help="The bundle to write, FILE.tropein.")], json: Json = False
) -> None:
    """Write a shot with its media and tracks as one file."""
    if not out.parent.is_dir():
        raise BadInput(f"There is no folder {out.parent}.")
    with opened(shot) as (document, store, artefacts):
        write_bundle(document, store, artefacts, out)
    say({"written": str(out), "bytes": out.stat().st_size}, json)


def import_shot(file: Annotated[Path, typer.Argument(help="A bundle.")], json: Json = False) -> None:
    """Take a bundle into the database."""
    from tropein.app.jobs.bundles import take_in
    from tropein.app.jobs.context import here
    from tropein.app.store.database import migrate

    if not file.is_file():
        raise BadInput(f"There is no file {file}.")
    context = here()
    migrate(context.engine)
    with bar("importing", 0):
        state = take_in(context, file)
    say({"id": state.id, "name": state.name}, json)
