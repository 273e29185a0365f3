"""Lays the harbour sound along the quay plate without encoding its pictures again. Run once; the result ships."""

from __future__ import annotations

import sys
import tempfile
from fractions import Fraction
from pathlib import Path

from demo.stock import harbour_sound
from tropein.core.media.encode import Target, join


def main(source: Path, out: Path, frames: int, rate: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        sound = Path(folder) / "harbour.wav"
        harbour_sound(sound, frames / rate)
        join([(source, frames)], out, Target("h264", Fraction(rate), (960, 540)), sound)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), 72, 24)
