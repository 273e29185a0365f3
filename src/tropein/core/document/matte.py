"""Mattes: named pictures of coverage 0..1, built from pieces, and what is cut by them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator, Field, SerializeAsAny, model_validator

from tropein.core.document.animated import AnimatedNumber, Vec2
from tropein.core.document.base import Frame, Id, Model, Name, control, listed
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.references import Ref

if TYPE_CHECKING:
    from tropein.core.document.layer import Layer
    from tropein.core.document.shot import Shot

MatteId = Annotated[Id, Ref("mattes", "is cut by", on_delete="drop", sees="picture")]
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


class PieceBase(Kind):
    """What all pieces share. `how` says what the piece does to the ones above it; the span includes both ends. Steps, matrices and
    `on` (compose.mattes.Mattes: the shot's mattes at a scale) are the planner's."""

    title: ClassVar[str] = ""
    own_edges: ClassVar[bool] = False  # it is grown by itself, along its outline

    kind: str
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

    @property
    def looks_at(self) -> Id | None:
        """The layer whose own pixels tell what it covers; None where none do."""
        return None

    def problems(self, shot: Shot) -> list[str]:
        """What is wrong with it beside references that lead nowhere; what is said stands after its name."""
        return []

    def coverage(self, on: Any, frame: float) -> Any:
        """The step that makes its coverage in the frame, at the plan's scale; None where it covers nothing."""
        return None

    def unmixed(self, on: Any, layer: Layer, picture: Any, working: float, frame: float) -> Any:
        """The layer's own `picture` (a step, `working` pixels per pixel of its footage) without the light of what was behind it, for a
        layer that is cut by this."""
        return picture

    @property
    def has_marks(self) -> bool:
        """Whether it is drawn in pixels that something moves: its outline, its strokes."""
        return False

    def marks_matrix(self, places: Any, frame: float) -> Any:
        """3x3 from those pixels to the shot's; None where what they ride on hides them."""
        return None


class Cut(Model):
    """Cut by a matte: what is inside stays, or what is outside. Growing and softening leave the matte itself alone."""

    id: Id
    matte: MatteId
    side: Literal["inside", "outside"] = "inside"
    grow: AnimatedNumber = control(0.0, "Grow", soft=(-60, 60), hard=(-400, 400), step=0.25, unit="px")
    soften: AnimatedNumber = control(0.0, "Soften", soft=(0, 80), hard=(0, 2000), step=0.25, unit="px")


Cuts = Annotated[dict[Id, Cut], Field(max_length=16, description="all of them together say what stays")]


PIECES: Family[PieceBase] = Family("piece", "tropein.core.pieces", PieceBase)
Piece = Annotated[SerializeAsAny[PieceBase], BeforeValidator(PIECES.read)]


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
