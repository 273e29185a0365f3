from __future__ import annotations

import pytest

from tropein.app.jobs.work.ingest import title_of
from tropein.core.errors import BadInput
from tropein.core.track.forms.point import PointFile, PointSample


def track(*lost: int) -> PointFile:
    rows = [
        PointSample(
            frame=i, confidence=1, lost=i in lost, points=[(0, 0)], point_confidence=[1], reason="left the picture"
        )
        for i in range(12)
    ]
    return PointFile(size=(10, 10), rate="24/1", reference_frame=0, frames=rows)


def test_a_lost_track_is_explained_in_words() -> None:
    text = track(5, 6, 7, 8).note()
    assert text.startswith("Lost from frame 5: left the picture.") and "4 frames" in text and "by hand" in text
    assert track().note() == ""
    with pytest.raises(BadInput, match="left the picture"):
        track(*range(12)).note()


def test_imports_are_named_after_their_files() -> None:
    assert title_of([["0", "C:\\takes\\quay 2.mov"]]) == "quay 2"
    assert title_of([["0", "shot_0001.png"], ["1", "shot_0002.png"]]) == "shot"
    assert title_of([["0", ".png"]]) == ".png"
