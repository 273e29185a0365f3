"""Commands that work on a clip alone."""

from __future__ import annotations

import gzip
import tempfile
from pathlib import Path
from typing import Annotated

import typer

from tropein.cli.common import bar, frame_range, say, whole_or_nothing
from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow, files_of
from tropein.core.media.probe import probe
from tropein.core.media.record import MediaStore

Clip = Annotated[str, typer.Argument(help="A clip, or a sequence like name_%04d.png.")]
Json = Annotated[bool, typer.Option("--json", help="Print a machine-readable result.")]


def probe_clip(clip: Clip, json: Json = False) -> None:
    """Size, rate, frames, colour tags, sound."""
    record = probe(files_of(clip))
    say(record.summary(), json)


def track_point(
    clip: Clip,
    at: Annotated[
        list[str], typer.Option("--at", help="X,Y in pixels of the full-size clip; several times for several.")
    ],
    frame: Annotated[int, typer.Option("--frame", help="The frame at which the points are.")],
    out: Annotated[Path, typer.Option("-o", help="The track file to write (.json or .json.gz).")],
    frames: Annotated[str | None, typer.Option("--frames", help="A-B, both included.")] = None,
    pattern: Annotated[int, typer.Option(help="Half the side of the patch, pixels.")] = 15,
    reach: Annotated[int, typer.Option(help="How far a lost point is looked for, pixels.")] = 40,
    json: Json = False,
) -> None:
    """Follow points both ways from a frame."""
    from tropein.core.media.grey import GreyFrames
    from tropein.core.track.file import Sample, TrackFile
    from tropein.core.track.follow import follow
    from tropein.core.track.point import Anchor

    points = [_point(text) for text in at]
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, record = borrow(store, files_of(clip))
        if record.kind == "sound":
            raise BadInput(f"{clip} holds no pictures.")
        first, last = frame_range(frames, 0, record.frames - 1)
        if not first <= frame <= last:
            raise BadInput(f"--frame must lie within {first}-{last}.")
        grey = GreyFrames(store, media)
        results = []
        with bar("tracking", (last - first + 1) * len(points)) as tick:
            done = 0

            def count(_: object) -> None:
                nonlocal done
                done += 1
                tick(done)

            for point in points:
                found, _ = follow(grey, Anchor(frame, point), [], (first, last), "both", pattern, reach, count)
                results.append(found)
        grey.close()
    every = sorted(set().union(*results))
    rows = []
    for f in every:
        here = [r.get(f) for r in results]
        confidence = [round(h.confidence, 4) if h else 0.0 for h in here]
        rows.append(
            Sample(
                frame=f, confidence=min(confidence), lost=any(h is None or h.lost for h in here),
                points=[(round(h.xy[0], 4), round(h.xy[1], 4)) if h else None for h in here], point_confidence=confidence,
                reason=next((h.reason for h in here if h and h.reason), ""),
            )
        )  # fmt: skip
    file = TrackFile(source=Path(clip).name, size=record.size, rate=record.rate, reference_frame=frame, frames=rows)
    data = file.dumps()
    whole_or_nothing(out, gzip.compress(data) if out.suffix == ".gz" else data)
    say({"frames": len(rows), "lost": sum(r.lost for r in rows), "written": str(out)}, json)


def _point(text: str) -> tuple[float, float]:
    x, _, y = text.partition(",")
    try:
        return float(x), float(y)
    except ValueError:
        raise BadInput(f"--at is written X,Y, not {text!r}.") from None
