"""Taking a bundle into the database: its media onto the shelf, its tracks to the artefacts, its shot as a new one."""

from __future__ import annotations

import tempfile
from pathlib import Path

from tropein.app.jobs.context import WorkContext
from tropein.app.store import shelf, shots
from tropein.app.store.database import transaction
from tropein.core.errors import Asks, BadInput
from tropein.core.interchange.bundle import Bundle
from tropein.core.media.record import MediaRecord


def take_in(context: WorkContext, path: Path) -> shots.ShotState:
    """The imported shot. Nothing is stored of a bundle that is damaged or does not hold together."""
    bundle = Bundle(path)
    try:
        with tempfile.TemporaryDirectory(dir=context.library.incoming) as folder:
            records = {}
            for media, files in bundle.media():
                paths = bundle.unpack_media(media, files, Path(folder) / media)
                rate = next(f.rate for f in bundle.shot.footage.values() if f.media == media)
                stored, records[media] = _added(context, [(p, p.name) for p in paths], rate)
                if stored != media:
                    raise BadInput("The media in the bundle is not what its shot names.")
            bundle.unpack_bulk(context.artefacts)
            with transaction(context.engine) as session:
                for footage in bundle.shot.footage.values():
                    shelf.add(session, footage.media, footage.name, records[footage.media], [])
                return shots.create(session, bundle.shot)
    finally:
        bundle.close()


def _added(context: WorkContext, files: list[tuple[Path, str]], rate: str) -> tuple[str, MediaRecord]:
    """Gaps between pictures are held, or where that makes too many frames left out."""
    try:
        return context.library.add(files, rate, gaps="hold")
    except Asks:
        return context.library.add(files, rate, gaps="drop")
