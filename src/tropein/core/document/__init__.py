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
    ChromaPiece,
    ColourPiece,
    Cut,
    CutoutPiece,
    CutoutStroke,
    DifferencePiece,
    DistancePiece,
    FacePiece,
    LayerPiece,
    LumaPiece,
    Matte,
    Outline,
    OutlinePoint,
    Piece,
    PieceBase,
    ShapePiece,
)
from tropein.core.document.meet import MEETS, MeetBase, Meeting
from tropein.core.document.place import Depth, Hang, Place, Ride, Steady
from tropein.core.document.shot import SCHEMA_VERSION, Cue, Shot
from tropein.core.document.time_map import TimeMap
from tropein.core.document.track import (
    BodyTrack,
    CameraTrack,
    FaceTrack,
    HandSet,
    HandSetCorners,
    ObjectTrack,
    PictureTrack,
    PlaneTrack,
    PointTrack,
    Track,
)

__all__ = [
    "SCHEMA_VERSION", "Animated", "AnimatedColour", "AnimatedCorners", "AnimatedCurve", "AnimatedNumber", "AnimatedVec2", "AnimatedVec3", "BlendName",
    "BodyTrack", "CameraTrack", "CentredEffect", "ChromaPiece", "Colour", "ColourPiece", "Cut", "CutoutPiece", "CutoutStroke", "DifferencePiece", "DistancePiece", "FacePiece", "LayerPiece", "LumaPiece", "Matte", "Outline", "OutlinePoint", "Piece", "PieceBase", "ShapePiece", "ContentHash", "Cue", "Depth", "DrawnCurve", "Ease", "EffectBase", "FaceTrack", "Footage", "HandSet", "HandSetCorners", "Hang", "Id", "Key", "Layer",
    "Model", "ObjectTrack", "PictureTrack", "Place", "PlaneTrack", "PointTrack", "Rate", "Ride", "Shot", "Steady", "Track", "Vec2", "control",
    "new_id", "parse_rate", "CONTENTS", "ContentBase", "Context", "EFFECTS", "MEETS", "MeetBase", "Meeting", "TimeMap",
]  # fmt: skip
