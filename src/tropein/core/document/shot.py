"""The shot: the unit of work, and the whole of the document."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tropein.core.document.base import Frame, Id, Model, Name, Rate, Size
from tropein.core.document.effect import CentredEffect
from tropein.core.document.footage import Footage
from tropein.core.document.layer import CarrierLayer, FootageLayer, Layer, VeilLayer
from tropein.core.document.matte import (
    ChromaPiece,
    ColourPiece,
    Cut,
    CutoutPiece,
    DifferencePiece,
    DistancePiece,
    FacePiece,
    LayerPiece,
    LumaPiece,
    Matte,
    ShapePiece,
)
from tropein.core.document.track import CameraTrack, FaceTrack, Track

SCHEMA_VERSION = 2
MAX_SIDE_PX = 16_384


class Cue(Model):
    """A named moment."""

    frame: Frame
    name: Name


class Shot(Model):
    """A shot document. `stack` runs from nearest the lens to the plate; `plate` is its last layer, once there is one.

    `trim` is the frame range that plays and renders, both ends included.
    """

    schema_version: Literal[2] = 2
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
    cues: list[Cue] = Field(default_factory=list, max_length=1000)

    @model_validator(mode="after")
    def _references_hold(self) -> Shot:
        for problem in broken_references(self):
            raise ValueError(problem)
        return self


def broken_references(shot: Shot) -> list[str]:
    """Every reference that leads nowhere, in words; empty when the document hangs together."""
    problems: list[str] = []
    width, height = shot.size
    if not (1 <= width <= MAX_SIDE_PX and 1 <= height <= MAX_SIDE_PX):
        problems.append(f"a shot is 1 to {MAX_SIDE_PX} pixels wide and high, not {width}x{height}")
    first, last = shot.trim
    if not 0 <= first <= last < shot.frames:
        problems.append(f"the trim {first}-{last} does not lie within the shot's {shot.frames} frames")
    if sorted(shot.stack) != sorted(shot.layers):
        problems.append("the stack must name every layer exactly once")
    if shot.plate is not None and (not shot.stack or shot.stack[-1] != shot.plate):
        problems.append("the plate must be the last layer of the stack")
    plate = shot.layers.get(shot.plate or "")
    if isinstance(plate, FootageLayer) and (
        plate.place.ride or plate.place.hang or plate.place.depth or plate.place.pivot_ride
    ):
        problems.append(
            "the plate neither rides nor hangs, nor lies in depth: what rides on it would go round in a circle"
        )
    for where, things in (
        ("footage", shot.footage),
        ("layers", shot.layers),
        ("tracks", shot.tracks),
        ("mattes", shot.mattes),
    ):
        problems += [f"{where} {key} carries the id {thing.id}" for key, thing in things.items() if thing.id != key]
    for layer in shot.layers.values():
        if layer.span is not None and layer.span[0] > layer.span[1]:
            problems.append(f"the layer {layer.name} ends before it begins")
        ids = [effect.id for effect in layer.effects]
        if len(set(ids)) != len(ids):
            problems.append(f"the layer {layer.name} has two effects with one id")
        if isinstance(layer, FootageLayer) and layer.footage not in shot.footage:
            problems.append(f"the layer {layer.name} shows footage that is not in the shot")
        problems += [
            f"an effect of the layer {layer.name} rides on a track that is not in the shot"
            for effect in layer.effects
            if isinstance(effect, CentredEffect) and effect.ride is not None and effect.ride.track not in shot.tracks
        ]
        if not isinstance(layer, VeilLayer):
            problems += [
                f"{what} {layer.name} rides on a track that is not in the shot"
                for what, ride in (("the layer", layer.place.ride), ("the pivot of the layer", layer.place.pivot_ride))
                if ride is not None and ride.track not in shot.tracks
            ]
            if layer.place.steady is not None and layer.place.steady.track not in shot.tracks:
                problems.append(f"the layer {layer.name} is held by a track that is not in the shot")
            depth = layer.place.depth
            if (
                depth is not None
                and depth.track is not None
                and not isinstance(shot.tracks.get(depth.track), CameraTrack)
            ):
                problems.append(f"the layer {layer.name} lies in the scene of something that is not a camera track")
            problems += _hanging_problems(shot, layer)
    for track in shot.tracks.values():
        if track.footage not in shot.footage:
            problems.append(f"the track {track.name} was made from footage that is not in the shot")
        if track.ignore is not None and track.ignore not in shot.mattes:
            problems.append(f"the track {track.name} ignores a matte that is not in the shot")
        if track.bridge is not None and (track.bridge == track.id or track.bridge not in shot.tracks):
            problems.append(f"the track {track.name} is bridged by itself, or by a track that is not in the shot")
    return problems + _matte_problems(shot)


def _cuts(layer: Layer) -> list[Cut]:
    return [*layer.cut, *(cut for effect in layer.effects for cut in effect.cut)]


def _matte_problems(shot: Shot) -> list[str]:
    problems = []
    for layer in shot.layers.values():
        problems += [
            f"the layer {layer.name} is cut by a matte that is not in the shot"
            for cut in _cuts(layer)
            if cut.matte not in shot.mattes
        ]
    for matte in shot.mattes.values():
        for piece in matte.pieces:
            what = f"the piece {piece.name} of the matte {matte.name}"
            if isinstance(piece, ShapePiece) and piece.ride is not None and piece.ride.track not in shot.tracks:
                problems.append(f"{what} rides on a track that is not in the shot")
            if isinstance(piece, DistancePiece) and not isinstance(shot.tracks.get(piece.track), CameraTrack):
                problems.append(f"{what} needs a solved camera")
            if isinstance(piece, FacePiece) and not isinstance(shot.tracks.get(piece.track), FaceTrack):
                problems.append(f"{what} needs a face track")
            if isinstance(
                piece, ChromaPiece | LumaPiece | ColourPiece | LayerPiece | CutoutPiece | DifferencePiece
            ) and not isinstance(shot.layers.get(piece.layer), FootageLayer):
                problems.append(f"{what} looks at a layer that shows no footage, or is not in the shot")
            elif isinstance(piece, CutoutPiece) and any(cut.matte not in shot.mattes for cut in piece.fine_within):
                problems.append(f"{what} reaches for hair within a matte that is not in the shot")
            elif isinstance(piece, ChromaPiece | DifferencePiece) and piece.clean_footage is not None:
                problems += _clean_problems(shot, piece, what)
    return problems or _matte_circles(shot)


def _clean_problems(shot: Shot, piece: ChromaPiece | DifferencePiece, what: str) -> list[str]:
    empty, layer = shot.footage.get(piece.clean_footage or ""), shot.layers[piece.layer]
    assert isinstance(layer, FootageLayer)
    seen = shot.footage.get(layer.footage)
    if empty is None:
        return [f"{what} takes its empty place from footage that is not in the shot"]
    if seen is None or abs(empty.size[0] * seen.size[1] - empty.size[1] * seen.size[0]) > max(seen.size):
        return [f"{what} takes its empty place from {empty.name}, whose picture has another shape"]
    return []


def _matte_circles(shot: Shot) -> list[str]:
    """A matte that looks at a layer's finished picture needs every matte that layer is cut by; a cut-out those its hair lies in."""
    needs = {
        matte.id: {
            cut.matte
            for piece in matte.pieces
            if isinstance(piece, LayerPiece | CutoutPiece)
            for cut in (piece.fine_within if isinstance(piece, CutoutPiece) else _cuts(shot.layers[piece.layer]))
        }
        for matte in shot.mattes.values()
    }
    for start in needs:
        seen, left = set(), [*needs[start]]
        while left:
            at = left.pop()
            if at == start:
                return [f"the matte {shot.mattes[start].name} would be cut out of itself"]
            if at not in seen:
                seen.add(at)
                left += needs[at]
    return []


def _hanging_problems(shot: Shot, layer: FootageLayer | CarrierLayer) -> list[str]:
    seen, at = {layer.id}, layer
    while at.place.hang is not None:
        above = shot.layers.get(at.place.hang.layer)
        if above is None or isinstance(above, VeilLayer):
            return [f"the layer {at.name} hangs from something that is not in the shot or has no place"]
        if above.id in seen:
            return [f"the layer {layer.name} would hang from itself"]
        seen.add(above.id)
        at = above
    return []
