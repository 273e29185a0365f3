"""Reading untrusted files in a child process with limits on memory, time and open files."""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

from tropein.core.errors import Cancelled, MediaError, OutOfSpace
from tropein.core.media.record import MediaRecord, read_record

MEMORY_BYTES = 6 << 30
QUIET_SECONDS = 60  # without any progress the child is ended
TOTAL_SECONDS = 4 * 3600


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def run_ingest(
    folder: Path, rate: str, progress: Callable[[int, int, str], None], stop: Callable[[], bool],
    quiet_seconds: float = QUIET_SECONDS,
) -> MediaRecord:  # fmt: skip
    """Ingest `folder/original` in a child. Raises MediaError with the child's words, Cancelled, or OutOfSpace."""
    child = subprocess.Popen(
        [sys.executable, "-m", "tropein.core.media.sandbox", str(folder), rate],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL, text=True, preexec_fn=_limit,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)},
    )  # fmt: skip
    last = [time.monotonic()]
    started = last[0]
    said: list[dict] = []
    heard = threading.Condition()

    def listen() -> None:
        assert child.stdout is not None
        for line in child.stdout:
            with heard:
                said.append(json.loads(line))
                last[0] = time.monotonic()
                heard.notify()

    listener = threading.Thread(target=listen, daemon=True)
    listener.start()
    outcome: dict = {}
    try:
        while listener.is_alive() or said:
            with heard:
                heard.wait(0.2)
                news, said[:] = list(said), []
            for item in news:
                if "done" in item:
                    progress(item["done"], item["total"], item["what"])
                else:
                    outcome = item
            now = time.monotonic()
            if stop():
                raise Cancelled("The import was cancelled.")
            if now - last[0] > quiet_seconds or now - started > TOTAL_SECONDS:
                raise MediaError("The file took too long to read and was given up.")
    finally:
        child.kill()
        child.wait()
    if outcome.get("ok"):
        return read_record(folder / "media.json")
    if outcome.get("code") == OutOfSpace.code:
        raise OutOfSpace(outcome["error"])
    raise MediaError(outcome.get("error") or "The file made the reader stop: it is damaged, or too large to open.")


def _child(folder: Path, rate: str) -> None:
    from tropein.core.errors import TropeinError
    from tropein.core.media.ingest import ingest

    spoke = 0.0

    def say(**item: object) -> None:
        sys.stdout.write(json.dumps(item) + "\n")
        sys.stdout.flush()

    def progress(done: int, total: int, what: str) -> None:
        nonlocal spoke
        if time.monotonic() - spoke > 0.15 or done == total:
            spoke = time.monotonic()
            say(done=done, total=total, what=what)

    try:
        ingest(folder, rate, progress)
        say(ok=True)
    except TropeinError as error:
        say(error=error.message, code=error.code)
    except OSError as error:
        full = error.errno in (28, 122)
        text = "The disk is full; nothing was imported." if full else f"The file could not be read: {error.strerror}."
        say(error=text, code=OutOfSpace.code if full else MediaError.code)
    except MemoryError:
        say(error="The file needs more memory to open than is allowed.", code=MediaError.code)


if __name__ == "__main__":
    _child(Path(sys.argv[1]), sys.argv[2])
