"""Track files: JSON, UTF-8, as told in docs/formats.md; also the form in which samples are stored."""

from __future__ import annotations

import gzip
from typing import Annotated, Literal

import orjson
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tropein.core.document.base import Rate
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput

Point = tuple[float, float]
Share = Annotated[float, Field(ge=0, le=1)]


class Sample(BaseModel):
    """One frame of a point track. Positions are full-size footage pixels; a lost frame holds the best guess or null."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)
    frame: int
    confidence: Share
    lost: bool
    points: list[Point | None]
    point_confidence: list[Share]
    reason: str = ""


class TrackFile(BaseModel):
    """A point track on its own."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)
    format: Literal["tropein.track"] = "tropein.track"
    version: Literal[1] = 1
    kind: Literal["point"] = "point"
    source: str = ""
    size: tuple[int, int]
    rate: Rate
    reference_frame: int
    frames: list[Sample]
    stopped: str = ""

    def dumps(self) -> bytes:
        return orjson.dumps(self.model_dump(mode="json"))


def parse_track(data: bytes) -> TrackFile:
    """A track file, gzip or plain; BadInput says what is wrong with it."""
    try:
        raw = gzip.decompress(data) if data[:2] == b"\x1f\x8b" else data
        return TrackFile.model_validate(orjson.loads(raw))
    except (OSError, EOFError, orjson.JSONDecodeError) as error:
        raise BadInput("This is not a track file.") from error
    except ValidationError as error:
        raise BadInput(f"This track file cannot be used: {explain(error)}") from error
