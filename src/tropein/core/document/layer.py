"""Layers: one thing laid over the plate, and the plate itself."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Discriminator, Field, Tag

from tropein.core.document.animated import AnimatedNumber
from tropein.core.document.base import Frame, Id, Model, Name, control
from tropein.core.document.effect import AnyEffect
from tropein.core.document.matte import Cuts
from tropein.core.document.place import Place

BlendName = Literal[
    "normal", "add", "multiply", "screen", "overlay", "darken", "lighten", "colour-dodge", "colour-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity",
]  # fmt: skip


class LayerBase(Model):
    """What all layers share; the span includes both ends, none means the whole shot."""

    id: Id
    name: Name
    visible: bool = True
    span: tuple[Frame, Frame] | None = None
    opacity: AnimatedNumber = control(1.0, "Opacity", soft=(0, 1), hard=(0, 1))
    cut: Cuts = []
    effects: list[AnyEffect] = Field(default_factory=list, max_length=64)


class FootageLayer(LayerBase):
    """Shows footage. `start` is the shot frame at which the footage's first frame lies."""

    kind: Literal["footage"] = "footage"
    footage: Id
    start: Frame = 0
    end: Annotated[
        Literal["hold", "loop", "nothing"], Field(description="what is shown beyond the footage's own frames")
    ] = "hold"
    speed: AnimatedNumber = control(
        1.0, "Speed", soft=(0, 4), hard=(-32, 32), step=0.05, unit="x", help="Below 0 the footage runs backwards."
    )
    blend: BlendName = "normal"
    wrap: AnimatedNumber = control(
        0.0, "Light wrap", soft=(0, 1), hard=(0, 1), help="How much light of what lies behind comes in over the edge."
    )
    wrap_width: AnimatedNumber = control(12.0, "Wrap width", soft=(1, 60), hard=(0.5, 400), step=0.5, unit="px")
    edge_soften: AnimatedNumber = control(
        0.0,
        "Soft edge",
        soft=(0, 6),
        hard=(0, 100),
        step=0.05,
        unit="px",
        help="Blurs the edge alone, and its coverage with it.",
    )
    edge_width: AnimatedNumber = control(
        4.0,
        "Edge width",
        soft=(0.5, 30),
        hard=(0.25, 400),
        step=0.25,
        unit="px",
        help="How far in from its outline counts as edge.",
    )
    edge_exposure: AnimatedNumber = control(0.0, "Edge light", soft=(-2, 2), hard=(-10, 10), step=0.02, unit="stops")
    edge_saturation: AnimatedNumber = control(1.0, "Edge colour", soft=(0, 2), hard=(0, 8), step=0.02)
    place: Place = Field(default_factory=Place)


class VeilLayer(LayerBase):
    """Shows nothing of its own: applies its effects to everything beneath it, and lays the result over that with its blend and
    opacity."""

    kind: Literal["veil"] = "veil"
    blend: BlendName = "normal"


class CarrierLayer(LayerBase):
    """Shows nothing and changes nothing: a place for other layers to hang from."""

    kind: Literal["carrier"] = "carrier"
    place: Place = Field(default_factory=Place)


Layer = Annotated[
    Annotated[FootageLayer, Tag("footage")]
    | Annotated[VeilLayer, Tag("veil")]
    | Annotated[CarrierLayer, Tag("carrier")],
    Discriminator("kind"),
]
