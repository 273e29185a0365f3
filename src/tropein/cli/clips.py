"""Commands that work on a clip alone."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from tropein.cli.common import say
from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow, files_of
from tropein.core.media.probe import probe
from tropein.core.media.record import MediaRecord, MediaStore

Clip = Annotated[str, typer.Argument(help="A clip, or a sequence like name_%04d.png.")]
Json = Annotated[bool, typer.Option("--json", help="Print a machine-readable result.")]


def probe_clip(clip: Clip, json: Json = False) -> None:
    """Size, rate, frames, colour tags, sound."""
    record = probe(files_of(clip))
    say(record.summary(), json)


@contextmanager
def seen(clip: str) -> Iterator[tuple[MediaStore, str, MediaRecord]]:
    """A clip used where it lies, in a store of its own for as long: (store, hash, facts). BadInput when it has no pictures."""
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, record = borrow(store, files_of(clip))
        if record.kind == "sound":
            raise BadInput(f"{clip} holds no pictures.")
        yield store, media, record
