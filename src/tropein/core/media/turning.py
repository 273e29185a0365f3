"""How a clip's pictures come upright, as its display matrix says (ISO/IEC 14496-12, 8.3.2): first mirrored, then turned."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray


@dataclass(frozen=True)
class Turning:
    """`mirrored` across, then turned counter-clockwise by `degrees` (0, 90, 180 or 270)."""

    mirrored: bool = False
    degrees: int = 0


def turning_of(frame: VideoFrame) -> Turning:
    """What a decoded picture's display matrix says, to the nearest right angle."""
    matrix: Any = frame.side_data.get("DISPLAYMATRIX")
    if matrix is None:
        return Turning()
    a, b, _, c, d = (float(v) for v in np.frombuffer(memoryview(matrix), np.int32)[:5])  # x' = ax + cy, y' = bx + dy
    mirrored = a * d - b * c < 0
    if mirrored:
        a, b = -a, -b
    return Turning(mirrored, round(float(np.degrees(np.arctan2(-b, a))) / 90) * 90 % 360)


def turned(pixels: NDArray[Any], mirrored: bool, degrees: int) -> NDArray[Any]:
    """A picture (h, w, ...) upright; a view, not a copy, where nothing is to be done or it can be one."""
    if mirrored:
        pixels = pixels[:, ::-1]
    return np.rot90(pixels, degrees // 90) if degrees else pixels
