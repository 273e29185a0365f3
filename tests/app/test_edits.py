from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.core.builders import document
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.upgrade import load_shot


@pytest.fixture
def shot(context: WorkContext) -> str:
    with transaction(context.engine) as session:
        return shots.create(session, load_shot(document())).id


def edit(client: TestClient, shot: str, base: int, label: str, path: str, value: Any) -> Any:
    ops = [{"op": "replace", "path": path, "value": value}]
    return client.post(f"/api/shots/{shot}/edits", json={"base": base, "label": label, "ops": ops, "client": "a"})


def test_undo_and_redo_go_back_and_forth_by_name(client: TestClient, shot: str) -> None:
    start = client.get(f"/api/shots/{shot}").json()
    for i, name in enumerate(("One", "Two", "Three")):
        state = edit(client, shot, i, f"rename to {name}", "/name", name).json()
    assert (state["revision"], state["undo"], state["redo"]) == (3, "rename to Three", None)
    names = []
    for _ in range(3):
        state = client.post(f"/api/shots/{shot}/undo", json={}).json()
        names.append((state["document"]["name"], state["redo"]))
    assert names == [("Two", "rename to Three"), ("One", "rename to Two"), ("Test", "rename to One")]
    assert state["document"] == start["document"] and state["undo"] is None
    assert client.post(f"/api/shots/{shot}/undo", json={}).status_code == 422
    for name in ("One", "Two"):
        state = client.post(f"/api/shots/{shot}/redo", json={}).json()
        assert state["document"]["name"] == name
    state = edit(client, shot, state["revision"], "rename to Other", "/name", "Other").json()
    assert state["redo"] is None and state["undo"] == "rename to Other"
    assert client.post(f"/api/shots/{shot}/redo", json={}).status_code == 422
    labels = [h["kind"] for h in client.get(f"/api/shots/{shot}/history").json()]
    assert labels == ["edit", "redo", "redo", "undo", "undo", "undo", "edit", "edit", "edit"]


def test_the_later_of_two_tabs_is_told_and_nothing_is_overwritten(client: TestClient, shot: str) -> None:
    assert edit(client, shot, 0, "first tab", "/name", "First").status_code == 200
    answer = edit(client, shot, 0, "second tab", "/name", "Second")
    assert answer.status_code == 409 and answer.json()["code"] == "conflict" and answer.json()["revision"] == 1
    assert "first tab" in answer.json()["message"]
    assert client.get(f"/api/shots/{shot}").json()["document"]["name"] == "First"


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [("/layers/plate/footage", "gone", "not in the shot"), ("/trim", [0, 99], "trim"), ("/nowhere/x", 1, "does not fit"), ("/size", [0, 0], "pixels")],
)  # fmt: skip
def test_an_edit_that_breaks_the_shot_is_refused_and_nothing_changes(
    client: TestClient, shot: str, path: str, value: Any, words: str
) -> None:
    before = client.get(f"/api/shots/{shot}").json()
    answer = edit(client, shot, 0, "break it", path, value)
    assert answer.status_code == 422 and words in answer.json()["message"]
    assert client.get(f"/api/shots/{shot}").json() == before


def test_numbers_that_are_none_are_refused(client: TestClient, shot: str) -> None:
    body = '{"base":0,"label":"x","ops":[{"op":"replace","path":"/layers/plate/opacity/value","value":NaN}]}'
    answer = client.post(f"/api/shots/{shot}/edits", content=body, headers={"content-type": "application/json"})
    assert answer.status_code == 422


def test_shots_are_listed_with_what_is_unfinished_and_can_be_deleted(client: TestClient, shot: str) -> None:
    track = {"kind": "point", "id": "t", "name": "Nail", "footage": "wall", "lost_frames": 4}
    ops = [{"op": "add", "path": "/tracks/t", "value": track}]
    client.post(f"/api/shots/{shot}/edits", json={"base": 0, "label": "track", "ops": ops})
    card = client.get("/api/shots").json()[0]
    assert card["problems"] == ["Nail: 4 frames lost"] and card["layers"] == 1
    assert client.delete(f"/api/shots/{shot}").status_code == 204
    assert client.get(f"/api/shots/{shot}").status_code == 404


def test_an_import_by_hand_into_a_moved_on_shot_keeps_both(context: WorkContext, shot: str) -> None:
    with transaction(context.engine) as session:
        shots.apply(session, shot, 0, "rename", [{"op": "replace", "path": "/name", "value": "New"}])
        state = shots.apply(
            session, shot, None, "worker", [{"op": "add", "path": "/cues/-", "value": {"frame": 3, "name": "here"}}]
        )
    assert state.document["name"] == "New" and state.document["cues"] == [{"frame": 3, "name": "here"}]
