"""Two machines, as README says it: a second network namespace with a link between, cut in the middle of a render."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import pytest
from launch.paths import ROOT
from launch.postgres import reachable

from tests.conftest import moving_frames, write_clip
from tests.launch.test_running import Started, pids

HERE, THERE, NET = "tropein-here", "tropein-there", "10.84.20"
WHOLE = {"first": 0, "last": 215, "format": "h264", "scale": 2}
PICTURES = {"first": 0, "last": 119, "format": "png", "scale": 2}


def ip(*words: str) -> None:
    done = subprocess.run(["ip", *words], capture_output=True, text=True)
    if done.returncode:
        raise RuntimeError(done.stderr)


@pytest.fixture
def two() -> Iterator[None]:
    """Namespaces HERE and THERE, with a cable between them."""
    if os.geteuid() != 0 or not shutil.which("ip"):
        pytest.skip("namespaces are made by root, with iproute2")
    try:
        for name in (HERE, THERE):
            subprocess.run(["ip", "netns", "del", name], capture_output=True)
            ip("netns", "add", name)
        ip("link", "add", "trop0", "netns", HERE, "type", "veth", "peer", "name", "trop1", "netns", THERE)
        for name, device, last in ((HERE, "trop0", 1), (THERE, "trop1", 2)):
            ip("-n", name, "addr", "add", f"{NET}.{last}/24", "dev", device)
            ip("-n", name, "link", "set", device, "up")
            ip("-n", name, "link", "set", "lo", "up")
    except RuntimeError as error:
        pytest.skip(f"no namespaces here: {error}")
    yield
    for name in (HERE, THERE):
        subprocess.run(["ip", "netns", "del", name], capture_output=True)


class Within(Started):
    """A start within a namespace."""

    def __init__(self, place: Path, *options: str) -> None:
        self.place, self.said = place, place / "said"
        self.env = {
            **os.environ, "TROPEIN_PLACE": str(place), "TROPEIN_HOME": str(place / "home"), "TROPEIN_STALLED_S": "3",
            "TROPEIN_MACHINE": "here", "PYTHONPATH": str(ROOT),
        }  # fmt: skip
        with self.said.open("wb") as out:
            command = ["ip", "netns", "exec", HERE, str(ROOT / "tropein"), "start", *options]
            self.process = subprocess.Popen(
                command, env=self.env, cwd=ROOT, stdout=out, stderr=out, start_new_session=True
            )


def asked(path: str, body: Any = None, raw: bytes | None = None, kind: str = "application/json") -> Any:
    """A request to the server, made within its namespace."""
    data = raw if raw is not None else json.dumps(body).encode() if body is not None else None
    command = ["ip", "netns", "exec", HERE, "curl", "-s", "-m", "30", f"http://127.0.0.1:8420{path}"]
    if data is not None:
        command += ["-X", "POST", "-H", f"Content-Type: {kind}", "--data-binary", "@-"]
    return subprocess.run(command, input=data, capture_output=True).stdout


def test_a_second_machine_shares_a_render_and_may_be_cut_off(two: None, tmp_path: Path) -> None:
    place = tmp_path / "place"
    place.mkdir()
    running = Within(place, "--workers-from", f"{NET}.0/24", "--port", "8420")
    worker = None
    try:
        running.ready()
        line = next(w for w in running.words().splitlines() if "./tropein worker" in w).strip()
        assert f"@{NET}.1:8410/" in line and "sslmode=verify-ca" in line
        address = re.search(r"TROPEIN_DATABASE='([^']+)'", line)
        assert address
        clip = write_clip(tmp_path / "wall.mp4", moving_frames(72) * 3)
        upload = subprocess.run(
            ["ip", "netns", "exec", HERE, "curl", "-s", "-F", f"files=@{clip}", "-F", "make_shot=true", "http://127.0.0.1:8420/api/uploads"],
            capture_output=True,
        ).stdout  # fmt: skip
        run = json.loads(upload)["id"]
        shot = state(run, {"done"})["result"]["shot"]
        alone = json.loads(asked(f"/api/shots/{shot}/renders", PICTURES))["id"]
        state(alone, {"done"})

        # the very line that was printed, on the other machine
        def join() -> subprocess.Popen[bytes]:
            env = {**os.environ, "TROPEIN_MACHINE": "there", "TROPEIN_STALLED_S": "3"}
            with (tmp_path / "there.log").open("ab") as log:
                return subprocess.Popen(
                    ["ip", "netns", "exec", THERE, "sh", "-c", line],
                    env=env,
                    cwd=ROOT,
                    stdout=log,
                    stderr=log,
                    start_new_session=True,
                )

        worker = join()
        running.until(lambda: len(asked_database(place, "select id from procrastinate_workers")) >= 2, 120)
        shared = json.loads(asked(f"/api/shots/{shot}/renders", PICTURES))["id"]
        done = state(shared, {"done"})
        assert done["done"] == 120 and machines(place, shared) == {"here", "there"}, (
            tmp_path / "there.log"
        ).read_text()
        # a link that is cut in the middle: what was under way there is done here
        cut = json.loads(asked(f"/api/shots/{shot}/renders", WHOLE))["id"]
        running.until(lambda: "there" in machines(place, cut))
        ip("-n", THERE, "link", "set", "trop1", "down")
        assert state(cut, {"done"})["done"] == 216
        ip("-n", THERE, "link", "set", "trop1", "up")
        back = json.loads(asked(f"/api/shots/{shot}/renders", WHOLE))["id"]
        state(back, {"done"})
        end = time.monotonic() + 180
        while "there" not in machines(place, back) and time.monotonic() < end:  # it comes back by itself
            time.sleep(2)
            back = json.loads(asked(f"/api/shots/{shot}/renders", WHOLE))["id"]
            state(back, {"done"})
        assert "there" in machines(place, back), (tmp_path / "there.log").read_text()[-2000:]
        zips = [place / "home" / "renders" / r / "wall.zip" for r in (alone, shared)]
        with zipfile.ZipFile(zips[0]) as one, zipfile.ZipFile(zips[1]) as two_made:
            assert len(one.namelist()) == 120 and all(one.read(n) == two_made.read(n) for n in one.namelist())
        with av.open(str(place / "home" / "renders" / cut / "wall.mp4")) as film:
            assert sum(1 for _ in film.decode(video=0)) == 216
        refused_elsewhere(address[1], tmp_path)
    finally:
        if worker is not None:
            subprocess.run(["pkill", "-KILL", "-s", str(worker.pid)])
        running.process.terminate()
        running.process.wait(30)
        for pid in pids(place).values():
            os.kill(pid, 9)


def refused_elsewhere(url: str, tmp_path: Path) -> None:
    """A worker that cannot work says why in a line, at once."""
    for env, words in (
        ({"TROPEIN_DATABASE": url.replace(":8410", ":8411"), "TROPEIN_HOME": str(tmp_path)}, "cannot be used"),
        (
            {
                "TROPEIN_DATABASE": url.replace("tropein:", "tropein:x"),
                "TROPEIN_HOME": str(tmp_path / "place" / "home"),
            },
            "cannot be used",
        ),
        ({"TROPEIN_DATABASE": url.replace("verify-ca", "require"), "TROPEIN_HOME": str(tmp_path)}, "is not the folder"),
        ({"TROPEIN_DATABASE": "postgres", "TROPEIN_HOME": str(tmp_path)}, "is written postgresql"),
    ):
        done = subprocess.run(
            ["ip", "netns", "exec", THERE, str(ROOT / "tropein"), "worker"],
            env={**os.environ, **env},
            cwd=ROOT,
            capture_output=True,
            text=True,
            timeout=60,
        )
        assert done.returncode == 2 and words in done.stderr and "Traceback" not in done.stderr, done.stderr


def state(run: str, until: set[str], seconds: float = 180) -> dict[str, Any]:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = json.loads(asked(f"/api/runs/{run}"))
        if found["state"] in until:
            return dict(found)
        assert found["state"] not in ("failed", "cancelled"), found["error"] or found
        time.sleep(0.1)
    raise AssertionError(found)


def machines(place: Path, run: str) -> set[str]:
    """Which machines took up chunks of a render."""
    return asked_database(place, f"select distinct machine from chunk where run_id = '{run}' and machine <> ''")


def asked_database(place: Path, query: str) -> set[str]:
    folder = reachable(place / "pg")
    state, password = json.loads((folder / "server.json").read_text()), (folder / "password").read_text()
    psql = [
        "ip",
        "netns",
        "exec",
        HERE,
        "psql",
        "-h",
        "127.0.0.1",
        "-p",
        str(state["port"]),
        "-U",
        "tropein",
        "-d",
        "tropein",
        "-Atc",
        query,
    ]
    return set(
        subprocess.run(psql, env={**os.environ, "PGPASSWORD": password}, capture_output=True, text=True).stdout.split()
    )
