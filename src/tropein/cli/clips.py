"""Commands that work on a clip alone."""

from __future__ import annotations

from typing import Annotated

import typer

from tropein.cli.common import say
from tropein.core.media.adhoc import files_of
from tropein.core.media.probe import probe

Clip = Annotated[str, typer.Argument(help="A clip, or a sequence like name_%04d.png.")]
Json = Annotated[bool, typer.Option("--json", help="Print a machine-readable result.")]


def probe_clip(clip: Clip, json: Json = False) -> None:
    """Size, rate, frames, colour tags, sound."""
    record = probe(files_of(clip))
    say(record.summary(), json)
