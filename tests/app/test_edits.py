from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.core.builders import document
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot


@pytest.fixture
def shot(context: WorkContext) -> str:
    with transaction(context.engine) as session:
        return shots.create(session, load_shot(document())).id


def edit(client: TestClient, shot: str, base: int, label: str, path: str, value: Any, op: str = "replace") -> Any:
    ops = [{"op": op, "path": path, "value": value}]
    return client.post(f"/api/shots/{shot}/edits", json={"base": base, "label": label, "ops": ops, "client": "a"})


def stands(client: TestClient, shot: str) -> Any:
    return client.get(f"/api/shots/{shot}").json()["document"]


def test_undo_and_redo_go_back_and_forth_by_name(client: TestClient, shot: str) -> None:
    start = client.get(f"/api/shots/{shot}").json()
    for i, name in enumerate(("One", "Two", "Three")):
        state = edit(client, shot, i, f"rename to {name}", "/name", name).json()
    assert (state["revision"], state["undo"], state["redo"]) == (3, "rename to Three", None)
    names = []
    for _ in range(3):
        state = client.post(f"/api/shots/{shot}/undo", json={}).json()
        names.append((state["name"], state["redo"]))
    assert names == [("Two", "rename to Three"), ("One", "rename to Two"), ("Test", "rename to One")]
    assert stands(client, shot) == start["document"] and state["undo"] is None
    assert client.post(f"/api/shots/{shot}/undo", json={}).status_code == 422
    for name in ("One", "Two"):
        state = client.post(f"/api/shots/{shot}/redo", json={}).json()
        assert state["name"] == name == stands(client, shot)["name"]
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


def test_what_work_stores_meanwhile_is_no_conflict_unless_it_is_about_the_same(
    client: TestClient, context: WorkContext, shot: str
) -> None:
    matte = {"id": "m1", "name": "m1"}
    assert edit(client, shot, 0, "add a matte", "/mattes/m1", matte, "add").status_code == 200

    def work(path: str, value: object) -> None:
        with transaction(context.engine) as session:
            shots.apply(session, shot, None, "track", [{"op": "replace", "path": path, "value": value}], "worker")

    work("/mattes/m1/name", "told by work")
    beside = edit(client, shot, 1, "by hand", "/name", "Mine")
    assert beside.status_code == 200 and beside.json()["revision"] == 3
    assert stands(client, shot)["mattes"]["m1"]["name"] == "told by work"
    work("/mattes/m1/name", "again")
    for path, value in (("/mattes/m1/name", "mine"), ("/mattes/m1", matte), ("/mattes", {})):
        assert edit(client, shot, 3, "the same", path, value).status_code == 409, path
    for nowhere in (99, -1, 2**31 - 1):
        assert edit(client, shot, nowhere, "from nowhere", "/name", "x").status_code == 409
    assert edit(client, shot, 4, "another tab", "/trim", [0, 1]).status_code == 200
    work("/mattes/m1/name", "third")
    assert edit(client, shot, 4, "late", "/name", "Late").status_code == 409  # another tab was first too
    assert client.get(f"/api/shots/{shot}").json()["document"]["name"] == "Mine"


@pytest.mark.parametrize(
    ("path", "value", "words"),
    [("/layers/plate/content/footage", "gone", "not in the shot"), ("/trim", [0, 99], "trim"), ("/nowhere/x", 1, "does not fit"), ("/size", [0, 0], "pixels")],
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
            session,
            shot,
            None,
            "worker",
            [{"op": "add", "path": "/cues/c", "value": {"id": "c", "frame": 3, "name": "here"}}],
        )
        document = shots.document_of(session, shots.row_of(session, shot))
    assert state.name == document["name"] == "New" and document["cues"] == {
        "c": {"id": "c", "frame": 3, "name": "here"}
    }


def test_a_point_track_goes_out_as_a_table_and_comes_back(client: TestClient, shot: str) -> None:
    footage = next(iter(client.get(f"/api/shots/{shot}").json()["document"]["footage"]))
    track = {"kind": "point", "id": "t1", "name": "Mast", "footage": footage, "position": [1, 2]}
    ops = [{"op": "add", "path": "/tracks/t1", "value": track}]
    client.post(f"/api/shots/{shot}/edits", json={"base": 0, "label": "start a track", "ops": ops, "client": "a"})
    url = f"/api/shots/{shot}/tracks/t1"
    table = "frame,x1,y1,lost\n0,5,6,0\n1,7.5,8,0\n2,,,1\n"
    assert client.post(f"{url}/file", files={"file": ("mast.csv", table.encode())}).status_code == 204
    state = client.get(f"/api/shots/{shot}").json()
    read = state["document"]["tracks"]["t1"]
    assert (
        read["points"]["p1"]["position"] == [5, 6]
        and read["lost_frames"] == 1
        and state["undo"] == "read Mast from mast.csv"
    )
    out = client.get(f"{url}/file.csv").text
    assert out.splitlines()[0] == "frame,confidence,lost,reason,x1,y1" and out.splitlines()[2].startswith(
        "1,1.0,0,,7.5,8.0"
    )
    wrong = client.post(f"{url}/file", files={"file": ("mast.csv", b"frame,x\n1,2")})
    assert wrong.status_code == 422 and "columns frame, x1, y1" in wrong.json()["message"]


def test_mattes_are_stored_and_what_they_lack_is_refused(client: TestClient, shot: str) -> None:
    state = client.get(f"/api/shots/{shot}").json()["document"]
    layer = next(i for i, l in state["layers"].items() if l["content"]["kind"] == "footage")
    outline = {"value": {"points": [{"at": [0, 0]}, {"at": [9, 0]}, {"at": [9, 9]}]}}
    piece = {"kind": "shape", "id": "s", "name": "Shape", "outline": outline}
    matte = {
        "id": "m1",
        "name": "Roofs",
        "pieces": {"s": piece, "k": {"kind": "chroma", "id": "k", "name": "Screen", "layer": layer}},
        "order": ["s", "k"],
    }
    ops = [
        {"op": "add", "path": "/mattes/m1", "value": matte},
        {"op": "add", "path": f"/layers/{layer}/cuts/c", "value": {"id": "c", "matte": "m1"}},
    ]
    client.post(f"/api/shots/{shot}/edits", json={"base": 0, "label": "cut", "ops": ops, "client": "a"})
    assert stands(client, shot)["mattes"]["m1"]["pieces"]["k"]["low"]["value"] == 0.03  # defaults are filled in
    gone = [{"op": "remove", "path": "/mattes/m1"}]
    refused = client.post(f"/api/shots/{shot}/edits", json={"base": 1, "label": "remove", "ops": gone, "client": "a"})
    assert refused.status_code == 422 and "cut by a matte that is not in the shot" in refused.json()["message"]
    about = client.get("/api/about").json()
    assert {p["kind"] for p in about["pieces"]} == {
        "shape",
        "chroma",
        "luma",
        "distance",
        "colour",
        "face",
        "layer",
        "cutout",
        "difference",
    }
    assert all(c["title"] for p in about["pieces"] for c in p["params"])


def test_a_shot_is_duplicated_with_a_history_of_its_own(client: TestClient, shot: str) -> None:
    edit(client, shot, 0, "rename", "/name", "First")
    made = client.post(f"/api/shots/{shot}/copy")
    assert made.status_code == 201, made.text
    copy = made.json()
    assert copy["id"] != shot and copy["name"] == "First copy" and copy["revision"] == 0 and copy["undo"] is None
    edit(client, copy["id"], 0, "rename", "/name", "Second")
    kept = client.get(f"/api/shots/{shot}").json()
    assert kept["name"] == "First" and kept["document"]["layers"] == copy["document"]["layers"]
    assert client.post("/api/shots/gone/copy").status_code == 404


def test_steps_make_the_newest_document_of_any_known_one(client: TestClient, context: WorkContext, shot: str) -> None:
    """A document is written now and then only: after many steps it is put together from them, here and elsewhere."""
    start, count = stands(client, shot), 2 * shots.STEPS + 3
    for i in range(count):
        answer = edit(client, shot, i, "rename", "/name", f"Name {i}")
        assert answer.json()["patch"] == [{"op": "replace", "path": "/name", "value": f"Name {i}"}]
    for base in (0, 1, count - 1, count):
        steps = client.get(f"/api/shots/{shot}/steps", params={"base": base}).json()
        before = shots_at(context, shot, base)
        assert apply_patch(before, steps["patch"]) == stands(client, shot) and steps["revision"] == count
    assert client.get(f"/api/shots/{shot}/steps", params={"base": count + 1}).status_code == 404
    assert shots_at(context, shot, 0) == start
    shots._kept.clear()  # another process, or this one begun anew
    with transaction(context.engine) as session:
        row = shots.row_of(session, shot)
        assert row.written == 2 * shots.STEPS and row.document["name"] == f"Name {row.written - 1}"
        assert shots.document_of(session, row)["name"] == f"Name {count - 1}"
    late = edit(client, shot, count - 2, "another", "/trim", [0, 1])
    assert late.status_code == 409
    shots._kept.clear()
    assert client.post(f"/api/shots/{shot}/undo", json={"base": 0}).json()["base"] == 0
    assert stands(client, shot)["name"] == f"Name {count - 2}"


def test_what_another_process_did_is_seen(client: TestClient, context: WorkContext, shot: str) -> None:
    edit(client, shot, 0, "here", "/name", "Here")
    mine = dict(shots._kept)
    with transaction(context.engine) as session:
        shots.apply(session, shot, None, "there", [{"op": "replace", "path": "/name", "value": "There"}])
    shots._kept.clear()
    shots._kept.update(mine)  # this process does not know of it
    assert edit(client, shot, 1, "late", "/name", "Late").status_code == 409
    assert stands(client, shot)["name"] == "There"


def test_a_document_that_is_written_while_it_is_read_is_read_whole(
    client: TestClient, context: WorkContext, shot: str
) -> None:
    with transaction(context.engine) as session:
        row = shots.row_of(session, shot)  # as it stands before the others' edits
        for i in range(shots.STEPS + 2):
            edit(client, shot, i, "add a cue", f"/cues/c{i}", {"id": f"c{i}", "frame": i % 40, "name": str(i)}, "add")
        shots._kept.clear()
        document = shots.document_of(session, row)
        assert row.revision == shots.STEPS + 2 and len(document["cues"]) == row.revision


def shots_at(context: WorkContext, shot: str, revision: int) -> dict[str, Any]:
    with transaction(context.engine) as session:
        return shots.document_at(session, shot, revision)


def test_a_shot_that_was_stored_before_a_field_came_can_be_edited_there_and_opened_again(
    client: TestClient, context: WorkContext, shot: str
) -> None:
    layer = next(iter(stands(client, shot)["layers"]))
    without = {k: v for k, v in stands(client, shot)["layers"][layer].items() if k != "pairs"}

    def as_it_was() -> None:
        """Stored as by a version whose layers held no pairs, and read by a process begun anew."""
        with transaction(context.engine) as session:
            row = shots.row_of(session, shot)
            row.document = {**row.document, "layers": {**row.document["layers"], layer: without}}
        shots._kept.clear()

    as_it_was()
    pair = {"own": [1, 2], "plate": [3, 4], "own_frame": 0, "plate_frame": 0}
    assert edit(client, shot, 0, "pick", f"/layers/{layer}/pairs", [pair]).status_code == 200
    edit(client, shot, 1, "rename", "/name", "Later")
    shots._kept.clear()
    assert stands(client, shot)["layers"][layer]["pairs"] == [pair]
    assert client.post(f"/api/shots/{shot}/undo", json={}).json()["name"] == "Test"
    assert client.post(f"/api/shots/{shot}/undo", json={}).status_code == 200
    shots._kept.clear()
    assert stands(client, shot)["layers"][layer]["pairs"] == []
    # and one whose steps were stored on such a document all the same
    assert client.post(f"/api/shots/{shot}/redo", json={}).status_code == 200
    as_it_was()
    assert stands(client, shot)["layers"][layer]["pairs"] == [pair]
    assert any(card["id"] == shot for card in client.get("/api/shots").json())
