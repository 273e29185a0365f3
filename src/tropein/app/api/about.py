"""What the page needs to draw sheets: effects and the controls of a layer."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from tropein.app.api.routing import router as plain_router
from tropein.core.commands import commands
from tropein.core.document import (
    CONTENTS,
    MEETS,
    ChromaPiece,
    ColourPiece,
    Cut,
    CutoutPiece,
    Depth,
    DifferencePiece,
    DistancePiece,
    FacePiece,
    Layer,
    LayerPiece,
    LumaPiece,
    Matte,
    Place,
    ShapePiece,
    TimeMap,
)
from tropein.core.document.body import BODY_PARTS
from tropein.core.document.mover import MOVERS
from tropein.core.effects import described
from tropein.core.effects.registry import describe_field
from tropein.core.raster.blend import MODES

router = plain_router("/api", "about")


class Control(BaseModel):
    """A parameter, drawn from the schema's own metadata."""

    name: str
    title: str
    help: str
    default: Any
    widget: str
    unit: str
    step: float
    soft: list[float] | None = None
    hard: list[float | None]


class EffectInfo(BaseModel):
    kind: str
    title: str
    help: str
    params: list[Control]


class CommandInfo(BaseModel):
    """A command; `arguments` as a JSON schema."""

    name: str
    title: str
    help: str
    arguments: dict[str, Any]


class About(BaseModel):
    version: str
    effects: list[EffectInfo]
    pieces: list[EffectInfo]
    cut: list[Control]
    matte: list[Control]
    place: list[Control]
    depth: list[Control]
    opacity: Control
    speed: Control
    meets: list[EffectInfo]
    contents: list[EffectInfo]
    movers: list[EffectInfo]
    blends: list[str]
    body_parts: list[str]
    commands: list[CommandInfo]


PIECES = {
    ShapePiece: "Shape", ChromaPiece: "Chroma key", LumaPiece: "Luma key", ColourPiece: "Colour range", FacePiece: "Face part",
    LayerPiece: "Layer", CutoutPiece: "Cut-out", DifferencePiece: "Difference key", DistancePiece: "Distance",
}  # fmt: skip


def _piece(cls: type, title: str) -> EffectInfo:
    """A piece's own parameters first, then those all pieces share."""
    shared = ("grow", "soften", "opacity")
    names = [n for n, f in cls.model_fields.items() if f.json_schema_extra and n not in shared]  # type: ignore[attr-defined]
    params = [Control(**describe_field(cls, n)) for n in (*names, *shared)]
    kind = cls.model_fields["kind"].default  # type: ignore[attr-defined]
    return EffectInfo(kind=kind, title=title, help=(cls.__doc__ or "").strip(), params=params)


def _kind(cls: type[Any], own: tuple[str, ...]) -> EffectInfo:
    """A kind of a family, described by its parameters."""
    params = [
        Control(**describe_field(cls, n)) for n, f in cls.model_fields.items() if f.json_schema_extra and n not in own
    ]
    return EffectInfo(
        kind=cls.model_fields["kind"].default, title=cls.title, help=(cls.__doc__ or "").strip(), params=params
    )


@router.get("/about")
def about() -> About:
    effects = [
        EffectInfo(kind=d.kind, title=d.title, help=d.help, params=[Control(**p) for p in d.params])
        for d in described()
    ]
    place = [Control(**describe_field(Place, name)) for name in ("position", "scale", "rotation", "pivot")]
    depth = [Control(**describe_field(Depth, name)) for name in ("position", "rotation", "width")]
    opacity = Control(**describe_field(Layer, "opacity"))
    pieces = [_piece(cls, title) for cls, title in PIECES.items()]
    cut = [Control(**describe_field(Cut, name)) for name in ("grow", "soften")]
    return About(
        version="0.1.0",
        effects=effects,
        pieces=pieces,
        cut=cut,
        matte=[Control(**describe_field(Matte, n)) for n in ("holes", "crumbs")],
        place=place,
        depth=depth,
        opacity=opacity,
        speed=Control(**describe_field(TimeMap, "speed")),
        meets=[_kind(cls, ("id", "on")) for cls in MEETS],
        contents=[_kind(cls, ()) for cls in CONTENTS],
        movers=[_kind(cls, ()) for cls in MOVERS],
        blends=list(MODES),
        body_parts=list(BODY_PARTS),
        commands=[
            CommandInfo(
                name=n,
                title=c.title,
                help=(c.__doc__ or "").strip(),
                arguments=c.model_json_schema().get("properties", {}),
            )
            for n, c in commands().items()
        ],
    )
