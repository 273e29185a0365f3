"""Cut-outs as files: a ZIP of one grey PNG a frame (coverage 0..255), and what strokes they were made from."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import orjson
from numpy.typing import NDArray

from tropein.core.errors import BadInput

HEAD = "cutout.json"


def packed(frames: Mapping[int, NDArray[np.uint8]], strokes: Mapping[int, str]) -> bytes:
    """`frames` (h, w) by frame; `strokes` the mark of the strokes each frame was made from. The same input, the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        head = {"format": "tropein.cutout", "version": 1, "strokes": {str(k): v for k, v in sorted(strokes.items())}}
        archive.writestr(zipfile.ZipInfo(HEAD), orjson.dumps(head))
        for frame, coverage in sorted(frames.items()):
            ok, data = cv2.imencode(".png", coverage, [cv2.IMWRITE_PNG_COMPRESSION, 3])
            assert ok
            archive.writestr(zipfile.ZipInfo(f"{frame:06d}.png"), data.tobytes())
    return out.getvalue()


class CutoutFile:
    """A stored cut-out. BadInput when it is damaged."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            with zipfile.ZipFile(path) as archive:
                names = archive.namelist()
                head = orjson.loads(archive.read(HEAD))
        except (zipfile.BadZipFile, KeyError, orjson.JSONDecodeError) as error:
            raise BadInput("The cut-out's coverage is damaged: carry it through the shot again.") from error
        self.frames = frozenset(int(n[:6]) for n in names if n.endswith(".png"))
        self.strokes: dict[int, str] = {int(k): v for k, v in head["strokes"].items()}

    def coverage(self, frame: int) -> NDArray[np.uint8] | None:
        """(h, w) 0..255; None where it was not carried to."""
        if frame not in self.frames:
            return None
        with zipfile.ZipFile(self.path) as archive:
            data = np.frombuffer(archive.read(f"{frame:06d}.png"), np.uint8)
        return cv2.imdecode(data, cv2.IMREAD_GRAYSCALE)


@lru_cache(32)
def opened(path: Path) -> CutoutFile:
    """Files never change once written, so each is opened once."""
    return CutoutFile(path)
