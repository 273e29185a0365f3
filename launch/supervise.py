"""Processes that are kept running: one that ends is started again, with a limit, and said."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time
from collections import deque
from collections.abc import Callable
from pathlib import Path

from launch.lifeline import tied
from launch.paths import LOGS

MOST = int(os.environ.get("TROPEIN_RESTARTS", "5"))  # ends of one thing within so long; more, and it is given up
WITHIN_S = 60.0


class GivenUp(Exception):
    """Something ends again and again."""


class Restarts:
    """How often one thing was started again lately."""

    def __init__(self, name: str, log: Path) -> None:
        self.name, self.log = name, log
        self._when: deque[float] = deque()

    def once_more(self, why: str) -> None:
        """Says that it is started again; GivenUp when that was too often."""
        now = time.monotonic()
        while self._when and now - self._when[0] > WITHIN_S:
            self._when.popleft()
        self._when.append(now)
        if len(self._when) > MOST:
            raise GivenUp(f"{self.name} ended {len(self._when)} times within a minute ({why}); see {self.log}.")
        print(f"{self.name} has ended ({why}) and is started again; see {self.log}.", file=sys.stderr, flush=True)


class Child:
    """One process of ours, in a session of its own, that ends with us."""

    def __init__(self, name: str, command: list[str], env: dict[str, str], quiet: bool = True) -> None:
        self.name, self.command, self.env, self.quiet = name, command, env, quiet
        self.log = LOGS / f"{name}.log"
        self._restarts = Restarts(f"The {name}", self.log)
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        LOGS.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as log:
            return subprocess.Popen(
                self.command, env=self.env, stdin=subprocess.DEVNULL, stdout=log if self.quiet else None, stderr=log,
                start_new_session=True, preexec_fn=tied(signal.SIGTERM),
            )  # fmt: skip

    @property
    def code(self) -> int | None:
        return self.process.poll()

    def look(self) -> None:
        """Start it again when it has ended."""
        if self.code is not None:
            self._restarts.once_more(ended(self.code))
            self.process = self._start()

    def stop(self, seconds: float) -> None:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGTERM)
        try:
            self.process.wait(seconds)
        except subprocess.TimeoutExpired:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


def ended(code: int) -> str:
    return f"by signal {-code}" if code < 0 else f"with code {code}"


def keep(children: list[Child], look_elsewhere: Callable[[], None], every_s: float = 0.5) -> None:
    """Look after them until something is given up, or a signal raises."""
    while True:
        time.sleep(every_s)
        look_elsewhere()
        for child in children:
            child.look()
