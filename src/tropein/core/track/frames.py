"""Where trackers get their pictures from."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tropein.core.media.grey import GreyPicture


class Frames(Protocol):
    """Grey pictures by frame number."""

    @property
    def size(self) -> tuple[int, int]: ...
    def __len__(self) -> int: ...
    def frame(self, index: int) -> GreyPicture: ...


class ColourPictures(Protocol):
    """Display-encoded (h, w, 3) uint8 pictures by frame number."""

    @property
    def size(self) -> tuple[int, int]: ...
    def __len__(self) -> int: ...
    def rgb(self, index: int) -> NDArray[np.uint8]: ...
