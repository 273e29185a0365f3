"""Tracks through the API: trimmed, made into one, cameras out and in; a cut-out that is asked for without strokes."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.app.test_edits import shot  # noqa: F401
from tests.core.test_cameras import points, solved
from tropein.app.jobs.context import WorkContext
from tropein.core.track.forms.camera import CameraFile


def add(client: TestClient, shot_id: str, *ops: dict[str, Any]) -> dict[str, Any]:
    base = client.get(f"/api/shots/{shot_id}").json()["revision"]
    body = {"base": base, "label": "set up", "ops": list(ops), "client": "a"}
    answer = client.post(f"/api/shots/{shot_id}/edits", json=body)
    assert answer.status_code == 200, answer.text
    document: dict[str, Any] = client.get(f"/api/shots/{shot_id}").json()["document"]
    return document


@pytest.fixture
def tracked(client: TestClient, context: WorkContext, shot: str) -> str:  # noqa: F811
    """A shot with two followed points and a solved camera over its plate."""
    document = client.get(f"/api/shots/{shot}").json()["document"]
    plate = document["layers"][document["plate"]]["content"]["footage"]
    made = {
        "p": {"kind": "point", "position": [10, 10], "samples": context.artefacts.put_track(points((10, 10), (2, 1)))},
        "q": {"kind": "point", "position": [50, 20], "samples": context.artefacts.put_track(points((50, 20), (2, 1), range(4, 7))), "lost_frames": 3},
        "c": {"kind": "camera", "samples": context.artefacts.put_track(solved())},
    }  # fmt: skip
    add(
        client,
        shot,
        *(
            {"op": "add", "path": f"/tracks/{i}", "value": {"id": i, "name": i, "footage": plate} | t}
            for i, t in made.items()
        ),
    )
    return shot


def test_a_track_is_trimmed_and_undo_brings_it_back(client: TestClient, tracked: str) -> None:
    before = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["q"]
    assert client.post(f"/api/shots/{tracked}/tracks/q/trim", json={"first": 0, "last": 4}).status_code == 204
    after = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["q"]
    assert after["samples"] != before["samples"] and after["lost_frames"] == 1
    assert client.post(f"/api/shots/{tracked}/tracks/q/trim", json={"first": 70, "last": 80}).status_code == 422
    client.post(f"/api/shots/{tracked}/undo", json={})
    assert client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["q"] == before


def test_two_points_are_made_into_a_track_of_their_own(client: TestClient, tracked: str) -> None:
    url = f"/api/shots/{tracked}/tracks/combine"
    made = client.post(url, json={"tracks": ["p", "q"], "name": "both", "reference_frame": 0}).json()["id"]
    track = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"][made]
    assert track["position"] == [30, 15] and track["lost_frames"] == 0
    samples = client.get(f"/api/artefacts/{track['samples']}/track").json()
    assert samples["frames"][9]["points"] == [[48, 24]]
    refused = client.post(url, json={"tracks": ["p", "c"], "name": "x", "reference_frame": 0})
    assert refused.status_code == 422 and "Only point tracks" in refused.text


@pytest.mark.parametrize("form", ["glb", "usda"])
def test_a_camera_goes_out_and_comes_in_again(
    client: TestClient, context: WorkContext, tracked: str, form: str
) -> None:
    out = client.get(f"/api/shots/{tracked}/tracks/c/file.{form}")
    assert out.status_code == 200 and len(out.content) > 500
    url = f"/api/shots/{tracked}/tracks/c/file"
    assert client.post(url, files={"file": (f"move.{form}", out.content)}).status_code == 204
    track = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["c"]
    again = context.artefacts.track(track["samples"])
    assert isinstance(again, CameraFile) and len(again.frames) == 11 and track["note"] == f"Read from move.{form}."
    for name, content in (("move.glb", b"no"), ("move.txt", out.content)):
        refused = client.post(url, files={"file": (name, content)})
        assert refused.status_code == 422
    assert client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["c"] == track
    assert client.get(f"/api/shots/{tracked}/tracks/p/file.glb").status_code == 422


def test_a_cut_out_without_strokes_is_not_carried(client: TestClient, tracked: str) -> None:
    document = client.get(f"/api/shots/{tracked}").json()["document"]
    piece = {"kind": "cutout", "id": "k", "name": "k", "layer": document["plate"], "strokes": []}
    add(
        client,
        tracked,
        {"op": "add", "path": "/mattes/m", "value": {"id": "m", "name": "m", "pieces": {"k": piece}, "order": ["k"]}},
    )
    refused = client.post(f"/api/shots/{tracked}/mattes/m/pieces/k/carry")
    assert refused.status_code == 422 and "what is to be kept" in refused.text
    assert client.post(f"/api/shots/{tracked}/mattes/m/pieces/gone/carry").status_code == 404
    matrices = client.get(f"/api/shots/{tracked}/carried?frame=0").json()
    assert matrices["m/k"] == [1, 0, 0, 0, 1, 0, 0, 0, 1]
