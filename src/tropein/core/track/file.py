"""Track files: JSON, UTF-8, as told in docs/formats.md; also the form in which samples are stored."""

from __future__ import annotations

import zlib
from typing import Annotated, Literal

import orjson
from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag, TypeAdapter, ValidationError

from tropein.core.document.base import Rate
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput

Point = tuple[float, float]
Share = Annotated[float, Field(ge=0, le=1)]


class Sample(BaseModel):
    """One frame. Places are full-size footage pixels; a lost frame holds the best guess or null."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)
    frame: int
    confidence: Share
    lost: bool
    reason: str = ""


class PointSample(Sample):
    points: list[Point | None]
    point_confidence: list[Share]


class PlaneSample(Sample):
    """`homography` takes the reference frame to this one, row by row."""

    corners: tuple[Point, Point, Point, Point] | None
    homography: Annotated[list[float], Field(min_length=9, max_length=9)] | None = None


class ObjectSample(Sample):
    """`box`: centre x, y, width, height; turned clockwise by `angle_deg`."""

    box: tuple[float, float, float, float] | None
    angle_deg: float = 0.0


class Sides(BaseModel):
    """One for each eye; left is the subject's left."""

    left: float
    right: float


class Irises(BaseModel):
    """x, y and radius in pixels."""

    left: tuple[float, float, float]
    right: tuple[float, float, float]


class FaceSample(Sample):
    """`pose` is 4x4, row by row: the face's own axes (x to the subject's left, y up, z out of the face, centimetres) to
    the camera's (x right, y down, z forward)."""

    landmarks: list[tuple[float, float, float]] | None
    iris: Irises | None = None
    eye_open: Sides | None = None
    mouth_open: float | None = None
    pose: Annotated[list[float], Field(min_length=16, max_length=16)] | None = None


class CameraSample(Sample):
    """`world_to_camera` is 3x4, row by row; the camera's axes are x right, y down, z forward."""

    world_to_camera: Annotated[list[float], Field(min_length=12, max_length=12)] | None
    reprojection_px: float | None = None


class SolveFacts(BaseModel):
    """What kind of move was solved, and how well: `parallax_deg` is the median angle under which points are seen, `focal_sd_px` how
    unsure the focal length is, `halves_apart` how far the paths that either half of the points gives lie apart, as a share of
    their extent, `spread` the share of the picture that holds points, `doubts` what speaks against it, in words."""

    kind: Literal["free", "rotation", "planar"]
    reprojection_px: float
    parallax_deg: float = 0.0
    focal_sd_px: float = 0.0
    halves_apart: float = 0.0
    spread: float = 0.0  # not told by files of before
    doubts: list[str] = Field(default_factory=list)


class FileBase(BaseModel):
    """A track on its own."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)
    format: Literal["tropein.track"] = "tropein.track"
    version: Literal[1] = 1
    source: str = ""
    size: tuple[int, int]
    rate: Rate
    reference_frame: int
    stopped: str = ""

    def dumps(self) -> bytes:
        return orjson.dumps(self.model_dump(mode="json"))


class PointFile(FileBase):
    """`shutter_deg` is how long the shutter was open, as an angle, where the motion blur told."""

    kind: Literal["point"] = "point"
    frames: list[PointSample]
    shutter_deg: float | None = None


class PlaneFile(FileBase):
    kind: Literal["plane"] = "plane"
    frames: list[PlaneSample]


class ObjectFile(FileBase):
    kind: Literal["object"] = "object"
    frames: list[ObjectSample]


class FaceFile(FileBase):
    kind: Literal["face"] = "face"
    frames: list[FaceSample]


class CameraFile(FileBase):
    """`radial` is the lens's first radial term, of distances in focal lengths (0: straight lines stay straight); `point_errors_px` are
    the mean errors of `points3d`."""

    kind: Literal["camera"] = "camera"
    focal_px: float
    principal_point: Point
    radial: float = 0.0
    points3d: list[tuple[float, float, float]]
    point_errors_px: list[float] = Field(default_factory=list)
    solve: SolveFacts
    frames: list[CameraSample]


TrackFile = Annotated[
    Annotated[PointFile, Tag("point")]
    | Annotated[PlaneFile, Tag("plane")]
    | Annotated[ObjectFile, Tag("object")]
    | Annotated[FaceFile, Tag("face")]
    | Annotated[CameraFile, Tag("camera")],
    Discriminator("kind"),
]
AnyFile = PointFile | PlaneFile | ObjectFile | FaceFile | CameraFile
MAX_BYTES = 192 << 20  # of one track file, unpacked
_ANY: TypeAdapter[AnyFile] = TypeAdapter(TrackFile)


def plain(data: bytes) -> bytes:
    """A track file as JSON, unpacked if it was packed; BadInput when it is damaged, or unpacks to more than any can be."""
    if data[:2] != b"\x1f\x8b":
        return data
    unpacking = zlib.decompressobj(wbits=31)  # gzip
    try:
        raw = unpacking.decompress(data, MAX_BYTES)
    except zlib.error as error:
        raise BadInput("This is not a track file: it is damaged.") from error
    if not unpacking.eof or unpacking.unused_data:
        raise BadInput("This is not a track file: it is cut off, or larger than any can be.")
    return raw


def parse_track(data: bytes) -> AnyFile:
    """A track file, gzip or plain; BadInput says what is wrong with it."""
    try:
        return _ANY.validate_python(orjson.loads(plain(data)))
    except orjson.JSONDecodeError as error:
        raise BadInput("This is not a track file.") from error
    except ValidationError as error:
        raise BadInput(f"This track file cannot be used: {explain(error)}") from error
