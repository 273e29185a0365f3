"""What the page needs to draw sheets: effects and the controls of a layer."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Path, Query, Response
from pydantic import BaseModel

from tropein.app.api.deps import Pool
from tropein.app.api.routing import router as plain_router
from tropein.app.jobs.kind import WORKS
from tropein.core.commands import commands
from tropein.core.document import CONTENTS, MEETS, PIECES, TRACKS, Cut, Depth, Layer, Matte, Place, TimeMap
from tropein.core.document.body import BODY_PARTS
from tropein.core.document.mover import MOVERS
from tropein.core.effects import described
from tropein.core.effects.registry import describe_field
from tropein.core.interchange.form import FORMS
from tropein.core.match.measure import MEASURES
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
    group: str = ""
    options: dict[str, str] | None = None


class Told(BaseModel):
    """A kind in words."""

    kind: str
    title: str
    help: str


class EffectInfo(Told):
    """A kind with parameters."""

    params: list[Control]


class LookInfo(EffectInfo):
    """An effect, and what it is for."""

    use: str


class LifeInfo(BaseModel):
    """The parameters that say how one of many changes while it lives."""

    curves: list[str]
    colours: list[str]


class ContentInfo(EffectInfo):
    """What a layer may show; `alone`: a layer of it can be laid in with nothing said."""

    alone: bool
    starts: list[str]
    life: LifeInfo | None = None


class CommandInfo(BaseModel):
    """A command; `arguments` as a JSON schema."""

    name: str
    title: str
    help: str
    arguments: dict[str, Any]


class TrackInfo(Told):
    """A kind of track: the gesture that begins it, and whether it has a direction."""

    begins: str
    directed: bool


class MeasureInfo(Told):
    """A measure of an insert, and what its fix is called."""

    act: str
    unit: str
    visible_from: float
    judges: bool
    by_meeting: bool
    work: str


class WorkInfo(Told):
    """A kind of work in the background; `arguments` as a JSON schema."""

    arguments: dict[str, Any]


class FormInfo(Told):
    """A form in or out: of a track or a shot; extensions it writes, and what each is called; those it reads; which track files go out as it,
    none for all; which tracks come in by it."""

    of: str
    writes: dict[str, str]
    reads: list[str]
    files: list[str]
    into: list[str]


class About(BaseModel):
    version: str
    effects: list[LookInfo]
    pieces: list[EffectInfo]
    cut: list[Control]
    matte: list[Control]
    place: list[Control]
    depth: list[Control]
    opacity: Control
    speed: Control
    meets: list[EffectInfo]
    contents: list[ContentInfo]
    movers: list[EffectInfo]
    blends: list[str]
    body_parts: list[str]
    commands: list[CommandInfo]
    tracks: list[TrackInfo]
    measures: list[MeasureInfo]
    works: list[WorkInfo]
    forms: list[FormInfo]


SHARED = ("grow", "soften", "opacity")  # of all pieces: told after a piece's own parameters


def _told(cls: type[Any]) -> dict[str, str]:
    return {"kind": cls.model_fields["kind"].default, "title": cls.title, "help": (cls.__doc__ or "").strip()}


def _required(cls: type[Any]) -> bool:
    return any(f.is_required() for f in cls.model_fields.values())


def _kind(cls: type[Any], own: tuple[str, ...]) -> EffectInfo:
    """A kind of a family, described by its parameters."""
    params = [
        Control(**describe_field(cls, n)) for n, f in cls.model_fields.items() if f.json_schema_extra and n not in own
    ]
    return EffectInfo(**_told(cls), params=params)


@router.get("/about")
def about() -> About:
    effects = [
        LookInfo(kind=d.kind, title=d.title, use=d.use, help=d.help, params=[Control(**p) for p in d.params])
        for d in described()
    ]
    place = [Control(**describe_field(Place, name)) for name in ("position", "scale", "rotation", "pivot")]
    depth = [Control(**describe_field(Depth, name)) for name in ("position", "rotation", "width")]
    opacity = Control(**describe_field(Layer, "opacity"))
    pieces = [_kind(cls, SHARED) for cls in PIECES]
    for piece, cls in zip(pieces, PIECES, strict=True):
        piece.params += [Control(**describe_field(cls, n)) for n in SHARED]
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
        contents=[
            ContentInfo(
                **_kind(cls, ()).model_dump(),
                alone=not _required(cls),
                starts=list(cls.starts),
                life=None
                if cls.lives is None
                else LifeInfo(curves=list(cls.lives.curves), colours=list(cls.lives.colours)),
            )
            for cls in CONTENTS
        ],
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
        tracks=[TrackInfo(**_told(c), begins=c.begins, directed=c.directed) for c in TRACKS],
        measures=[
            MeasureInfo(
                **_told(c),
                act=c.act,
                unit=c.unit,
                visible_from=c.visible_from,
                judges=c.judges,
                by_meeting=c.by_meeting,
                work=c.work,
            )
            for c in sorted(MEASURES, key=lambda c: c.order)
        ],
        works=[WorkInfo(**_told(c), arguments=c.model_json_schema().get("properties", {})) for c in WORKS if c.of_shot],
        forms=[
            FormInfo(**_told(c), of=c.of, writes=c.writes, reads=list(c.reads), files=list(c.files), into=list(c.into))
            for c in FORMS
        ],
    )


START_FRAMES = 96


@router.get("/made/{kind}.jpg", response_class=Response)
async def made_alone(
    kind: Annotated[str, Path(pattern=r"^[a-z-]{1,40}$")], pool: Pool, start: Annotated[str, Query(max_length=60)] = "",
    frame: Annotated[int, Query(ge=0, lt=START_FRAMES)] = 60,
) -> Response:  # fmt: skip
    """A small picture of what a content makes by itself, as it begins or with one of its starts."""
    data = await pool.errand("alone", kind, start, frame, 160, priority=8)
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})
