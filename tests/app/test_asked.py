"""What can be asked about a frame: values, holes and crumbs, a hidden face, a screen, an edge; and what is answered where there is none."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.app.test_work import send, worker
from tests.conftest import write_clip

__all__ = ["worker"]
FRAMES = 3


def before_green(i: int) -> np.ndarray:
    """A sharp orange disc with a green spot, before a green screen, and grain."""
    picture = np.full((180, 320, 3), (40, 170, 60), np.uint8)
    cv2.circle(picture, (150 + 4 * i, 90), 50, (220, 120, 40), -1, cv2.LINE_AA)
    cv2.circle(picture, (150 + 4 * i, 90), 5, (40, 170, 60), -1, cv2.LINE_AA)
    grain = np.random.default_rng(i).normal(0, 1.5, picture.shape)
    return np.clip(picture + grain, 0, 255).astype(np.uint8)


@pytest.fixture
def keyed(client: TestClient, worker: object, tmp_path: Path) -> str:
    """A shot of a soft grey plate and, over it, the disc, cut by a key."""
    tiles = np.kron(np.random.default_rng(1).integers(50, 220, (5, 8)), np.ones((36, 40)))[..., None].repeat(3, 2)
    soft = cv2.GaussianBlur(tiles.astype(np.uint8), (0, 0), 4)
    back = send(client, write_clip(tmp_path / "back.mp4", [soft] * FRAMES), make_shot=True)
    shot = back["result"]["shot"]
    send(client, write_clip(tmp_path / "front.mp4", [before_green(i) for i in range(FRAMES)]))
    footage = next(i for i in client.get("/api/shelf").json() if i["name"] == "front")["footage"]
    layer = {"content": {"kind": "footage", "footage": footage["id"]}, "id": "front", "name": "front", "place": {"position": {"value": [160, 90]}}, "cuts": {"c": {"id": "c", "matte": "m"}}}  # fmt: skip
    piece = {"kind": "chroma", "id": "key", "name": "key", "layer": "front", "core": {"value": 0}}
    box = {"kind": "shape", "id": "box", "name": "box", "how": "subtract", "outline": {"value": {"points": [{"at": p} for p in ((0, 0), (20, 0), (20, 20))]}}}  # fmt: skip
    edit(
        client, shot,
        {"op": "add", "path": f"/footage/{footage['id']}", "value": footage},
        {"op": "add", "path": "/mattes/m", "value": {"id": "m", "name": "m", "pieces": {p["id"]: p for p in (piece, box)}, "order": [piece["id"], box["id"]]}},
        {"op": "add", "path": "/layers/front", "value": layer},
        {"op": "add", "path": "/stack/0", "value": "front"},
    )  # fmt: skip
    return str(shot)


def edit(client: TestClient, shot: str, *ops: dict[str, Any]) -> None:
    base = client.get(f"/api/shots/{shot}").json()["revision"]
    body = {"base": base, "label": "edit", "ops": list(ops), "client": "test"}
    answer = client.post(f"/api/shots/{shot}/edits", json=body)
    assert answer.status_code == 200, answer.text


def test_a_frame_answers_for_its_values_and_for_what_is_cut(client: TestClient, keyed: str) -> None:
    ask = f"/api/shots/{keyed}"
    disc, ground = (client.get(f"{ask}/pixel", params={"frame": 0, "x": x, "y": 90}).json() for x in (120, 20))
    assert disc["display"][0] > 200 and disc["display"][2] < 70
    assert np.ptp(ground["display"]) < 6  # the grey plate, no green
    source = client.get(f"{ask}/pixel", params={"frame": 0, "x": 20, "y": 90, "of": "source", "layer": "front"}).json()
    assert source["display"][1] > 150
    screen = client.get(f"{ask}/mattes/m/keys/key/screen", params={"frame": 1}).json()
    red, green, blue = screen["colour"]
    assert green > 3 * max(red, blue)
    seen = client.get(f"{ask}/mattes/m/faults", params={"frame": 2}).json()
    assert seen["holes"] == 1 and 5 < seen["largest_hole_px"] < 14
    edit(client, keyed, {"op": "replace", "path": "/mattes/m/holes/value", "value": 16})
    assert client.get(f"{ask}/mattes/m/faults", params={"frame": 2}).json()["holes"] == 0
    middle = client.get(f"{ask}/pixel", params={"frame": 0, "x": 150, "y": 90}).json()
    assert middle["display"][1] > 140 and middle["display"][0] < 90  # the spot is there, in its own green
    edge = client.get(f"{ask}/layers/front/measures/edge", params={"frame": 0}).json()
    assert not edge["visible"] and "px soft, edges within it" in edge["words"]  # as sharp as it is within
    sat = client.get(f"{ask}/layers/front/sit/motion-blur", params={"count": 3}).json()
    assert sat["judged"] and not sat["visible"] and len(sat["frames"]) == len(sat["offs"]) == 3
    assert client.get(f"{ask}/layers/front/sit/none").status_code == 404
    pair = {"own": [150, 90], "plate": [20, 90], "own_frame": 0, "plate_frame": 0}
    matched = client.post(f"{ask}/layers/front/match", json={"by": "pairs", "pairs": [pair]}).json()
    assert matched["fix"]["patch"] and matched["after"] < matched["before"] and len(matched["pairs"]) == 1
    assert client.post(f"{ask}/layers/front/match", json={"by": "pairs"}).status_code == 422
    tones = client.get(f"{ask}/layers/front/tones", params={"frame": 0}).json()
    assert len(tones["brightness"]) == 64 and max(tones["hues"]) > 0
    assert client.get(f"{ask}/layers/front/measures/none", params={"frame": 0}).status_code == 404
    fit = client.get(f"{ask}/mattes/m/shapes/box/fit", params={"frame": 1}).json()
    assert fit["frame"] == 1
    older = client.get(f"{ask}/mattes/m/faults", params={"frame": 2, "revision": 1}).json()
    assert older["holes"] == 1  # a question may be about what the page still shows


def test_what_is_not_there_is_said_so(client: TestClient, keyed: str) -> None:
    ask = f"/api/shots/{keyed}"
    for path in (
        "/mattes/nonesuch/faults?frame=0", "/mattes/m/keys/box/screen?frame=0", "/mattes/m/keys/nonesuch/screen?frame=0",
        "/mattes/m/shapes/key/fit?frame=0", "/mattes/m/guard?frame=0&track=nonesuch", "/layers/nonesuch/edge?frame=0",
    ):  # fmt: skip
        answer = client.get(ask + path)
        assert answer.status_code == 404, (path, answer.text)
        assert len(answer.json()["message"].split()) > 3, answer.text
    assert client.get("/api/shots/nonesuch/mattes/m/faults?frame=0").status_code == 404


def test_a_screen_that_is_not_there_is_not_found(client: TestClient, keyed: str) -> None:
    plate = client.get(f"/api/shots/{keyed}").json()["document"]["plate"]
    edit(client, keyed, {"op": "replace", "path": "/mattes/m/pieces/key/layer", "value": plate})
    assert client.get(f"/api/shots/{keyed}/mattes/m/keys/key/screen", params={"frame": 0}).json()["colour"] is None
