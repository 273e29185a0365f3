"""Starting for real, in a place of its own: a second start, ends of every kind, and what is started again."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from launch.paths import ROOT
from launch.postgres import reachable
from launch.supervise import MOST, GivenUp, Restarts

READY_S = 60


class Started:
    """`./tropein start` in a folder of its own, with set-up left out (it was done for the tests)."""

    def __init__(self, place: Path, *options: str) -> None:
        self.place = place
        self.said = place / f"said-{time.monotonic_ns()}"
        self.env = {
            **os.environ,
            "TROPEIN_PLACE": str(place),
            "TROPEIN_HOME": str(place / "home"),
            "PYTHONPATH": str(ROOT),
        }
        with self.said.open("wb") as out:
            command = [sys.executable, "-m", "launch", "start", *options]
            self.process = subprocess.Popen(
                command, env=self.env, cwd=ROOT, stdout=out, stderr=out, start_new_session=True
            )

    def words(self) -> str:
        return self.said.read_text()

    def until(self, what: Callable[[], object], seconds: float = READY_S) -> None:
        end = time.monotonic() + seconds
        while not what():
            assert time.monotonic() < end, f"{self.words()}\n{pids(self.place)}"
            time.sleep(0.1)

    def ready(self) -> str:
        self.until(lambda: "Tropein is ready: " in self.words())
        return self.words().split("Tropein is ready: ")[1].split()[0]

    def again(self, *options: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "launch", "start", *options]
        return subprocess.run(command, env=self.env, cwd=ROOT, capture_output=True, text=True, timeout=READY_S)


def pids(place: Path) -> dict[str, int]:
    """What of ours runs with this place in its environment or on its command line."""
    found = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            words = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            ours = str(place) in words or str(place).encode() in (entry / "environ").read_bytes()
        except OSError:
            continue
        for name, mark in {"launcher": "-m launch start", "keeper": "launch.keeper", "database": "bin/postgres -D",
                           "server": "tropein.cli serve", "worker": "tropein.cli worker", "preview": "spawn_main"}.items():  # fmt: skip
            if ours and mark in words:
                found[name] = int(entry.name)
    return found


def answers(address: str) -> bool:
    try:
        return urllib.request.urlopen(f"{address}/api/shots", timeout=5).status == 200
    except OSError:
        return False


@pytest.fixture
def place(tmp_path: Path) -> Iterator[Path]:
    folder = tmp_path / "place"
    folder.mkdir()
    yield folder
    for pid in pids(folder).values():
        os.kill(pid, signal.SIGKILL)


def test_one_start_is_found_by_the_next_and_mends_what_ends(place: Path) -> None:
    running = Started(place, "--host", "::1")
    address = running.ready()
    assert address.startswith("http://[::1]:") and answers(address)
    second = running.again()
    assert second.returncode == 0 and address in second.stdout, second
    assert answers(address)  # its database was left alone
    running.until(lambda: {"server", "worker", "database", "preview"} <= set(pids(place)))
    os.kill(pids(place)["server"], signal.SIGKILL)
    running.until(lambda: "The server has ended (by signal 9) and is started again" in running.words())
    running.until(lambda: answers(address))
    before = pids(place)["worker"]
    os.kill(before, signal.SIGKILL)
    running.until(lambda: pids(place).get("worker") not in (None, before))
    os.kill(pids(place)["database"], signal.SIGKILL)
    running.until(lambda: "PostgreSQL has ended" in running.words())
    running.until(lambda: answers(address))
    running.process.send_signal(signal.SIGHUP)  # the terminal is closed
    assert running.process.wait(30) == 0
    running.until(lambda: not pids(place), 15)


def test_a_killed_launcher_leaves_nothing_running(place: Path) -> None:
    port = _taken()
    running = Started(place)
    address = running.ready()
    os.kill(running.process.pid, signal.SIGKILL)
    running.process.wait()
    running.until(lambda: not pids(place), 20)
    assert not answers(address)
    # the mark of a database that is no more names a port that another program holds by now
    data = reachable(place / "pg") / "data"  # this place's own: other servers run on the machine meanwhile
    (data / "postmaster.pid").write_text(f"1\n{data}\n0\n{port.getsockname()[1]}\n\n127.0.0.1\n\n")
    again = Started(place, "--port", address.rsplit(":", 1)[1])
    assert again.ready() == address and answers(address)
    again.process.terminate()
    assert again.process.wait(30) == 0
    port.close()


def _taken() -> socket.socket:
    """A port at which somebody listens and never answers."""
    taken = socket.socket()
    taken.bind(("127.0.0.1", 0))
    taken.listen()
    return taken


@pytest.mark.parametrize(
    "options",
    [
        ("--port", "80000"),
        ("--port", "no"),
        ("--port", "²"),
        ("--workers-from", "nowhere"),
        ("--workers-from", "0.0.0.0/0"),
    ],
)
def test_options_that_cannot_be_are_refused_in_a_line(place: Path, options: tuple[str, ...]) -> None:
    refused = Started(place, *options)
    assert refused.process.wait(20) == 2
    assert "Traceback" not in refused.words() and options[1] in refused.words()


def test_a_host_that_is_not_here_is_named(place: Path) -> None:
    refused = Started(place, "--host", "no-such-host.invalid")
    refused.env["TROPEIN_PASSWORD"] = "a"
    assert refused.process.wait(30) == 2  # others could reach it: a password is needed first


def test_what_ends_again_and_again_is_given_up(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    restarts = Restarts("The server", tmp_path / "server.log")
    for _ in range(MOST):
        restarts.once_more("with code 1")
    with pytest.raises(GivenUp, match="server.log"):
        restarts.once_more("with code 1")
    assert capsys.readouterr().err.count("started again") == MOST
