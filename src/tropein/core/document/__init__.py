"""What a shot is. See conventions.md for coordinates, time and pixels."""

from tropein.core.document.animated import (
    Animated,
    AnimatedColour,
    AnimatedCorners,
    AnimatedCurve,
    AnimatedNumber,
    AnimatedVec2,
    AnimatedVec3,
    Colour,
    DrawnCurve,
    Ease,
    Key,
    Vec2,
)
from tropein.core.document.base import ContentHash, Id, Model, Rate, control, new_id, parse_rate
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.document.effect import EFFECTS, CentredEffect, EffectBase
from tropein.core.document.footage import Footage
from tropein.core.document.layer import BlendName, Layer
from tropein.core.document.matte import (
    PIECES,
    Cut,
    Matte,
    Outline,
    OutlinePoint,
    Piece,
    PieceBase,
)
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.document.place import Depth, Hang, Place, Ride, Steady
from tropein.core.document.shot import SCHEMA_VERSION, Cue, Shot
from tropein.core.document.time_map import TimeMap
from tropein.core.document.track import (
    TRACKS,
    HandSet,
    HandSetCorners,
    Track,
    TrackBase,
)

__all__ = [
    "SCHEMA_VERSION", "Animated", "AnimatedColour", "AnimatedCorners", "AnimatedCurve", "AnimatedNumber", "AnimatedVec2", "AnimatedVec3", "BlendName",
    "CentredEffect", "Colour", "Cut", "Matte", "PIECES", "Outline", "OutlinePoint", "Piece", "PieceBase", "ContentHash", "Cue", "Depth", "DrawnCurve", "Ease", "EffectBase", "Footage", "HandSet", "HandSetCorners", "Hang", "Id", "Key", "Layer",
    "Model", "Place", "Rate", "Ride", "Shot", "Steady", "Track", "TRACKS", "TrackBase", "Vec2", "control",
    "new_id", "parse_rate", "CONTENTS", "ContentBase", "Context", "EFFECTS", "MEETS", "MeetBase", "Meeting", "TimeMap",
]  # fmt: skip
