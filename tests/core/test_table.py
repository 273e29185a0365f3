"""Tracks as tables: there and back, and what a table may not hold."""

from __future__ import annotations

import pytest

from tropein.core.errors import BadInput
from tropein.core.interchange.table import read_points, written
from tropein.core.track.forms.camera import CameraFile, SolveFacts
from tropein.core.track.forms.plane import PlaneFile, PlaneSample
from tropein.core.track.forms.point import PointFile, PointSample

LIKE = PointFile(source="wall", size=(320, 180), rate="24/1", reference_frame=0, frames=[])


def points() -> PointFile:
    rows = [
        PointSample(frame=0, confidence=1.0, lost=False, points=[(10.25, 20.5), (30, 40)], point_confidence=[1.0, 1.0]),
        PointSample(frame=1, confidence=0.0, lost=True, reason="covered, by a hand", points=[(11.0, 20.5), None], point_confidence=[0.0, 0.0]),
    ]  # fmt: skip
    return LIKE.model_copy(update={"frames": rows})


def test_points_go_there_and_back() -> None:
    text = written(points())
    assert text.splitlines()[0] == "frame,confidence,lost,reason,x1,y1,x2,y2"
    assert read_points(text, LIKE) == points()


def test_a_plain_table_of_another_program_is_read() -> None:
    read = read_points("\ufeffFrame,X1,Y1\r\n5, 1.5,2\r\n3,0,0\r\n\r\n4,,\r\n", LIKE)
    assert [s.frame for s in read.frames] == [3, 4, 5]
    assert read.frames[2].points == [(1.5, 2.0)] and read.frames[2].confidence == 1.0
    assert read.frames[1].lost and read.frames[1].points == [None]


def test_planes_and_cameras_have_tables_too() -> None:
    corners = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
    plane = PlaneFile(
        **LIKE.model_dump(exclude={"kind", "frames"}),
        frames=[PlaneSample(frame=2, confidence=0.9, lost=False, corners=corners)],
    )
    assert written(plane).splitlines()[1] == "2,0.9,0,,0.0,0.0,1.0,0.0,1.0,1.0,0.0,1.0"
    camera = CameraFile(
        **LIKE.model_dump(exclude={"kind", "frames"}), focal_px=500.0, principal_point=(160, 90), points3d=[],
        solve=SolveFacts(kind="free", reprojection_px=0.3), frames=[{"frame": 0, "confidence": 1, "lost": False, "world_to_camera": list(range(12))}],
    )  # fmt: skip
    assert written(camera).splitlines()[1].endswith("10.0,11.0,500.0")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "column names"),
        ("frame,x,y\n1,2,3\n", "columns frame, x1, y1"),
        ("frame,x1,y1\n1,a,3\n", "Line 2"),
        ("frame,x1,y1\n1,2,3\n1,2,3\n", "twice"),
        ("frame,x1,y1\n1,nan,3\n", "out of range"),
        ("frame,x1,y1,confidence\n1,2,3,7\n", "out of range"),
    ],
)
def test_tables_that_cannot_be_read_say_where(text: str, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        read_points(text, LIKE)
