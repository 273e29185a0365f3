"""What is to be measured of footage, and what came of it: what the page, the command line and the demo all hand to a track."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tropein.core.document import Track
from tropein.core.document.footage import Footage
from tropein.core.media.grey import GreyFrames
from tropein.core.media.record import MediaStore
from tropein.core.track.file import FileBase
from tropein.core.track.follow import Direction
from tropein.core.track.frames import Frames
from tropein.core.track.masked import Ignore, MaskedFrames


@dataclass(frozen=True)
class Heard:
    """One frame as it comes, for progress: the middle of what is tracked, and its corners if it has any."""

    frame: int
    xy: tuple[float, float]
    confidence: float
    lost: bool
    corners: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Job:
    """What is to be measured. `known` are earlier samples, kept where this run does not go; `ignore`
    (h, w) is True where the picture does not count (a face is found by itself)."""

    store: MediaStore
    footage: Footage
    track: Track
    span: tuple[int, int]
    direction: Direction = "both"
    known: FileBase | None = None
    report: Callable[[Heard], None] = lambda heard: None
    ignore: Ignore | None = None

    def frames(self, grey: GreyFrames) -> Frames:
        return MaskedFrames(grey, self.ignore) if self.ignore else grey

    def keeps(self, frame: int) -> bool:
        """Whether an earlier result of a frame stays."""
        return not self.span[0] <= frame <= self.span[1] or self.direction != "both"

    def head(self, stopped: str) -> dict[str, Any]:
        return {
            "source": self.footage.name, "size": self.footage.size, "rate": self.footage.rate,
            "reference_frame": self.track.reference_frame, "stopped": stopped,
        }  # fmt: skip


@dataclass(frozen=True)
class Measured:
    """The samples, and whether the user stopped the run (what was done is kept)."""

    file: FileBase
    cancelled: bool = False
