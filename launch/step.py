"""One step of the set-up: said aloud, logged, and explained when it fails."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path

from launch.paths import LOGS, ROOT, STAMPS


class StepFailed(SystemExit):
    """A step that did not work: which, why, what to do."""

    def __init__(self, what: str, why: str, remedy: str) -> None:
        print(f"\nThis step failed: {what}\n{why}\nWhat to do: {remedy}", file=sys.stderr)
        super().__init__(1)


def run(what: str, command: list[str], remedy: str, cwd: Path = ROOT, env: dict[str, str] | None = None) -> None:
    """Run a command with its output in var/log; on failure show the end of it."""
    LOGS.mkdir(parents=True, exist_ok=True)
    log = LOGS / (what.replace(" ", "-").replace("/", "-") + ".log")
    if _stop.is_set():
        raise SystemExit(1)  # another has failed, and said why
    print(f"  {what} ...", flush=True)
    began = time.monotonic()
    with log.open("wb") as out:
        try:
            process = subprocess.Popen(
                command,
                cwd=cwd,
                stdout=out,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                env={**os.environ, **(env or {})},
            )
        except FileNotFoundError:
            raise StepFailed(what, f"{command[0]} is not installed.", remedy) from None
        _running.append(process)
        code = process.wait()
        _running.remove(process)
    if code and _stop.is_set():
        raise SystemExit(1)
    if code == 0:
        print(f"  {what}: {time.monotonic() - began:.0f} s", flush=True)
    if code:
        tail = "\n".join(log.read_text(errors="replace").splitlines()[-15:])
        raise StepFailed(what, f"{tail}\n(all of it: {log})", remedy)


_running: list[subprocess.Popen[bytes]] = []
_stop = threading.Event()


def together(*works: Callable[[], None]) -> None:
    """Do several things at once. The first that fails, or a signal, ends the commands of the others."""
    with ThreadPoolExecutor(len(works)) as pool:
        begun = [pool.submit(work) for work in works]
        try:
            for done in as_completed(begun):
                done.result()
        except BaseException:
            _stop.set()
            for process in list(_running):
                process.terminate()
            raise


def fingerprint(paths: Iterable[Path], *words: str) -> str:
    """A hash of files' contents (folders: all files within) and words."""
    digest = hashlib.sha256(repr(words).encode())
    for path in paths:
        files = sorted(p for p in path.rglob("*") if p.is_file()) if path.is_dir() else [path]
        for file in files:
            if "__pycache__" not in file.parts:
                digest.update(str(file.relative_to(ROOT)).encode())
                digest.update(file.read_bytes())
    return digest.hexdigest()


def done_before(name: str, mark: str) -> bool:
    stamp = STAMPS / name
    return stamp.exists() and stamp.read_text() == mark


def mark_done(name: str, mark: str) -> None:
    STAMPS.mkdir(parents=True, exist_ok=True)
    (STAMPS / name).write_text(mark)
