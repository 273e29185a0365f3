"""Whether an insert sits, and the grade that brings it to a plate."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Annotated

import numpy as np
import typer
from numpy.typing import NDArray

from tropein.cli.clips import Json
from tropein.cli.common import bar, say, whole_or_nothing
from tropein.cli.shots import CACHE_BYTES, Name, opened
from tropein.core.compose.render import of_artefacts
from tropein.core.document import Layer, Shot
from tropein.core.errors import BadInput
from tropein.core.interchange.cube import written_cube
from tropein.core.match.cdl import Cdl
from tropein.core.match.fit import from_clouds
from tropein.core.match.sit import MOST, USUAL, Sat, in_order, sit
from tropein.core.media.adhoc import borrow, files_of
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.raster.colour import encoded
from tropein.core.raster.picture import Pixels

WHOLE, WIDEST = 0.95, 640


def check(
    shot: Name,
    layer: Annotated[str, typer.Option("--layer", help="The insert's name or id.")],
    frames: Annotated[
        int, typer.Option("--frames", min=1, max=MOST, help="At how many frames it is looked at.")
    ] = USUAL,
    json: Json = False,
) -> None:
    """Measure whether an insert sits in its plate. Exit code 1 when something shows."""
    with opened(shot) as (document, store, artefacts):
        insert = _insert(document, layer)
        sources = Sources(store, final=True)
        renderer = of_artefacts(sources, artefacts, CACHE_BYTES)
        found: list[Sat] = []
        with bar("measuring", len(in_order())) as tick:
            for done, measure in enumerate(in_order(), 1):
                found.append(sit(renderer, document, insert.id, measure, frames))
                tick(done)
        sources.close()
    found.sort(key=lambda s: (not s.visible, not s.judged, -s.times))
    seen = [s for s in found if s.visible]
    if json:
        say({"layer": insert.name, "sits": not seen, "measures": [s.model_dump() for s in found]}, True)
    else:
        say({s.title: _line(s) for s in found}, False)
        say({"it": "sits" if not seen else f"shows by {', '.join(s.title.lower() for s in seen)}"}, False)
    if seen:
        raise typer.Exit(1)


def _line(sat: Sat) -> str:
    mark = "!" if sat.visible else ("-" if sat.judged else "?")
    return f"{mark} {sat.words}" + (f" (frame {sat.worst})" if sat.visible else "")


def _insert(shot: Shot, name: str) -> Layer:
    found = [x for x in shot.layers.values() if name in (x.name, x.id) and x.content.has_picture and x.id != shot.plate]
    if not found:
        known = (
            ", ".join(x.name for x in shot.layers.values() if x.content.has_picture and x.id != shot.plate) or "none"
        )
        raise BadInput(f"The shot has no insert called {name!r}; it has {known}.")
    if len(found) > 1:
        raise BadInput(
            f"{len(found)} layers are called {name!r}; name one by its id: {', '.join(x.id for x in found)}."
        )
    return found[0]


def match(
    plate: Annotated[str, typer.Argument(metavar="PLATE", help="A picture or clip.")],
    insert: Annotated[
        str, typer.Argument(metavar="INSERT", help="A picture or clip; what is clear in it does not count.")
    ],
    out: Annotated[Path, typer.Option("-o", help="A .cdl, or a .cube table of the same grade.")],
    region: Annotated[str | None, typer.Option(help="X,Y,W,H of the plate, pixels; default all of it.")] = None,
    own: Annotated[str | None, typer.Option(help="X,Y,W,H of the insert, pixels.")] = None,
    frame: Annotated[int | None, typer.Option(help="Of the plate; default its middle.")] = None,
    json: Json = False,
) -> None:
    """The grade that brings an insert to a plate, by the colours that occur in both."""
    if out.suffix.lower() not in (".cdl", ".cube"):
        raise BadInput("-o names a .cdl or a .cube file.")
    there, here = _pixels(plate, frame), _pixels(insert, None)
    wanted, colours = _colours(_cropped(there, region, "--region")), _colours(_cropped(here, own, "--own"))
    found = from_clouds(colours, wanted)
    grade = found.grade if found.helps else Cdl()
    text = grade.written(out.stem) if out.suffix.lower() == ".cdl" else written_cube(grade, out.stem)
    whole_or_nothing(out, text.encode())
    say(
        {
            "written": str(out), "before": round(found.before, 2), "after": round(found.after, 2), "helps": found.helps,
            "slope": [round(v, 4) for v in grade.slope], "offset": [round(v, 4) for v in grade.offset], "power": [round(v, 4) for v in grade.power],
            "saturation": round(grade.saturation, 4),
            "note": "" if found.helps else "No grade brings the two nearer to each other: this one changes nothing.",
        },
        json,
    )  # fmt: skip


def _pixels(clip: str, frame: int | None) -> Pixels:
    """(h, w, 4) linear, full size."""
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, record = borrow(store, files_of(clip))
        if record.kind == "sound":
            raise BadInput(f"{clip} has no picture.")
        at = record.frames // 2 if frame is None else frame
        if not 0 <= at < record.frames:
            raise BadInput(f"{clip} has frames 0 to {record.frames - 1}.")
        sources = Sources(store, final=True)
        try:
            return sources.read(media, at, 0).picture().pixels
        finally:
            sources.close()


def _cropped(pixels: Pixels, text: str | None, option: str) -> Pixels:
    if text is None:
        return pixels
    try:
        x, y, w, h = (float(v) for v in text.split(","))
    except ValueError:
        raise BadInput(f"{option} is written X,Y,W,H.") from None
    part = pixels[max(0, int(y)) : max(0, int(np.ceil(y + h))), max(0, int(x)) : max(0, int(np.ceil(x + w)))]
    if not part.size:
        raise BadInput(f"{option} lies outside the picture of {pixels.shape[1]}x{pixels.shape[0]}.")
    return part


def _colours(pixels: Pixels) -> NDArray[np.float64]:
    """(n, 3) display colours of what is not clear."""
    step = max(1, pixels.shape[1] // WIDEST)
    few = pixels[::step, ::step].reshape(-1, 4)
    whole = few[:, 3] > WHOLE
    straight = few[whole][:, :3] / few[whole][:, 3:]
    if not len(straight):
        raise BadInput("There is nothing in the picture but what is clear.")
    return np.asarray(encoded(np.ascontiguousarray(straight[None], np.float32))[0], np.float64)
