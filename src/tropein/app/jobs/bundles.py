"""Taking a bundle into the database: its media onto the shelf, its tracks to the artefacts, its shot as a new one."""

from __future__ import annotations

import tempfile
from pathlib import Path

from tropein.app.jobs.context import WorkContext
from tropein.app.store import shelf, shots
from tropein.app.store.database import transaction
from tropein.core.errors import BadInput
from tropein.core.interchange.bundle import Bundle
from tropein.core.media.probe import natural


def take_in(context: WorkContext, path: Path) -> shots.ShotState:
    """The imported shot. Nothing is stored of a bundle that is damaged or does not hold together."""
    bundle = Bundle(path)
    try:
        with tempfile.TemporaryDirectory(dir=context.library.incoming) as folder:
            records = {}
            for media, files in bundle.media():
                unpacked = Path(folder) / media
                bundle.unpack_media(files, unpacked)
                rate = next(f.rate for f in bundle.shot.footage.values() if f.media == media)
                given = [(p, p.name) for p in sorted(unpacked.iterdir(), key=natural)]
                stored, record = context.library.add(given, rate)
                if stored != media:
                    raise BadInput("The media in the bundle is not what its shot names.")
                records[media] = record
            bundle.unpack_tracks(context.artefacts.root)
            with transaction(context.engine) as session:
                for footage in bundle.shot.footage.values():
                    shelf.add(session, footage.media, footage.name, records[footage.media], [])
                return shots.create(session, bundle.shot)
    finally:
        bundle.close()
