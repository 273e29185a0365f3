"""An edit of one value, from sent to acknowledged, over HTTP: how long, and how that grows with the shot.

    ./tropein python -m bench.edits

A server and a database of its own; shots of 8 layers and 80 keys, and of 200 layers and 2000 keys (see bench.house). Wall time, medians.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
import uuid
from pathlib import Path

import httpx
from launch.paths import ROOT

from bench.house import shot_of
from launch import postgres
from tropein.app.store import shots
from tropein.app.store.database import open_engine, transaction
from tropein.core.document.upgrade import load_shot

TIMES = 60


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        database = postgres.start(Path(folder) / uuid.uuid4().hex, fast_and_loose=False)
        postgres.ensure_database(database)
        port = postgres.free_port()
        env = {**os.environ, "TROPEIN_DATABASE": database.url(), "TROPEIN_HOME": folder, "TROPEIN_PORT": str(port), "TROPEIN_WEB": str(ROOT / "web/dist")}  # fmt: skip
        server = subprocess.Popen([sys.executable, "-m", "tropein.cli", "serve"], env=env)
        try:
            client = httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=60)
            _until_there(client)
            for layers, keys in ((8, 80), (200, 2000)):
                with transaction(open_engine(database.url())) as session:
                    shot = shots.create(session, load_shot(shot_of(layers, keys))).id
                _edits(client, shot, layers)
        finally:
            server.terminate()
            server.wait(15)
            postgres.stop(database)


def _until_there(client: httpx.Client) -> None:
    for _ in range(600):
        try:
            client.get("/api/session")
            return
        except httpx.TransportError:
            time.sleep(0.1)


def _edits(client: httpx.Client, shot: str, layers: int) -> None:
    times, answered, base = [], 0, 0
    for i in range(TIMES):
        ops = [{"op": "replace", "path": f"/layers/l{i % 8}/opacity/value", "value": 0.3 + i / 1000}]
        began = time.perf_counter()
        answer = client.post(f"/api/shots/{shot}/edits", json={"base": base, "label": "set opacity", "ops": ops})
        times.append(1000 * (time.perf_counter() - began))
        answer.raise_for_status()
        base, answered = answer.json()["revision"], len(answer.content)
    times = sorted(times[5:])
    print(
        f"{layers} layers: median {statistics.median(times):.1f} ms, p90 {times[int(0.9 * len(times))]:.1f} ms; the answer has {answered / 1000:.1f} KB"
    )


if __name__ == "__main__":
    main()
