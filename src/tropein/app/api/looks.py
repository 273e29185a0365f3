"""Looks in and out: tables of colours, and grades as other programs read them."""

from __future__ import annotations

from pathlib import PurePosixPath
from typing import Annotated

from fastapi import File, Path, Query, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel

from tropein.app.api.deps import Db, IdInPath, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.store import shots
from tropein.core.document import new_id
from tropein.core.document.base import MOST_FRAMES
from tropein.core.errors import BadInput, NotFound
from tropein.core.interchange.cube import MOST_BYTES, read_cube
from tropein.core.interchange.looks import GRADES, as_cdl, as_cube, read_grade
from tropein.core.match.colours import put_in

router = plain_router("/api", "looks")


@router.get("/shots/{shot_id}/layers/{layer_id}/effects/{effect_id}/look{extension}", response_class=Response)
def write_look(
    shot_id: IdInPath, layer_id: IdInPath, effect_id: IdInPath, extension: Annotated[str, Path(pattern=r"^\.(cube|cdl)$")], db: Db,
    frame: Annotated[int, Query(ge=0, le=MOST_FRAMES)] = 0,
) -> Response:  # fmt: skip
    """What an effect does to colours at a frame, for other programs: as a table, or where it is no more than that, as slope, offset, power and saturation."""
    layer = shots.shot_of(db, shot_id).layers.get(layer_id)
    effect = layer.effects.get(effect_id) if layer else None
    if layer is None or effect is None:
        raise NotFound("There is no such effect in the shot.")
    name = shots.file_stem(f"{layer.name} {effect.kind}")
    text = as_cube(effect, frame, name) if extension == ".cube" else as_cdl(effect, frame).written(name)
    head = {"Content-Disposition": f'attachment; filename="{name}{extension}"'}
    return Response(text, media_type="text/plain" if extension == ".cube" else "application/xml", headers=head)


class TableOut(BaseModel):
    """A stored table of colours: what it is called, and how many steps it has along each side."""

    stored: str
    name: str
    side: int


@router.post("/shots/{shot_id}/layers/{layer_id}/look", status_code=204)
def take_look(shot_id: IdInPath, layer_id: IdInPath, file: Annotated[UploadFile, File()], db: Db, work: Work) -> None:
    """A look from a file as an effect of the layer: a grade from a .cdl, .ccc or .cc file, a table of colours from a .cube file."""
    layer = shots.shot_of(db, shot_id).layers.get(layer_id)
    if layer is None:
        raise NotFound("There is no such layer in the shot.")
    if not layer.content.takes_looks:
        raise BadInput(f"{layer.name} has no picture that a look could be laid on.")
    name, data = _read(file)
    if PurePosixPath(name).suffix.lower() in GRADES:
        effect = read_grade(data, name, new_id()).model_dump(mode="json")
    else:
        stored = work.artefacts.put_table(read_cube(data, name))
        effect = {"kind": "lookup", "id": new_id(), "table": {"stored": stored, "name": name}}
    shots.apply(db, shot_id, None, f"lay {name} on {layer.name}", put_in(layer, effect))


def _read(file: UploadFile) -> tuple[str, bytes]:
    """Its name and all that is in it."""
    name = (file.filename or "the file")[:120]
    data = file.file.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise BadInput(f"{name} is larger than {MOST_BYTES >> 20} MB.")
    return name, data


@router.post("/tables")
def take_table(file: Annotated[UploadFile, File()], work: Work) -> TableOut:
    """A .cube file, kept for effects that name it."""
    name, data = _read(file)
    table = read_cube(data, name)
    return TableOut(stored=work.artefacts.put_table(table), name=name, side=len(table))
