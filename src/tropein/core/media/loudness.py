"""How loud a sound is while each frame shows."""

from __future__ import annotations

import math
import wave
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import MediaError

SILENT_DB = -96.0
DIES_DB_S = 120.0  # a level falls no faster than that, so that it does not flutter within a word
CELLS_S, READ_S = 400, 20  # so many cells of a second are summed up; read at once
LOOKED_AT_S = 0.04  # at least: a deep voice swings ten times a tenth of a second


def loudness(wav: Path, rate: Fraction, frames: int, start_s: float = 0.0) -> NDArray[np.float64]:
    """(frames,) dB below full scale (root mean square), SILENT_DB where there is none, of 16-bit sound; frame 0 shows at `start_s` of it. It rises at once
    and dies away at DIES_DB_S."""
    seconds = frames / float(rate) + 1
    total, begin = _power(wav, max(0.0, start_s), seconds)
    shows = (start_s - begin + np.arange(frames) / float(rate)) * CELLS_S
    middle, half = shows + CELLS_S / float(rate) / 2, max(1 / float(rate), LOOKED_AT_S) * CELLS_S / 2
    low, high = (np.clip(middle + side * half, 0, len(total) - 1) for side in (-1, 1))
    cells = np.arange(len(total))
    mean = (np.interp(high, cells, total) - np.interp(low, cells, total)) / np.maximum(high - low, 1e-9)
    level = np.maximum(10 * np.log10(np.maximum(mean, 1e-12)), SILENT_DB)
    for i in range(1, frames):
        level[i] = max(level[i], level[i - 1] - DIES_DB_S / float(rate))
    return level


def _power(wav: Path, start_s: float, seconds: float) -> tuple[NDArray[np.float64], float]:
    """(the power of the sound summed up from its beginning there, cell by cell, with a 0 before them; the second at which that is)."""
    cells: list[NDArray[np.float64]] = []
    try:
        with wave.open(str(wav), "rb") as file:
            cell, channels = file.getframerate() // CELLS_S, file.getnchannels()
            first = min(int(start_s * CELLS_S) * cell, file.getnframes())
            file.setpos(first)
            left = math.ceil(seconds * CELLS_S)
            while left > 0:
                data = np.frombuffer(file.readframes(min(left, READ_S * CELLS_S) * cell), np.int16)
                n = data.size // (cell * channels)
                if not n:
                    break
                part = data[: n * cell * channels].reshape(n, cell * channels).astype(np.float32) / 32768
                cells.append(np.square(part).mean(1, dtype=np.float64))
                left -= n
    except (wave.Error, EOFError, OSError, ValueError, ZeroDivisionError) as error:
        raise MediaError("The sound cannot be read.") from error
    return np.concatenate([[0.0], np.cumsum(np.concatenate([*cells, [0.0]]))]), first / cell / CELLS_S
