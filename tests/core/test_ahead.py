"""Reading one picture ahead."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from tropein.core.errors import MediaError
from tropein.core.media.ahead import Ahead
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING


class Numbered:
    """Picture i is i everywhere; 5 is damaged. Says what was read, and that only one thread at a time did."""

    def __init__(self) -> None:
        self.read_: list[int] = []
        self.closed = False
        self._one = threading.Lock()

    def read(self, index: int) -> Coded:
        assert self._one.acquire(blocking=False)
        self.read_.append(index)
        self._one.release()
        if index == 5:
            raise MediaError("The clip is damaged at frame 5.")
        return Coded(np.full((1, 1, 4), index, np.float32), WORKING)

    def close(self) -> None:
        self.closed = True


def number(reader: Ahead, index: int) -> float:
    return float(reader.read(index).picture().pixels[0, 0, 0])


def test_in_order_the_next_one_is_read_meanwhile_and_none_twice() -> None:
    source = Numbered()
    reader = Ahead(source, 9)
    assert [number(reader, i) for i in (0, 1, 2, 3)] == [0, 1, 2, 3]
    reader.close()
    assert source.read_ == [0, 1, 2, 3, 4] and source.closed


def test_backwards_in_leaps_and_at_the_end() -> None:
    source = Numbered()
    reader = Ahead(source, 9)
    order = [8, 7, 6, 0, 8, 2, 4, 6, 8, 8]
    assert [number(reader, i) for i in order] == order
    reader.close()
    assert max(source.read_) == 8 and min(source.read_) == 0


def test_damage_is_told_when_its_picture_is_asked_for() -> None:
    reader = Ahead(Numbered(), 9)
    assert [number(reader, i) for i in (3, 4)] == [3, 4]  # 5 is being read by now
    with pytest.raises(MediaError, match="damaged at frame 5"):
        reader.read(5)
    assert number(reader, 6) == 6 and number(reader, 0) == 0
    reader.close()
