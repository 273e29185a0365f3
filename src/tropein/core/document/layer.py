"""Layers: one thing laid over the plate, and the plate itself. What a layer shows is its content."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from tropein.core.document.animated import AnimatedNumber
from tropein.core.document.base import Frame, Id, Model, Name, control, listed
from tropein.core.document.content import AnyContent
from tropein.core.document.effect import AnyEffect, EffectBase
from tropein.core.document.matte import Cuts
from tropein.core.document.meet import AnyMeet, MeetBase
from tropein.core.document.pair import MOST_PAIRS, Pair
from tropein.core.document.place import Place
from tropein.core.document.time_map import TimeMap

BlendName = Literal[
    "normal", "add", "multiply", "screen", "overlay", "darken", "lighten", "colour-dodge", "colour-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity",
]  # fmt: skip


class Layer(Model):
    """The span includes both ends, none means the whole shot. `chain` and `meeting` give effects and meets their order. Of a
    group, a layer's time and place are counted within it. `pairs` are what its colours were matched by."""

    id: Id
    name: Name
    visible: bool = True
    span: tuple[Frame, Frame] | None = None
    content: AnyContent
    time: TimeMap = Field(default_factory=TimeMap)
    place: Place = Field(default_factory=Place)
    cuts: Cuts = {}
    effects: dict[Id, AnyEffect] = Field(default_factory=dict, max_length=64)
    chain: list[Id] = Field(default_factory=list, max_length=64)
    meets: dict[Id, AnyMeet] = Field(default_factory=dict, max_length=32)
    meeting: list[Id] = Field(default_factory=list, max_length=32)
    blend: BlendName = "normal"
    opacity: AnimatedNumber = control(1.0, "Opacity", soft=(0, 1), hard=(0, 1))
    pairs: list[Pair] = Field(default_factory=list, max_length=MOST_PAIRS)

    @model_validator(mode="after")
    def _lists_hold(self) -> Layer:
        listed(self.effects, self.chain, f"the effects of the layer {self.name}")
        listed(self.meets, self.meeting, f"the meets of the layer {self.name}")
        looks = self.effects or self.cuts or self.meets or self.opacity.keys or self.opacity.value != 1
        if looks and not self.content.takes_looks:
            raise ValueError(f"{self.name} has no picture that effects, mattes or opacity could act on")
        return self

    @property
    def looks(self) -> list[EffectBase]:
        """Its effects in order."""
        return [self.effects[i] for i in self.chain]

    @property
    def meetings(self) -> list[MeetBase]:
        """How it meets what lies beneath, in order."""
        return [self.meets[i] for i in self.meeting]

    @property
    def kind(self) -> str:
        """The kind of its content."""
        return str(self.content.kind)

    @property
    def footage(self) -> str | None:
        """The footage it shows, where it shows some."""
        found: str | None = self.content.__dict__.get("footage")
        return found

    @property
    def stack(self) -> list[str] | None:
        """The layers within it, where it is a group."""
        found: list[str] | None = self.content.__dict__.get("stack")
        return found
