"""Imports, tracks and renders through the real queue and a real worker process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from fastapi.testclient import TestClient
from procrastinate import App
from procrastinate.testing import InMemoryConnector

from tests.conftest import moving_frames, write_clip
from tropein.app.jobs.queue import NAMESPACE
from tropein.app.jobs.tasks import tasks
from tropein.app.settings import Settings

STALLED_S = 2.0


def start_worker(settings: Settings) -> subprocess.Popen[bytes]:
    env = {
        **os.environ, "TROPEIN_DATABASE": settings.database, "TROPEIN_HOME": str(settings.home), "TROPEIN_STALLED_S": str(STALLED_S),
        "PYTHONPATH": os.pathsep.join(p for p in sys.path if p),
    }  # fmt: skip
    return subprocess.Popen([sys.executable, "-m", "tropein.cli", "worker"], env=env, start_new_session=True)


@pytest.fixture
def worker(settings: Settings) -> Iterator[subprocess.Popen[bytes]]:
    process = start_worker(settings)
    yield process
    process.terminate()
    process.wait(15)


def wait(
    client: TestClient, run: str, until: tuple[str, ...] = ("done", "failed", "cancelled"), seconds: float = 90
) -> dict[str, Any]:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        state = client.get(f"/api/runs/{run}").json()
        if state["state"] in until:
            return state
        time.sleep(0.1)
    raise AssertionError(f"the run is still {state}")


def send(client: TestClient, *paths: Path, make_shot: bool = False) -> dict[str, Any]:
    files = [("files", (p.name, p.read_bytes())) for p in paths]
    answer = client.post("/api/uploads", files=files, data={"make_shot": str(make_shot)})
    assert answer.status_code == 202, answer.text
    return wait(client, answer.json()["id"])


def test_from_a_clip_to_a_tracked_and_rendered_shot(
    client: TestClient, worker: object, clip: Path, settings: Settings
) -> None:
    imported = send(client, clip, make_shot=True)
    assert imported["state"] == "done", imported
    shot = imported["result"]["shot"]
    document = client.get(f"/api/shots/{shot}").json()["document"]
    assert (document["size"], document["rate"], document["trim"]) == ([320, 180], "24/1", [0, 47])
    footage = next(iter(document["footage"]))
    track = {
        "kind": "point",
        "id": "nail",
        "name": "Nail",
        "footage": footage,
        "reference_frame": 20,
        "position": [150.5, 90.5],
    }
    client.post(
        f"/api/shots/{shot}/edits",
        json={"base": 0, "label": "track", "ops": [{"op": "add", "path": "/tracks/nail", "value": track}]},
    )
    run = client.post(f"/api/shots/{shot}/tracks/nail/run", json={"direction": "both", "first": 0, "last": 47}).json()
    assert wait(client, run["id"])["state"] == "done"
    state = client.get(f"/api/shots/{shot}").json()
    assert state["undo"] == "track Nail"
    samples = client.get(f"/api/artefacts/{state['document']['tracks']['nail']['samples']}/track").json()
    for row in samples["frames"]:
        expected = np.array([150.5, 90.5]) + np.array([1.5, 0.75]) * (row["frame"] - 20)
        assert not row["lost"] and np.abs(np.array(row["points"][0]) - expected).max() < 0.3, row
    for form, suffix in (("h264", "mp4"), ("prores4444", "mov"), ("png", "zip")):
        body = {"format": form, "first": 10, "last": 40, "scale": 0.5}
        done = wait(client, client.post(f"/api/shots/{shot}/renders", json=body).json()["id"])
        assert done["state"] == "done" and done["done"] == 31, done
        answer = client.get(f"/api/runs/{done['id']}/file")
        assert answer.status_code == 200 and done["result"]["file"].endswith(suffix)
        if form == "h264":
            path = settings.home / "check.mp4"
            path.write_bytes(answer.content)
            with av.open(str(path)) as film:
                assert len(film.streams.audio) == 1
                frames = [f.to_ndarray(format="rgb24") for f in film.decode(video=0)]
            assert len(frames) == 31 and frames[0].shape == (90, 160, 3)
            truth = moving_frames(48)[10 + 17][::2, ::2]
            assert np.abs(frames[17].astype(int) - truth).mean() < 8


def test_bad_uploads_fail_in_words_and_leave_nothing(
    client: TestClient, worker: object, tmp_path: Path, settings: Settings
) -> None:
    for name, content in (
        ("cut.mp4", b"\0\0\0\x20ftypisom" + b"x" * 500),
        ("é ../odd name.txt", b"hello"),
        ("empty.mov", b""),
    ):
        answer = client.post("/api/uploads", files=[("files", (name, content))])
        state = wait(client, answer.json()["id"])
        assert state["state"] == "failed" and 8 < len(state["error"]) < 250
    assert client.post("/api/uploads", data={"rate": "24/1"}).status_code == 422
    assert client.post("/api/uploads", files=[("files", ("a.mp4", b"x"))], data={"rate": "fast"}).status_code == 422
    assert client.get("/api/shelf").json() == []
    assert [p for p in settings.media.rglob("*") if p.is_file()] == []


def test_a_track_on_flat_footage_says_what_to_do(client: TestClient, worker: object, tmp_path: Path) -> None:
    flat = write_clip(tmp_path / "flat.mp4", [np.full((90, 160, 3), 90, np.uint8)] * 6)
    shot = send(client, flat, make_shot=True)["result"]["shot"]
    footage = next(iter(client.get(f"/api/shots/{shot}").json()["document"]["footage"]))
    track = {"kind": "point", "id": "t", "name": "T", "footage": footage, "position": [80, 45]}
    client.post(
        f"/api/shots/{shot}/edits",
        json={"base": 0, "label": "track", "ops": [{"op": "add", "path": "/tracks/t", "value": track}]},
    )
    run = client.post(f"/api/shots/{shot}/tracks/t/run", json={"first": 0, "last": 5}).json()
    failed = wait(client, run["id"])
    assert failed["state"] == "failed" and "nothing to hold on to" in failed["error"]


def test_a_killed_worker_costs_no_frame(client: TestClient, settings: Settings, tmp_path: Path) -> None:
    worker = start_worker(settings)
    try:
        long = write_clip(tmp_path / "long.mp4", moving_frames(72) * 4, sound=False)
        shot = send(client, long, make_shot=True)["result"]["shot"]
        run = client.post(f"/api/shots/{shot}/renders", json={"first": 0, "last": 287}).json()
        while client.get(f"/api/runs/{run['id']}").json()["done"] < 40:
            time.sleep(0.05)
        os.killpg(worker.pid, signal.SIGKILL)
        worker.wait()
        assert client.get(f"/api/runs/{run['id']}").json()["state"] == "running"
        worker = start_worker(settings)
        done = wait(client, run["id"])
        assert done["state"] == "done" and done["done"] == 288
        path = tmp_path / "out.mp4"
        path.write_bytes(client.get(f"/api/runs/{run['id']}/file").content)
        with av.open(str(path)) as film:
            assert sum(1 for _ in film.decode(video=0)) == 288
    finally:
        os.killpg(worker.pid, signal.SIGKILL)
        worker.wait()


def test_a_render_can_be_cancelled_and_forgotten(
    client: TestClient, worker: object, clip: Path, settings: Settings
) -> None:
    shot = send(client, clip, make_shot=True)["result"]["shot"]
    run = client.post(f"/api/shots/{shot}/renders", json={"first": 0, "last": 47, "format": "prores4444"}).json()["id"]
    assert client.delete(f"/api/runs/{run}").status_code == 422
    assert client.post(f"/api/runs/{run}/cancel").json()["state"] == "cancelled"
    time.sleep(1.0)
    assert client.get(f"/api/runs/{run}").json()["state"] == "cancelled"
    assert client.delete(f"/api/runs/{run}").status_code == 204
    assert client.get(f"/api/runs/{run}").status_code == 404


def test_an_import_does_not_wait_for_what_takes_its_time(
    client: TestClient, worker: object, clip: Path, tmp_path: Path
) -> None:
    long = write_clip(tmp_path / "long.mp4", moving_frames(72) * 4, sound=False)
    shot = send(client, long, make_shot=True)["result"]["shot"]
    body = {"first": 0, "last": 287, "format": "prores4444"}
    renders = [client.post(f"/api/shots/{shot}/renders", json=body).json()["id"] for _ in range(3)]
    wait(client, renders[0], ("running",))
    assert send(client, clip)["state"] == "done"  # all slots are taken, and parts of renders wait
    assert client.get(f"/api/runs/{renders[2]}").json()["state"] in ("waiting", "running")
    assert wait(client, renders[0])["state"] == "done"  # put together before the others' parts are made
    assert client.get(f"/api/runs/{renders[2]}").json()["state"] in ("waiting", "running")
    for run in renders[1:]:
        client.post(f"/api/runs/{run}/cancel")


def test_previews_come_over_the_socket_newest_first(client: TestClient, worker: object, clip: Path) -> None:
    shot = send(client, clip, make_shot=True)["result"]["shot"]
    want = {"shot": shot, "revision": 0, "scale": 0.5, "channel": "view"}
    with client.websocket_connect("/live", headers={"origin": "http://127.0.0.1", "host": "127.0.0.1"}) as live:
        for n in range(6):
            live.send_json({"ask": n, "frame": n, **want})
        pictures, passed = [], []
        while 5 not in pictures:
            message = live.receive()
            if message.get("bytes"):
                pictures.append(int.from_bytes(message["bytes"][:4], "little"))
                jpeg = message["bytes"][16:]  # after the number and the key
            else:
                passed.append(message["text"])
                assert '"error"' not in message["text"], message
        assert jpeg[:2] == b"\xff\xd8" and len(pictures) < 6 and any("superseded" in p for p in passed)
        live.send_json(
            {"ask": 9, "frame": 0, **want, "overlay": [{"op": "replace", "path": "/size", "value": [-1, 2]}]}
        )
        while True:
            message = live.receive()
            if '"ask":9' in message.get("text", ""):
                assert "pixels" in message["text"]
                break
    pixel = client.get(f"/api/shots/{shot}/pixel?frame=0&x=10&y=10").json()
    assert len(pixel["display"]) == 3 and len(pixel["linear"]) == 4
    assert client.get(f"/api/shots/{shot}/frame/3.jpg?width=64").content[:2] == b"\xff\xd8"
    assert client.get("/api/shots/none/frame/3.jpg").status_code == 404


def test_a_worker_whose_database_was_away_knows_its_tasks_still() -> None:
    for _ in range(3):  # each connection is an application of its own
        app = App(connector=InMemoryConnector())
        app.add_tasks_from(tasks(), namespace=NAMESPACE)
        assert {f"{NAMESPACE}:part", f"{NAMESPACE}:finish", f"{NAMESPACE}:render"} <= set(app.tasks)
