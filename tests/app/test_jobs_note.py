from __future__ import annotations

from tropein.app.jobs.ingest import title_of
from tropein.app.jobs.track import say
from tropein.core.track.point import Found


def test_a_lost_track_is_explained_in_words() -> None:
    found = {i: Found(i, (0.0, 0.0), 1.0, 5 <= i < 9, "left the picture" if i == 5 else "") for i in range(12)}
    text = say(found, 4, "")
    assert text.startswith("Lost from frame 5: left the picture.") and "4 frames" in text and "by hand" in text
    assert say({0: found[0]}, 0, "") == ""


def test_imports_are_named_after_their_files() -> None:
    assert title_of([["0", "C:\\takes\\quay 2.mov"]]) == "quay 2"
    assert title_of([["0", "shot_0001.png"], ["1", "shot_0002.png"]]) == "shot"
    assert title_of([["0", ".png"]]) == ".png"
