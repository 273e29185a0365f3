"""Tracks as tables (CSV, RFC 4180): one row a frame, for spreadsheets and other programs; points and planes also back."""

from __future__ import annotations

import csv
import io
import math
from typing import Any, ClassVar, Literal

from tropein.core.document import Track
from tropein.core.errors import BadInput
from tropein.core.interchange.form import FORMS, FormBase, Of
from tropein.core.track.file import FileBase
from tropein.core.track.forms.point import PointFile, PointSample

COMMON = ("frame", "confidence", "lost", "reason")
MOST_ROWS, MOST_POINTS = 200_000, 64


def written(file: FileBase) -> str:
    """The table of a track. Points and corners are x1, y1, x2, ... in full-size pixels; an object gives its box; a face gives its irises and how far
    eyes and mouth are open; a camera its pose row by row (world to camera, 3x4) and its focal length."""
    out = io.StringIO()
    table = csv.writer(out)
    table.writerow([*COMMON, *file.columns()])
    for row in file.in_order:
        table.writerow([row.frame, row.confidence, int(row.lost), row.reason, *file.values(row)])
    return out.getvalue()


@FORMS.add
class Table(FormBase):
    """One row a frame, for spreadsheets and other programs; of points also back."""

    title: ClassVar[str] = "Table"
    writes: ClassVar[dict[str, str]] = {".csv": "table, one row a frame"}
    reads: ClassVar[tuple[str, ...]] = (".csv",)
    into: ClassVar[tuple[str, ...]] = ("point",)
    media_type: ClassVar[str] = "text/csv"
    kind: Literal["table"] = "table"

    def write(self, file: FileBase, extension: str, world: list[float] | None = None) -> bytes:
        return written(file).encode()

    def read(self, data: bytes, name: str, of: Of) -> PointFile:
        return read_points(data.decode(errors="replace"), PointFile(**of._asdict(), frames=[]))

    def changes(self, track: Track, file: FileBase) -> dict[str, Any]:
        """It starts where the table has its points in the reference frame, or else first."""
        rows = [s for s in file.in_order if not s.lost and s.points[0]]
        here = next((s for s in rows if s.frame == track.reference_frame), rows[0] if rows else None)
        if here is None:
            raise BadInput("No frame of the table says where the point is.")
        places = {f"p{k + 1}": p for k, p in enumerate(here.points) if p is not None}
        points = {name: {"id": name, "position": place, "hand_set": []} for name, place in places.items()}
        return {"reference_frame": here.frame, "points": points, "order": list(points)}


def read_points(text: str, like: PointFile) -> PointFile:
    """A table with columns frame, x1, y1, ... as the samples of a point track; `confidence`, `lost` and `reason` may be
    there. `like` says of what footage. BadInput names the line that is wrong."""
    if text.count("\n") + text.count("\r") > 2 * MOST_ROWS:
        raise BadInput(f"The table has more than {MOST_ROWS} lines.")
    try:
        rows = list(csv.reader(io.StringIO(text.removeprefix("\ufeff"))))
    except csv.Error as error:
        raise BadInput(f"This is not a table that can be read: {error}.") from error
    if len(rows) < 2 or len(rows) > MOST_ROWS:
        raise BadInput(f"The table needs a line of column names and at least one frame, and up to {MOST_ROWS}.")
    names = [n.strip().lower() for n in rows[0]]
    count = sum(n.startswith("x") and n[1:].isdigit() for n in names)
    wanted = ["frame", *(f"{axis}{i + 1}" for i in range(count) for axis in "xy")]
    if not 1 <= count <= MOST_POINTS or any(n not in names for n in wanted):
        raise BadInput("The table needs the columns frame, x1, y1, and for more points x2, y2, and so on.")
    frames: dict[int, PointSample] = {}
    for number, row in enumerate(rows[1:], 2):
        if not any(cell.strip() for cell in row):
            continue
        cells = dict(zip(names, (c.strip() for c in row), strict=False))
        sample = _read_row(cells, count, number)
        if sample.frame in frames:
            raise BadInput(f"Line {number}: frame {sample.frame} is there twice.")
        frames[sample.frame] = sample
    return like.model_copy(update={"frames": [frames[f] for f in sorted(frames)], "stopped": ""})


def _read_row(cells: dict[str, str], count: int, number: int) -> PointSample:
    try:
        frame = int(cells["frame"])
        points = []
        for i in range(1, count + 1):
            x, y = cells.get(f"x{i}", ""), cells.get(f"y{i}", "")
            points.append((float(x), float(y)) if x and y else None)
        sure = float(cells.get("confidence") or 1.0)
    except ValueError as error:
        raise BadInput(f"Line {number}: {error}.") from error
    numbers = [v for p in points if p for v in p]
    if not all(math.isfinite(v) and abs(v) <= 1e6 for v in [*numbers, float(frame)]) or not 0 <= sure <= 1:
        raise BadInput(f"Line {number}: a number there is out of range.")
    lost = cells.get("lost", "") in ("1", "true", "True", "yes") or not any(points)
    each = [0.0 if p is None or lost else sure for p in points]
    return PointSample(frame=frame, confidence=0.0 if lost else sure, lost=lost, reason=cells.get("reason", ""), points=points, point_confidence=each)  # fmt: skip
