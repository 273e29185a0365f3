"""No picture that cannot be drawn ends the preview process."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.core.builders import document, layer
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.upgrade import load_shot


@pytest.fixture
def shot(client: TestClient, context: WorkContext, clip: Path) -> str:
    media, _ = context.library.add([(clip, "wall.mp4")])
    corners = [[[x + i, y] for x, y in ((20, 20), (200, 20), (200, 150), (20, 150))] for i in range(3)]
    keys = [{"frame": 8 * i, "value": c, "ease": "smooth"} for i, c in enumerate(corners)]
    whole = document([layer("card", place={"corners": {"value": corners[0], "keys": keys}})])
    whole["footage"]["wall"]["media"] = media
    with transaction(context.engine) as session:
        return shots.create(session, load_shot(whole)).id


def test_four_corners_keyed_smooth_are_drawn(client: TestClient, shot: str) -> None:
    pool = client.app.state.pool  # type: ignore[attr-defined]
    before = pool._process.pid
    for frame in (0, 3, 8, 11, 40):
        assert client.get(f"/api/shots/{shot}/frame/{frame}.jpg?width=320").status_code == 200
    assert pool._process.pid == before


def test_whatever_a_frame_raises_is_said_and_the_next_is_drawn(
    client: TestClient, context: WorkContext, shot: str
) -> None:
    pool = client.app.state.pool  # type: ignore[attr-defined]
    before = pool._process.pid
    folder = context.library.store.folder("2" * 32)
    folder.mkdir(parents=True)
    (folder / "media.json").write_text('{"nothing": "that is known"}')
    whole = document()
    whole["footage"]["wall"]["media"] = "2" * 32
    with transaction(context.engine) as session:
        broken = shots.create(session, load_shot(whole)).id
    refused = client.get(f"/api/shots/{broken}/frame/1.jpg?width=64")
    assert refused.status_code == 422 and "could not be drawn" in refused.json()["message"]
    assert client.get(f"/api/shots/{shot}/frame/1.jpg?width=64").status_code == 200
    assert pool._process.pid == before
    os.kill(before, 9)  # from outside
    assert client.get(f"/api/shots/{shot}/frame/2.jpg?width=64").status_code in (200, 422)
    assert client.get(f"/api/shots/{shot}/frame/3.jpg?width=65").status_code == 200
    assert pool._process.pid != before
