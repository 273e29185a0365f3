"""Track files: JSON, UTF-8, as told in docs/formats.md; also the form in which samples are stored."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
import orjson
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tropein.core.animate.ride import Path
from tropein.core.document.base import Rate
from tropein.core.document.kinds import Family, Kind
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

    def values(self) -> list[object]:
        """Its cells in a table."""
        return []


class FileBase(Kind):
    """A track on its own; its form, `kind`, says what its frames hold. Forms stand in track/forms, or beside the one track that has them."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)
    kind: str
    frames: Sequence[Any]
    format: Literal["tropein.track"] = "tropein.track"
    version: Literal[1] = 1
    source: str = ""
    size: tuple[int, int]
    rate: Rate
    reference_frame: int
    stopped: str = ""

    def dumps(self) -> bytes:
        return orjson.dumps(self.model_dump(mode="json"))

    @property
    def in_order(self) -> list[Any]:
        """Its frames, first to last."""
        return sorted(self.frames, key=lambda s: s.frame)

    @property
    def numbers(self) -> NDArray[np.float64]:
        """(n,) the numbers of its frames, in order."""
        return np.array([s.frame for s in self.in_order], np.float64)

    def path(self, spot: str = "") -> Path:
        """The path to ride on, of what has several that of a spot. Lost frames are marked, not left out."""
        raise NotImplementedError

    def columns(self) -> list[str]:
        """The columns of its table after those all tables have."""
        return []

    def values(self, row: Sample) -> list[object]:
        """A frame's cells under `columns`; "" where nothing is known."""
        return row.values()

    def square(self, row: Sample, point: int, half: float) -> NDArray[np.float64] | None:
        """Corners (4, 2) of what the track holds on to in a frame, full-size pixels; None for nothing. `point` of several; `half` the side of the
        pattern that was followed."""
        return None

    def note(self) -> str:
        """What a person should know of the result, in one sentence or two; "" when all is well. BadInput where nothing was found."""
        lost = [s for s in self.in_order if s.lost]
        if not lost:
            return ""
        if len(lost) == len(self.frames):
            raise BadInput(f"Nothing could be followed: {lost[0].reason or 'nothing was found'}.")
        where = f"Lost {'from' if len(lost) > 1 else 'at'} frame {lost[0].frame}: {lost[0].reason}."
        rest = "It stopped there." if self.stopped else f"{len(lost)} frames are lost in all."
        return f"{where} {rest} {self.loss_means()}"

    def loss_means(self) -> str:
        return "Set it by hand at a later frame to bridge the gap, or end the ride before it."


FILES: Family[FileBase] = Family("track file", "tropein.core.tracks", FileBase)
MAX_BYTES = 192 << 20  # of one track file, unpacked


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


def parse_track(data: bytes) -> FileBase:
    """A track file, gzip or plain; BadInput says what is wrong with it."""
    try:
        loaded = orjson.loads(plain(data))
    except orjson.JSONDecodeError as error:
        raise BadInput("This is not a track file.") from error
    try:
        file = FILES.read(loaded)
    except ValidationError as error:
        raise BadInput(f"This track file cannot be used: {explain(error)}") from error
    except ValueError as error:
        raise BadInput("This is not a track file.") from error
    if file.unknown:
        raise BadInput(f"This track file holds a track of the kind {file.kind}, which is not installed here.")
    return file
