"""What commands share: ranges, output, progress."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from tropein.core.errors import BadInput


def frame_range(text: str | None, first: int, last: int) -> tuple[int, int]:
    """`A-B`, both included, within first..last."""
    if text is None:
        return first, last
    a, _, b = text.partition("-")
    if not (a.isdigit() and b.isdigit()) or not first <= int(a) <= int(b) <= last:
        raise BadInput(f"--frames is written A-B with both ends within {first}-{last}, not {text!r}.")
    return int(a), int(b)


def say(data: dict[str, Any], as_json: bool) -> None:
    """A result: JSON, or a line for each entry."""
    if as_json:
        sys.stdout.write(json.dumps(data) + "\n")
        return
    for key, value in data.items():
        text = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
        sys.stdout.write(f"{key.replace('_', ' '):<16} {text}\n")


@contextmanager
def bar(what: str, total: int) -> Iterator[Any]:
    """A progress bar on a terminal, nothing when piped: yields a function to call with how many are done."""
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console, disable=not console.is_terminal, transient=True) as progress:
        task = progress.add_task(what, total=total)
        yield lambda done: progress.update(task, completed=done)


def whole_or_nothing(out: Path, data: bytes) -> None:
    """Write a file under its name only when it is whole."""
    if not out.parent.is_dir():
        raise BadInput(f"There is no folder {out.parent}.")
    part = out.with_name(f".{out.name}.part")
    part.write_bytes(data)
    part.replace(out)
