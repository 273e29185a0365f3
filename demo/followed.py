"""The demo's tracks: followed once, by the same code a user runs, and kept beside the scripts so that a first start need not wait for them.

`python -m demo.followed` follows what is missing; with --again all of it, saying of each whether it is the same as what was kept.
"""

from __future__ import annotations

import argparse
import gzip
import json
import sys
from hashlib import sha256
from pathlib import Path

from tropein.app.jobs.context import WorkContext
from tropein.core.document import Footage, Track
from tropein.core.track.file import FileBase, parse_track
from tropein.core.track.job import Job

KEPT = Path(__file__).parent / "tracks"
IDS = {"id", "footage", "samples", "lost_frames", "note"}  # what of a track says nothing of how it is followed


def followed(context: WorkContext, footage: Footage, track: Track) -> FileBase:
    """What following a track through its footage finds: as it is kept, else found now."""
    kept = kept_as(footage, track)
    if kept.exists():
        return parse_track(kept.read_bytes())
    return measured(context, footage, track)


def measured(context: WorkContext, footage: Footage, track: Track) -> FileBase:
    file: FileBase = track.measure(Job(context.library.store, footage, track, (0, footage.frames - 1))).file
    return file


def kept_as(footage: Footage, track: Track) -> Path:
    """Where it is kept: under what was followed, and how."""
    said = {"media": footage.media, "track": track.model_dump(mode="json", exclude=IDS)}
    name = "".join(c if c.isalnum() else "-" for c in track.name.lower())
    return KEPT / f"{name}.{sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()[:12]}.json.gz"


def keep(footage: Footage, track: Track, file: FileBase) -> None:
    KEPT.mkdir(exist_ok=True)
    kept_as(footage, track).write_bytes(gzip.compress(file.dumps(), 9, mtime=0))


def main(again: bool) -> int:
    """Set the demo up in a database of its own, following what is not kept, or all of it."""
    from demo.place import demo_place
    from demo.shots import common

    found: set[Path] = set()

    def follow(context: WorkContext, footage: Footage, track: Track) -> FileBase:
        place = kept_as(footage, track)
        found.add(place)
        before = parse_track(place.read_bytes()) if place.exists() else None
        file = measured(context, footage, track) if again or before is None else before
        if before is not None and again:
            sys.stdout.write(f"  {track.name}: {'the same' if before.dumps() == file.dumps() else 'another'}\n")
        keep(footage, track, file)
        return file

    common.followed = follow
    with demo_place(say=lambda words: sys.stdout.write(f"  {words}\n")):
        pass
    for old in set(KEPT.glob("*.json.gz")) - found:
        old.unlink()
    return 0


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--again", action="store_true")
    sys.exit(main(parser.parse_args().again))
