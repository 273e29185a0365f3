"""Where trackers get their pictures from."""

from __future__ import annotations

from typing import Protocol

from tropein.core.media.grey import GreyPicture


class Frames(Protocol):
    """Grey pictures by frame number."""

    @property
    def size(self) -> tuple[int, int]: ...
    def __len__(self) -> int: ...
    def frame(self, index: int) -> GreyPicture: ...
