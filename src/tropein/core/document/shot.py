"""The shot: the unit of work, and the whole of the document."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tropein.core.document.base import Frame, Id, Model, Name, Rate, Size
from tropein.core.document.footage import Footage
from tropein.core.document.layer import Layer
from tropein.core.document.matte import Matte
from tropein.core.document.references import WORDS, Found, Ref, pointers
from tropein.core.document.scope import circles, scope_problems
from tropein.core.document.spot import Spot
from tropein.core.document.track import Track

SCHEMA_VERSION = 4
MAX_SIDE_PX = 16_384


class Cue(Model):
    """A named moment."""

    id: Id
    frame: Frame
    name: Name


class Shot(Model):
    """A shot document. `stack` runs from nearest the lens to the plate; `plate` is its last layer, once there is one. Layers of
    a group stand in the group's own stack.

    `trim` is the frame range that plays and renders, both ends included.
    """

    schema_version: Literal[4] = 4
    name: Name
    size: Size
    rate: Rate
    frames: Annotated[int, Field(ge=1, le=1_000_000)]
    trim: tuple[Frame, Frame]
    blend_in: Annotated[
        Literal["display", "linear"], Field(description="where the separable blend modes are computed")
    ] = "display"
    shutter_deg: Annotated[
        float, Field(ge=0, le=720, description="how long motion blur looks, 360 is the whole frame")
    ] = 180.0
    footage: dict[Id, Footage] = Field(default_factory=dict, max_length=2000)
    layers: dict[Id, Layer] = Field(default_factory=dict, max_length=500)
    stack: list[Id] = Field(default_factory=list, max_length=500)
    plate: Id | None = None
    tracks: dict[Id, Track] = Field(default_factory=dict, max_length=2000)
    mattes: dict[Id, Matte] = Field(default_factory=dict, max_length=500)
    cues: dict[Id, Cue] = Field(default_factory=dict, max_length=1000)
    spots: dict[Id, Spot] = Field(default_factory=dict, max_length=32)

    @model_validator(mode="after")
    def _references_hold(self) -> Shot:
        for problem in broken_references(self):
            raise ValueError(problem)
        return self


MAPS = ("footage", "layers", "tracks", "mattes", "cues", "spots")


def broken_references(shot: Shot) -> list[str]:
    """Every reference that leads nowhere, in words; empty when the document hangs together."""
    problems: list[str] = []
    width, height = shot.size
    if not (1 <= width <= MAX_SIDE_PX and 1 <= height <= MAX_SIDE_PX):
        problems.append(f"a shot is 1 to {MAX_SIDE_PX} pixels wide and high, not {width}x{height}")
    first, last = shot.trim
    if not 0 <= first <= last < shot.frames:
        problems.append(f"the trim {first}-{last} does not lie within the shot's {shot.frames} frames")
    problems += scope_problems(shot)
    for where in MAPS:
        things = getattr(shot, where)
        problems += [f"{where} {key} carries the id {thing.id}" for key, thing in things.items() if thing.id != key]
    problems += [
        f"the layer {layer.name} ends before it begins"
        for layer in shot.layers.values()
        if layer.span is not None and layer.span[0] > layer.span[1]
    ]
    problems += [
        problem
        for where in ("layers", "mattes", "tracks", "spots")
        for key, thing in getattr(shot, where).items()
        for found in pointers(thing)
        if (problem := _broken(shot, (where, key), found)) is not None
    ]
    problems += [
        f"the track {track.name} is bridged by itself" for track in shot.tracks.values() if track.bridge == track.id
    ]
    if problems:
        return problems
    for matte in shot.mattes.values():
        for piece in matte.pieces.values():
            what = f"the piece {piece.name} of the matte {matte.name}"
            problems += [f"{what} {problem}" for problem in piece.problems(shot)]
    return problems or circles(shot)


def _broken(shot: Shot, thing_at: tuple[str, str], found: Found) -> str | None:
    mark = found.mark
    if not isinstance(mark, Ref):
        return None
    thing = getattr(shot, mark.to).get(found.value)
    if thing is None:
        return f"{owner(shot, (*thing_at, *found.address))} {mark.says} {WORDS[mark.to]} that is not in the shot"
    return (
        None
        if mark.fits(thing)
        else f"{owner(shot, (*thing_at, *found.address))} {mark.says} something that is not {mark.what}"
    )


def owner(shot: Shot, address: tuple[str, ...]) -> str:
    """Whose an address is, in words: "the piece Rim of the matte Sign"."""
    where, name = address[0], getattr(shot, address[0])[address[1]].name
    whole = f"the {where.removesuffix('s')} {name}"
    if where == "layers" and address[2] in ("effects", "meets"):
        return f"{'an effect' if address[2] == 'effects' else 'a meeting'} of {whole}"
    if where == "layers" and address[2:4] == ("place", "pivot_ride"):
        return f"the pivot of {whole}"
    if where == "mattes" and address[2] == "pieces":
        return f"the piece {shot.mattes[address[1]].pieces[address[3]].name} of {whole}"
    return whole
