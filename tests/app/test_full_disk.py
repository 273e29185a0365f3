"""A disk that fills: the import says so, and nothing half-made remains. On a small file system of its own."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.app.test_work import start_worker, wait
from tests.conftest import moving_frames, write_clip
from tropein.app.server import create_app
from tropein.app.settings import Settings

SIZE_MB = 5


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    folder = tmp_path / "small"
    folder.mkdir()
    mounted = (
        os.geteuid() == 0
        and not subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={SIZE_MB}m", "none", str(folder)], capture_output=True
        ).returncode
    )
    if not mounted:
        pytest.skip("a small file system can only be mounted by root")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


@pytest.fixture
def full(database: str, small_disk: Path, tmp_path: Path) -> Settings:
    return Settings(home=small_disk, database=database, web=tmp_path, cache_bytes=64 << 20)


def left_over(home: Path) -> list[Path]:
    return [p for p in (home / "media").rglob("*") if p.is_file()]


def test_an_upload_that_does_not_fit_is_refused(full: Settings) -> None:
    with TestClient(create_app(full), base_url="http://127.0.0.1") as client:
        answer = client.post("/api/uploads", files=[("files", ("big.mp4", b"\0" * (SIZE_MB + 1 << 20)))])
        assert answer.status_code == 507 and "The disk is full" in answer.json()["message"], answer.text
        assert not left_over(full.home) and client.get("/api/runs").json() == []


def test_an_import_that_fills_the_disk_says_so(full: Settings, tmp_path: Path) -> None:
    clip = write_clip(tmp_path / "long.mp4", moving_frames(150, 640, 360), options={"crf": "34"})
    assert clip.stat().st_size < 3 << 20  # the clip fits, its proxies do not
    worker = start_worker(full)
    try:
        with TestClient(create_app(full), base_url="http://127.0.0.1") as client:
            answer = client.post("/api/uploads", files=[("files", ("long.mp4", clip.read_bytes()))])
            state = wait(client, answer.json()["id"])
            assert state["state"] == "failed" and "disk is full" in state["error"], state
            assert client.get("/api/shelf").json() == []
            deadline = time.monotonic() + 20  # what a run leaves is put away once it has ended
            while left_over(full.home) and time.monotonic() < deadline:
                time.sleep(0.05)
            assert not left_over(full.home)
            # with less to store, the same server and worker go on
            small = write_clip(tmp_path / "short.mp4", moving_frames(4, 160, 90))
            answer = client.post("/api/uploads", files=[("files", ("short.mp4", small.read_bytes()))])
            assert wait(client, answer.json()["id"])["state"] == "done"
    finally:
        worker.terminate()
        worker.wait(15)
