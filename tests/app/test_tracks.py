"""Tracks through the API: trimmed, made into one, cameras out and in; a cut-out that is asked for without strokes."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.app.test_edits import shot  # noqa: F401
from tests.core.test_cameras import points, solved
from tropein.app.jobs.context import WorkContext
from tropein.core.document.upgrade import load_shot
from tropein.core.track.forms.camera import CameraFile
from tropein.core.track.forms.point import PointFile


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
    assert track["points"]["p1"]["position"] == [30, 15] and track["lost_frames"] == 0
    samples = client.get(f"/api/artefacts/{track['samples']}/track").json()
    assert samples["frames"][9]["points"] == [[48, 24]]
    refused = client.post(url, json={"tracks": ["p", "c"], "name": "x", "reference_frame": 0})
    assert refused.status_code == 422 and "Only point tracks" in refused.text


def test_a_point_is_taken_out_of_a_track_with_what_was_found_of_it(
    client: TestClient, context: WorkContext, tracked: str
) -> None:
    one, two = points((10, 10), (2, 1)), points((50, 20), (0, 1))
    rows = [
        a.model_copy(update={"points": a.points + b.points, "point_confidence": [0.9, 0.8]})
        for a, b in zip(one.frames, two.frames, strict=True)
    ]
    both = one.model_copy(update={"ids": ["a", "b"], "frames": rows})
    hand = [{"frame": 3, "position": [50, 23]}]
    pair = {n: {"id": n, "position": p, "hand_set": h} for n, p, h in (("a", [10, 10], []), ("b", [50, 20], hand))}
    plate = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["p"]["footage"]
    track = {"kind": "point", "id": "two", "name": "Two", "footage": plate, "points": pair, "order": ["a", "b"]}
    track["samples"] = context.artefacts.put_track(both)
    add(client, tracked, {"op": "add", "path": "/tracks/two", "value": track})
    at = f"/api/shots/{tracked}/tracks/two/points"
    assert client.post(f"{at}/c/drop").status_code == 404
    assert client.post(f"{at}/a/drop").status_code == 204
    left = client.get(f"/api/shots/{tracked}").json()["document"]["tracks"]["two"]
    assert list(left["points"]) == left["order"] == ["b"] and left["points"]["b"]["hand_set"] == hand
    file = context.artefacts.track(left["samples"])
    assert isinstance(file, PointFile) and file.ids == ["b"] and file.frames[4].points == two.frames[4].points
    refused = client.post(f"{at}/b/drop")
    assert refused.status_code == 422 and "last point" in refused.text
    now = load_shot(client.get(f"/api/shots/{tracked}").json()["document"])
    assert now.tracks["two"].part_of(both) == file  # what a run that began before brings home


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
