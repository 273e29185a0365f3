"""What the page needs to draw sheets: effects and the controls of a layer."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel

from tropein.core.document import LayerBase, Place
from tropein.core.effects import described
from tropein.core.effects.registry import describe_field
from tropein.core.raster.blend import MODES

router = APIRouter(prefix="/api", tags=["about"])


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


class About(BaseModel):
    version: str
    effects: list[EffectInfo]
    place: list[Control]
    opacity: Control
    blends: list[str]


@router.get("/about")
def about() -> About:
    effects = [
        EffectInfo(kind=d.kind, title=d.title, help=d.help, params=[Control(**p) for p in d.params])
        for d in described()
    ]
    place = [Control(**describe_field(Place, name)) for name in ("position", "scale", "rotation", "pivot")]
    opacity = Control(**describe_field(LayerBase, "opacity"))
    return About(version="0.1.0", effects=effects, place=place, opacity=opacity, blends=list(MODES))
