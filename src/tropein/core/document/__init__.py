"""What a shot is. See conventions.md for coordinates, time and pixels."""

from tropein.core.document.animated import (
    Animated,
    AnimatedColour,
    AnimatedCurve,
    AnimatedNumber,
    AnimatedVec2,
    Colour,
    DrawnCurve,
    Ease,
    Key,
    Vec2,
)
from tropein.core.document.base import ContentHash, Id, Model, Rate, control, new_id, parse_rate
from tropein.core.document.effect import EffectBase, register
from tropein.core.document.footage import Footage
from tropein.core.document.layer import BlendName, FootageLayer, Layer, LayerBase, VeilLayer
from tropein.core.document.place import Place, Ride
from tropein.core.document.shot import SCHEMA_VERSION, Cue, Shot
from tropein.core.document.track import HandSet, PointTrack, Track

__all__ = [
    "SCHEMA_VERSION", "Animated", "AnimatedColour", "AnimatedCurve", "AnimatedNumber", "AnimatedVec2", "BlendName",
    "Colour", "ContentHash", "Cue", "DrawnCurve", "Ease", "EffectBase", "Footage", "FootageLayer", "HandSet", "Id", "Key", "Layer",
    "LayerBase", "Model", "Place", "PointTrack", "Rate", "Ride", "Shot", "Track", "VeilLayer", "Vec2", "control",
    "new_id", "parse_rate", "register",
]  # fmt: skip
