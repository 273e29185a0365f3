"""The whole application running: PostgreSQL, server, worker, the built page; Debian's Chromium looks at it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
import urllib.request
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from launch.paths import ROOT
from playwright.sync_api import expect

from launch import postgres

expect.set_options(timeout=20_000)  # two of these, a server and a worker share two cores


@pytest.fixture(scope="session")
def home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the running application keeps its files."""
    return tmp_path_factory.mktemp("app") / "home"


@pytest.fixture(scope="session")
def running_database(home: Path) -> Iterator[postgres.Server]:
    """The database of the running application."""
    database = postgres.start(home.parent / uuid.uuid4().hex, fast_and_loose=True)
    postgres.ensure_database(database)
    yield database
    postgres.stop(database)
    shutil.rmtree(database.folder, ignore_errors=True)


@contextmanager
def serving(home: Path, database: postgres.Server, **more: str) -> Iterator[tuple[str, dict[str, str]]]:
    """The address of a server, with more in its environment, and the environment its workers need."""
    port = postgres.free_port()
    env = {
        **os.environ, "TROPEIN_DATABASE": database.url(), "TROPEIN_HOME": str(home), "TROPEIN_PORT": str(port),
        "TROPEIN_WEB": str(ROOT / "web" / "dist"), "PYTHONPATH": os.pathsep.join([str(ROOT / "src"), str(ROOT)]),
        **more,
    }  # fmt: skip
    server = subprocess.Popen([sys.executable, "-m", "tropein.cli", "serve"], env=env)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(600):
            try:
                urllib.request.urlopen(f"{address}/api/session", timeout=1).close()
                break
            except OSError:
                time.sleep(0.1)
        yield address, env
    finally:
        server.terminate()
        server.wait(15)


@pytest.fixture(scope="session")
def application(home: Path, running_database: postgres.Server) -> Iterator[str]:
    """The address of a running application with an empty library of its own."""
    with serving(home, running_database) as (address, env):
        worker = subprocess.Popen([sys.executable, "-m", "tropein.cli", "worker"], env=env)
        yield address
        worker.terminate()
        worker.wait(15)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    flags = ["--no-sandbox", "--disable-dev-shm-usage", "--force-color-profile=srgb", "--disable-background-networking"]
    return {"executable_path": "/usr/bin/chromium", "args": [*flags, "--autoplay-policy=no-user-gesture-required"]}


@pytest.fixture(scope="session")
def browser_context_args() -> dict[str, Any]:
    return {"viewport": {"width": 1280, "height": 800}}


@pytest.fixture
def axe() -> str:
    return (Path(ROOT) / "web/node_modules/axe-core/axe.min.js").read_text()
