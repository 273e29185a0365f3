"""Mattes: named pictures of coverage 0..1, built from pieces, and what is cut by them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Discriminator, Field, Tag, model_validator

from tropein.core.document.animated import Animated, AnimatedNumber, Colour, Vec2
from tropein.core.document.base import ContentHash, Frame, Id, Model, Name, control, listed
from tropein.core.document.place import Ride
from tropein.core.document.references import Ref, Stored

MatteId = Annotated[Id, Ref("mattes", "is cut by", on_delete="drop", sees="picture")]
Looked = Annotated[
    Id,
    Ref(
        "layers",
        "looks at",
        what="a layer with footage",
        having="footage",
        on_delete="drop",
        sees="own",
    ),
]
Reach = Annotated[float, Field(ge=0, le=2000)]


class OutlinePoint(Model):
    """A point of an outline in shot pixels. `before` and `after` are its curve handles, counted from it; `outer` and
    `inner` how far the soft edge reaches out of and into the shape there."""

    at: Vec2
    before: Vec2 = (0.0, 0.0)
    after: Vec2 = (0.0, 0.0)
    outer: Reach = 0.0
    inner: Reach = 0.0

    def numbers(self) -> tuple[float, ...]:
        return (*self.at, *self.before, *self.after, self.outer, self.inner)

    @classmethod
    def of(cls, n: tuple[float, ...]) -> OutlinePoint:
        return cls.model_construct(
            at=(n[0], n[1]), before=(n[2], n[3]), after=(n[4], n[5]), outer=max(0.0, n[6]), inner=max(0.0, n[7])
        )


class Outline(Model):
    """Points joined by cubic curves, in order."""

    points: list[OutlinePoint] = Field(min_length=2, max_length=500)


CleanFrame = Annotated[
    Frame | None,
    Field(description="the frame that shows the place empty; none of another clip: the same frame as the layer's"),
]
CleanFootage = Annotated[
    Annotated[Id, Ref("footage", "takes its empty place from", on_delete="clear")] | None,
    Field(description="the clip that frame is of; none means the layer's own footage, as far as a frame is named"),
]


class PieceBase(Model):
    """What all pieces share. `how` says what the piece does to the ones above it; the span includes both ends."""

    id: Id
    name: Name
    on: bool = True
    how: Literal["add", "subtract", "intersect"] = "add"
    invert: bool = False
    span: tuple[Frame, Frame] | None = None
    opacity: AnimatedNumber = control(1.0, "Opacity", soft=(0, 1), hard=(0, 1))
    grow: AnimatedNumber = control(
        0.0, "Grow", soft=(-60, 60), hard=(-2000, 2000), step=0.25, unit="px", help="Moves the edge out, or in."
    )
    soften: AnimatedNumber = control(0.0, "Soften", soft=(0, 80), hard=(0, 2000), step=0.25, unit="px")


class ShapePiece(PieceBase):
    """An area inside a closed outline, or a stroke along an open one."""

    kind: Literal["shape"] = "shape"
    outline: Animated[Outline]
    closed: bool = True
    width: AnimatedNumber = control(12.0, "Stroke width", soft=(1, 120), hard=(0, 2000), step=0.5, unit="px")
    ride: Ride | None = None
    motion_blur: bool = False

    @model_validator(mode="after")
    def _outlines_agree(self) -> ShapePiece:
        counts = {len(key.value.points) for key in self.outline.keys} or {len(self.outline.value.points)}
        if len(counts) > 1:
            raise ValueError(f"all keys of the shape {self.name} must have the same number of points")
        if self.closed and min(counts) < 3:
            raise ValueError(f"the shape {self.name} needs at least three points to enclose an area")
        return self


class ChromaPiece(PieceBase):
    """Keeps what does not have the colour of the screen behind it, in a layer's own footage."""

    kind: Literal["chroma"] = "chroma"
    layer: Looked
    screen: Annotated[Colour | None, Field(description="linear Rec.709; none finds the screen by itself")] = None
    clean_frame: CleanFrame = None
    clean_footage: CleanFootage = None
    clean_through: Annotated[
        bool,
        Field(
            description="the empty screen is put together from all of the layer's own footage, whose camera stands still; "
            "a frame or a clip that is named goes before"
        ),
    ] = False
    even: AnimatedNumber = control(
        1.0,
        "Uneven light",
        soft=(0, 1),
        hard=(0, 1),
        help="How far the screen's own light and dark are followed.",
    )
    low: AnimatedNumber = control(
        0.03, "Clear below", soft=(0, 0.5), hard=(0, 0.99), step=0.005, help="What covers less than this is screen."
    )
    high: AnimatedNumber = control(
        0.97, "Solid above", soft=(0.3, 1), hard=(0.01, 1), step=0.005, help="What covers more than this is solid."
    )
    core: AnimatedNumber = control(
        6.0, "Solid core", soft=(0, 40), hard=(0, 400), step=0.5, unit="px",
        help="Holes farther than this inside the subject are closed; 0 leaves them.",
    )  # fmt: skip
    spill: AnimatedNumber = control(
        1.0,
        "Take out spill",
        soft=(0, 1),
        hard=(0, 2),
        help="How much of the screen's light on the subject is taken out.",
    )
    balance: AnimatedNumber = control(
        0.0, "Spill balance", soft=(0, 1), hard=(0, 1),
        help="At 0 the screen's light is subtracted, at 1 its colour is held down to the other two.",
    )  # fmt: skip


class LumaPiece(PieceBase):
    """Keeps a range of brightness of a layer's own footage."""

    kind: Literal["luma"] = "luma"
    layer: Looked
    low: AnimatedNumber = control(0.5, "From", soft=(0, 1), hard=(-1, 4), step=0.005, help="Display brightness.")
    high: AnimatedNumber = control(4.0, "To", soft=(0, 1), hard=(-1, 4), step=0.005)
    softness: AnimatedNumber = control(0.1, "Softness", soft=(0, 0.5), hard=(0, 4), step=0.005)


class ColourPiece(PieceBase):
    """Keeps a range of hue, saturation and lightness of a layer's own footage."""

    kind: Literal["colour"] = "colour"
    layer: Looked
    hue: AnimatedNumber = control(0.0, "Hue", soft=(0, 360), hard=(-360, 720), step=0.5, unit="°")
    hue_width: AnimatedNumber = control(60.0, "Hue width", soft=(0, 360), hard=(0, 360), step=0.5, unit="°")
    saturation: AnimatedNumber = control(0.2, "Saturation from", soft=(0, 1), hard=(0, 1), step=0.005)
    dark: AnimatedNumber = control(0.0, "Lightness from", soft=(0, 1), hard=(0, 4), step=0.005)
    light: AnimatedNumber = control(4.0, "Lightness to", soft=(0, 1), hard=(0, 4), step=0.005)
    softness: AnimatedNumber = control(
        0.2, "Softness", soft=(0, 1), hard=(0, 1), step=0.01, help="As a share of each range."
    )


FacePart = Literal[
    "left eye", "right eye", "eyes", "left iris", "right iris", "irises", "lips", "mouth opening", "left brow",
    "right brow", "oval", "skin",
]  # fmt: skip


class FacePiece(PieceBase):
    """A part of a tracked face; a blink closes the eyes and what lies in them."""

    kind: Literal["face"] = "face"
    track: Annotated[Id, Ref("tracks", "looks for a face in", what="a face track", kinds=("face",), on_delete="drop")]
    part: FacePart = "oval"


class LayerPiece(PieceBase):
    """Another layer's alpha or luminance, as it lies in the shot."""

    kind: Literal["layer"] = "layer"
    layer: Annotated[
        Id,
        Ref(
            "layers",
            "looks at",
            what="a layer with a picture",
            having="has_picture",
            on_delete="drop",
            sees="picture",
        ),
    ]
    channel: Literal["alpha", "luminance"] = "alpha"


class DifferencePiece(PieceBase):
    """Keeps what differs from an empty picture of the same place: a frame without the subject, another clip, or else the median of
    the layer's own footage."""

    kind: Literal["difference"] = "difference"
    layer: Looked
    clean_frame: CleanFrame = None
    clean_footage: CleanFootage = None
    threshold: AnimatedNumber = control(0.12, "Threshold", soft=(0, 0.6), hard=(0, 4), step=0.005)
    softness: AnimatedNumber = control(0.12, "Softness", soft=(0, 0.6), hard=(0, 4), step=0.005)
    shadow: AnimatedNumber = control(
        0.4,
        "Let shadows pass",
        soft=(0, 1),
        hard=(0, 1),
        help="How far a shadow may dim the empty place and still be empty.",
    )


class DistancePiece(PieceBase):
    """Keeps what is far away in a solved scene: at every pixel the distance along the camera's ray to the floor."""

    kind: Literal["distance"] = "distance"
    track: Annotated[
        Id, Ref("tracks", "measures from the camera of", what="a camera track", kinds=("camera",), on_delete="drop")
    ]
    near: AnimatedNumber = control(100.0, "Nothing up to", soft=(0, 2000), hard=(0, 1e6), step=1, help="Scene units.")
    far: AnimatedNumber = control(400.0, "All from", soft=(0, 4000), hard=(0, 1e6), step=1, help="Scene units.")
    height: AnimatedNumber = control(
        0.0, "Height", soft=(-200, 200), hard=(-1e6, 1e6), step=0.5, help="Of the level plane over the floor."
    )


class Cut(Model):
    """Cut by a matte: what is inside stays, or what is outside. Growing and softening leave the matte itself alone."""

    id: Id
    matte: MatteId
    side: Literal["inside", "outside"] = "inside"
    grow: AnimatedNumber = control(0.0, "Grow", soft=(-60, 60), hard=(-400, 400), step=0.25, unit="px")
    soften: AnimatedNumber = control(0.0, "Soften", soft=(0, 80), hard=(0, 2000), step=0.25, unit="px")


Cuts = Annotated[dict[Id, Cut], Field(max_length=16, description="all of them together say what stays")]


class CutoutStroke(Model):
    """A line drawn over a frame of the footage, in its full-size pixels: what it covers is the subject, or is not."""

    frame: Frame
    keep: bool = True
    points: list[Vec2] = Field(min_length=1, max_length=2000)
    width: Annotated[float, Field(gt=0, le=500)] = 16.0


class CutoutPiece(PieceBase):
    """A subject cut out of a layer's own footage by strokes. `samples` is its coverage through the shot, once carried."""

    kind: Literal["cutout"] = "cutout"
    layer: Looked
    strokes: list[CutoutStroke] = Field(default_factory=list, max_length=1000)
    samples: Annotated[ContentHash, Stored("coverage")] | None = None
    fine: AnimatedNumber = control(
        0.0, "Hair reach", soft=(0, 80), hard=(0, 200), step=1, unit="px",
        help="How far hairs and blur stand out from the outline: so far the edge is told by colour.",
    )  # fmt: skip
    fine_within: Cuts = {}
    clean: AnimatedNumber = control(
        1.0, "Clean edge", soft=(0, 1), hard=(0, 1),
        help="How far the old background is taken out of the edge of a layer that is cut by this.",
    )  # fmt: skip


Piece = Annotated[
    Annotated[ShapePiece, Tag("shape")]
    | Annotated[ChromaPiece, Tag("chroma")]
    | Annotated[LumaPiece, Tag("luma")]
    | Annotated[ColourPiece, Tag("colour")]
    | Annotated[FacePiece, Tag("face")]
    | Annotated[LayerPiece, Tag("layer")]
    | Annotated[DistancePiece, Tag("distance")]
    | Annotated[CutoutPiece, Tag("cutout")]
    | Annotated[DifferencePiece, Tag("difference")],
    Discriminator("kind"),
]


class Matte(Model):
    """Pieces in order: each adds to, subtracts from or intersects what those before it make."""

    id: Id
    name: Name
    pieces: dict[Id, Piece] = Field(default_factory=dict, max_length=200)
    order: list[Id] = Field(default_factory=list, max_length=200)
    holes: AnimatedNumber = control(
        0.0, "Close holes", soft=(0, 60), hard=(0, 1000), step=0.5, unit="px",
        help="Up to so many pixels across: what is enclosed by solid becomes solid.",
    )  # fmt: skip
    crumbs: AnimatedNumber = control(
        0.0, "Drop crumbs", soft=(0, 60), hard=(0, 1000), step=0.5, unit="px",
        help="Up to so many pixels across: what stands alone in the clear becomes clear.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _order_holds(self) -> Matte:
        listed(self.pieces, self.order, f"the pieces of the matte {self.name}")
        return self

    @property
    def in_order(self) -> list[Piece]:
        """Its pieces, each after those it adds to, subtracts from or intersects."""
        return [self.pieces[i] for i in self.order]
