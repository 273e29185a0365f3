"""Pairs: a place in an insert, and the place in the plate that it should look like."""

from __future__ import annotations

from tropein.core.document.base import Coordinate, FrameNumber, Model

MOST_PAIRS = 40


class Pair(Model):
    """Both in shot pixels, each at its frame."""

    own: tuple[Coordinate, Coordinate]
    plate: tuple[Coordinate, Coordinate]
    own_frame: FrameNumber
    plate_frame: FrameNumber
