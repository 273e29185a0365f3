"""What people bring along: looks, fonts, how loud a sound is; and files that are none of these."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.app.test_asked import edit
from tests.app.test_work import send, worker
from tests.core.builders import document
from tests.core.test_fonts import squares
from tests.core.test_loudness import spoken
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.upgrade import load_shot
from tropein.core.match.cdl import Cdl

__all__ = ["worker"]
WARM = Cdl((1.1, 1.0, 0.85), (0.02, 0.0, -0.01), (1.0, 0.95, 1.05), 0.9)


@pytest.fixture
def shot(context: WorkContext) -> str:
    with transaction(context.engine) as session:
        return shots.create(session, load_shot(document())).id


def looks(client: TestClient, shot: str) -> list[dict[str, object]]:
    plate = client.get(f"/api/shots/{shot}").json()["document"]["layers"]["plate"]
    return [plate["effects"][i] for i in plate["chain"]]


def test_a_look_goes_out_as_a_file_and_comes_back_as_an_effect(client: TestClient, shot: str) -> None:
    before, at = len(looks(client, shot)), f"/api/shots/{shot}/layers/plate"
    blur = {"kind": "blur", "id": "soft"}
    edit(client, shot, {"op": "add", "path": "/layers/plate/effects/soft", "value": blur}, {"op": "add", "path": "/layers/plate/chain/-", "value": "soft"})  # fmt: skip
    assert client.post(f"{at}/look", files={"file": ("warm.cdl", WARM.written("Warm").encode())}).status_code == 204
    grade = next(e for e in looks(client, shot) if e["kind"] == "grade" and e["saturation"]["value"] == 0.9)
    assert (
        grade["slope"]["value"] == [1.1, 1.0, 0.85] and looks(client, shot)[-1]["id"] == "soft"
    )  # before what softens
    assert client.get(f"/api/shots/{shot}/history").json()[0]["label"].startswith("lay warm.cdl on")
    out = client.get(f"{at}/effects/{grade['id']}/look.cube")
    assert out.status_code == 200
    assert client.post(f"{at}/look", files={"file": ("warm.cube", out.content)}).status_code == 204
    assert [e["kind"] for e in looks(client, shot)].count("lookup") == 1 and len(looks(client, shot)) == before + 3
    for name, data in (
        ("a.cdl", b"\x89PNG"),
        ("a.cdl", b"<ColorDecisionList/>"),
        ("a.cube", b"LUT_3D_SIZE 2\n0 0 0\n"),
        ("a.txt", b"words"),
    ):
        answer = client.post(f"{at}/look", files={"file": (name, data)})
        assert answer.status_code == 422 and name in answer.text, answer.text
    assert client.post(f"/api/shots/{shot}/layers/none/look", files={"file": ("a.cdl", b"")}).status_code == 404
    assert len(looks(client, shot)) == before + 3  # nothing is left of those


def test_a_font_is_kept_under_the_name_it_gives_itself(client: TestClient) -> None:
    data = squares()
    first, again = (client.post("/api/fonts", files={"file": (n, data)}).json() for n in ("a.ttf", "b.otf"))
    assert first == again and first["name"] == "Squares of ours"
    answer = client.post("/api/fonts", files={"file": ("c.ttf", data[:300])})
    assert answer.status_code == 422 and "c.ttf" in answer.text


def test_a_sound_tells_how_loud_it_is(client: TestClient, worker: object, tmp_path: Path) -> None:
    send(client, spoken(tmp_path, (0.5, 1.0, 0.5), seconds=2.0))
    media = client.get("/api/shelf").json()[0]["media"]
    levels = client.get(f"/api/media/{media}/loudness", params={"rate": "24/1", "frames": 30}).json()
    assert len(levels) == 30 and levels[5] < -90 and levels[18] > -12
    for wrong in ({"rate": "fast", "frames": 30}, {"rate": "24/1", "frames": 1}, {"rate": "24/1"}):
        assert client.get(f"/api/media/{media}/loudness", params=wrong).status_code in (400, 422)
    assert client.get(f"/api/media/{'0' * 32}/loudness", params={"rate": "24/1", "frames": 5}).status_code == 404
