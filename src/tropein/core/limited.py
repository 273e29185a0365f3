"""Reading files that nobody vouches for, in a child process with limits on memory and time.

The child answers over a pipe of its own, one JSON text a line: what a library prints is not taken for an answer.
"""

from __future__ import annotations

import ctypes
import importlib
import json
import os
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tropein.core.errors import Asks, BadInput, Cancelled, MediaError, NotFound, OutOfSpace, ReaderStopped, TropeinError
from tropein.core.files import FULL

_KINDS: dict[str, type[TropeinError]] = {kind.code: kind for kind in (Asks, BadInput, MediaError, NotFound, OutOfSpace)}
_SET_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG, see prctl(2)
_LOOK_S = 0.2
_NOTES_BYTES = 2000  # of what the child printed, for our own log


@dataclass(frozen=True)
class Limits:
    """Of one child: address space; seconds without a word; seconds in all."""

    memory_bytes: int = 6 << 30
    quiet_s: float = 60.0
    total_s: float = 4 * 3600.0


Say = Callable[[Any], None]


def run(
    function: str, arguments: list[Any], limits: Limits, heard: Say = lambda said: None, stop: Callable[[], bool] = lambda: False,
) -> Any:  # fmt: skip
    """What `module:name` returns for JSON arguments, called in a child as `name(say, *arguments)`; `heard` gets what it says
    meanwhile. Raises what the function raised of our own errors, MediaError when the child was ended, ReaderStopped when it
    ended by itself, Cancelled when `stop` said so."""
    ours, theirs = os.pipe()
    with tempfile.TemporaryFile() as notes:
        child = subprocess.Popen(
            [sys.executable, "-m", "tropein.core.limited", str(theirs), str(limits.memory_bytes), function, json.dumps(arguments)],
            stdin=subprocess.DEVNULL, stdout=notes, stderr=notes, pass_fds=(theirs,),
            env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)},
        )  # fmt: skip
        os.close(theirs)
        try:
            outcome = _listen(ours, limits, heard, stop)
        finally:
            child.kill()
            child.wait()
        if outcome is None:
            notes.seek(max(0, notes.seek(0, os.SEEK_END) - _NOTES_BYTES))
            sys.stderr.write(f"{function} ended with {child.returncode}: {notes.read().decode(errors='replace')}\n")
            raise ReaderStopped("The file made the reader stop: it is damaged, or too large to open.")
    if "error" in outcome:
        raise _KINDS.get(outcome["code"], MediaError)(outcome["error"], **outcome.get("details", {}))
    return outcome["result"]


def _listen(pipe: int, limits: Limits, heard: Say, stop: Callable[[], bool]) -> dict[str, Any] | None:
    """The last word of the child; None when it ended without one."""
    said: list[dict[str, Any]] = []
    news, began = threading.Condition(), time.monotonic()
    last = began

    def listen() -> None:
        nonlocal last
        with os.fdopen(pipe, encoding="utf-8") as lines:
            for line in lines:
                with news:
                    said.append(json.loads(line))
                    last = time.monotonic()
                    news.notify()

    listener = threading.Thread(target=listen, daemon=True)
    listener.start()
    while listener.is_alive() or said:
        with news:
            if not said:
                news.wait(_LOOK_S)
            items, said[:] = list(said), []
        for item in items:
            if "said" not in item:
                return item
            heard(item["said"])
        if stop():
            raise Cancelled("The import was cancelled.")
        now = time.monotonic()
        if now - last > limits.quiet_s or now - began > limits.total_s:
            raise MediaError("The file took too long to read and was given up.")
    return None


def end_with_parent() -> None:
    """For a child process: end when the thread that started it does, even by SIGKILL."""
    parent = os.getppid()
    ctypes.CDLL(None).prctl(_SET_DEATH_SIGNAL, int(signal.SIGKILL), 0, 0, 0)
    if os.getppid() != parent or parent == 1:
        os._exit(1)


def _child(pipe: int, memory_bytes: int, function: str, arguments: list[Any]) -> None:
    end_with_parent()
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with os.fdopen(pipe, "w", encoding="utf-8") as lines:

        def say(**item: Any) -> None:
            lines.write(json.dumps(item) + "\n")
            lines.flush()

        try:
            module, _, name = function.partition(":")
            say(result=getattr(importlib.import_module(module), name)(lambda item: say(said=item), *arguments))
        except TropeinError as error:
            say(error=error.message, code=error.code, details=error.details)
        except MemoryError:
            say(error="The file needs more memory to open than is allowed.", code=MediaError.code)
        except OSError as error:
            full = error.errno in FULL
            text = (
                "The disk is full; nothing was imported." if full else f"The file could not be read: {error.strerror}."
            )
            say(error=text, code=OutOfSpace.code if full else MediaError.code)
        lines.flush()
        os._exit(0)  # libraries may hold threads


if __name__ == "__main__":
    _child(int(sys.argv[1]), int(sys.argv[2]), sys.argv[3], json.loads(sys.argv[4]))
