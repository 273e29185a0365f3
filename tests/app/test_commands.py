"""Commands over HTTP and from scripts; documents and histories of version 2 brought up to date."""

from __future__ import annotations

import json
import re
from importlib import import_module
from pathlib import Path
from typing import Any

import jsonpatch
import numpy as np
import pytest
from fastapi.testclient import TestClient
from launch.paths import ROOT
from sqlalchemy import text

from tests.app.test_edits import shot  # noqa: F401
from tests.app.test_work import send, worker  # noqa: F401
from tests.conftest import moving_frames, write_clip
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.media import still


def add_veils(client: TestClient, shot_id: str, *names: str) -> None:
    ops = []
    for name in names:
        veil = {"id": name, "name": name, "content": {"kind": "beneath"}}
        ops += [
            {"op": "add", "path": f"/layers/{name}", "value": veil},
            {"op": "add", "path": "/stack/0", "value": name},
        ]
    done = client.post(f"/api/shots/{shot_id}/edits", json={"base": 0, "label": "add veils", "ops": ops})
    assert done.status_code == 200, done.text


def give(client: TestClient, shot_id: str, base: int, command: str, key: str | None = None, **arguments: Any) -> Any:
    body = {"base": base, "command": command, "arguments": arguments, "client": "a", "key": key}
    return client.post(f"/api/shots/{shot_id}/do", json=body)


def test_a_command_is_one_edit_that_is_undone_as_one(client: TestClient, shot: str) -> None:  # noqa: F811
    add_veils(client, shot, "a", "b")
    before = client.get(f"/api/shots/{shot}").json()["document"]
    done = give(client, shot, 1, "group", key="once", layers=["a", "b"], called="Both")
    assert done.status_code == 200, done.text
    body = done.json()
    group = body["select"][0].removeprefix("layers/")
    assert (
        client.get(f"/api/shots/{shot}").json()["document"]["layers"][group]["content"]["stack"] == ["b", "a"]
        and body["shot"]["revision"] == 2
    )
    assert body["shot"]["undo"] == "group 2 layers as Both"
    again = give(client, shot, 1, "group", key="once", layers=["a", "b"], called="Both")
    assert again.status_code == 200 and again.json()["shot"]["revision"] == 2  # sent twice, done once
    assert give(client, shot, 1, "ungroup", group=group).status_code == 409  # made on what was, not on what is
    assert client.post(f"/api/shots/{shot}/undo", json={}).status_code == 200
    assert client.get(f"/api/shots/{shot}").json()["document"] == before
    assert client.post(f"/api/shots/{shot}/redo", json={}).status_code == 200
    assert client.get(f"/api/shots/{shot}").json()["document"]["stack"][0] == group


def test_commands_that_do_not_fit_change_nothing(client: TestClient, shot: str) -> None:  # noqa: F811
    for command, arguments, status in (
        ("dance", {}, 404),
        ("group", {"layers": []}, 422),
        ("group", {"layers": ["gone"]}, 404),
        ("group", {"layers": ["plate"]}, 422),
        ("move", {"x": 1}, 422),
    ):
        assert give(client, shot, 0, command, **arguments).status_code == status, command
    assert client.get(f"/api/shots/{shot}").json()["revision"] == 0
    told = {c["name"]: c for c in client.get("/api/about").json()["commands"]}
    assert "layers" in told["group"]["arguments"] and told["group"]["help"]


OLD_LAYERS = {
    "spot": {
        "kind": "footage", "id": "spot", "name": "Spot", "footage": "f", "start": 3, "wrap": {"value": 0.4},
        "effects": [{"kind": "solid", "id": "e", "colour": {"value": [1, 0, 0]}}, {"kind": "blur", "id": "b"}], "cut": [{"matte": "m"}],
    },
    "plate": {"kind": "footage", "id": "plate", "name": "Plate", "footage": "f"},
}  # fmt: skip
OLD: dict[str, Any] = {
    "schema_version": 2, "name": "Old", "size": [320, 180], "rate": "24/1", "frames": 24, "trim": [0, 23], "plate": "plate", "stack": ["spot", "plate"],
    "footage": {"f": {"id": "f", "name": "F", "kind": "clip", "media": "0" * 32, "size": [320, 180], "frames": 24}}, "layers": OLD_LAYERS,
    "mattes": {"m": {"id": "m", "name": "M", "pieces": [{"kind": "luma", "id": "l", "name": "L", "layer": "plate"}]}},
    "cues": [{"frame": 5, "name": "now"}],
}  # fmt: skip


def old_states() -> list[dict[str, Any]]:
    """Three edits made by index, as version 2 had them."""
    spot = OLD_LAYERS["spot"]
    blur = {"kind": "blur", "id": "b", "radius": {"value": 2.0, "keys": []}}
    states = [OLD | {"layers": OLD_LAYERS | {"spot": spot | {"effects": [spot["effects"][0], blur]}}}]
    for op in (
        {"op": "replace", "path": "/layers/spot/effects/1/radius", "value": {"value": 9.0, "keys": []}},
        {"op": "remove", "path": "/layers/spot/effects/0"},
        {"op": "add", "path": "/cues/-", "value": {"frame": 9, "name": "later"}},
    ):
        states.append(apply_patch(states[-1], [op]))
    return states


def older_states() -> list[dict[str, Any]]:
    """Edits of a track whose points were counted, as version 3 had them."""
    nail = {
        "kind": "point",
        "id": "nail",
        "name": "Nail",
        "footage": "f",
        "position": [4.0, 5.0],
        "more": [],
        "hand_set": [],
    }
    tip = {
        "kind": "body",
        "id": "tip",
        "name": "Tip",
        "footage": "f",
        "hand_set": [{"frame": 2, "position": [1.0, 2.0], "point": 0}],
    }
    plain = load_shot(OLD).model_dump(mode="json") | {"schema_version": 3, "tracks": {"nail": nail, "tip": tip}}
    states = [plain]
    for op in (
        {"op": "add", "path": "/tracks/nail/more/-", "value": [8.0, 9.0]},
        {"op": "replace", "path": "/tracks/nail/hand_set", "value": [{"frame": 7, "position": [8.5, 9.5], "point": 1}]},
        {"op": "replace", "path": "/tracks/nail/more/0", "value": [8.25, 9.25]},
    ):
        states.append(apply_patch(states[-1], [op]))
    return states  # fmt: skip


@pytest.mark.parametrize("step", ["0003_addresses", "0005_points"])
@pytest.mark.parametrize("written", [3, 1])
def test_a_history_of_an_older_version_can_still_be_undone(context: WorkContext, step: str, written: int) -> None:
    """Stored as they were then; converted, each is undone and done again."""
    migration = import_module(f"tropein.app.store.migrations.versions.{step}")
    states = old_states() if step == "0003_addresses" else older_states()
    if step == "0003_addresses" and written != 3:
        pytest.skip("the document was always written")
    expected = [load_shot(s).model_dump(mode="json") for s in states]
    with transaction(context.engine) as session:
        shot_id = shots.create(session, load_shot(states[-1])).id
    with context.engine.begin() as connection:
        connection.execute(
            text(
                "update shot set document = cast(:d as jsonb), revision = 3, written = :w, mark = 'old' where id = :i"
            ),
            {"d": json.dumps(states[written]), "i": shot_id, "w": written},
        )
        for n in range(3):
            there, back = jsonpatch.make_patch(states[n], states[n + 1]), jsonpatch.make_patch(states[n + 1], states[n])
            connection.execute(
                text("insert into edit (shot_id, number, label, kind, state, patch, inverse, client) values (:s, :n, 'x', 'edit', 'done', cast(:p as jsonb), cast(:v as jsonb), '')"),
                {"s": shot_id, "n": n + 1, "p": there.to_string(), "v": back.to_string()},
            )  # fmt: skip
        row = connection.execute(text("select * from shot where id = :i"), {"i": shot_id}).one()
        migration._convert(connection, *((shot_id, row.document) if step == "0003_addresses" else (row,)))
    with transaction(context.engine) as session:
        assert shots.state(session, shot_id).document == expected[3]
        assert shots.document_at(session, shot_id, 0) == expected[0]
        for n in (2, 1, 0):
            shots.undo(session, shot_id)
            assert shots.state(session, shot_id).document == expected[n]
        for n in (1, 2, 3):
            shots.redo(session, shot_id)
            assert shots.state(session, shot_id).document == expected[n]


def test_what_version_2_says_is_what_version_3_says() -> None:
    new = load_shot(OLD)
    spot = new.layers["spot"]
    assert (
        spot.footage == "f"
        and spot.time.start == 3
        and spot.time.end == "hold"
        and [e.kind for e in spot.looks] == ["fill", "blur"]
    )
    assert [m.kind for m in spot.meetings] == ["wrap"] and spot.meets["wrap"].amount.value == 0.4  # type: ignore[attr-defined]
    assert [c.matte for c in spot.cuts.values()] == ["m"] and new.layers["plate"].meeting == []
    assert new.mattes["m"].order == ["l"] and next(iter(new.cues.values())).frame == 5
    assert load_shot(OLD) == new  # ids that are made up are made up alike


def test_the_script_of_the_docs_runs(
    client: TestClient,
    worker: object,  # noqa: F811
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    found = send(client, write_clip(tmp_path / "back.mp4", moving_frames(4, 96, 64)), make_shot=True)["result"]["shot"]
    add_veils(client, found, "a", "b")
    (tmp_path / "shot.tropein").write_bytes(client.get(f"/api/shots/{found}/bundle").content)
    script = re.search(r"```python\n(.*?)```", (ROOT / "docs" / "package.md").read_text(), re.DOTALL)
    assert script
    monkeypatch.chdir(tmp_path)
    exec(script[1], {})  # the docs' own text
    frames = [still.read(p)[0] for p in sorted((tmp_path / "out").iterdir())]
    assert len(frames) == 4 and not np.array_equal(frames[0], frames[3])
