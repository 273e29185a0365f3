"""Processes that end with the one that started them, and locks that end with whoever holds them, whatever ends it."""

from __future__ import annotations

import ctypes
import fcntl
import os
import signal
from collections.abc import Callable
from pathlib import Path

_SET_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG, see prctl(2)
_libc = ctypes.CDLL(None, use_errno=True)


def tied(with_signal: signal.Signals) -> Callable[[], None]:
    """For `preexec_fn`: the child gets this signal when the thread that starts it ends, even by SIGKILL."""
    parent = os.getpid()

    def before_exec() -> None:
        _libc.prctl(_SET_DEATH_SIGNAL, int(with_signal), 0, 0, 0)
        if os.getppid() != parent:  # it ended before the call
            os.kill(os.getpid(), with_signal)

    return before_exec


class Held:
    """A lock on a file (see flock(2)), shared or not. The kernel lets go of it when its holder ends."""

    def __init__(self, descriptor: int) -> None:
        self.descriptor = descriptor

    def release(self) -> None:
        if self.descriptor >= 0:
            os.close(self.descriptor)
            self.descriptor = -1

    def keep_over_exec(self) -> None:
        os.set_inheritable(self.descriptor, True)

    def __enter__(self) -> Held:
        return self

    def __exit__(self, *_: object) -> None:
        self.release()


def hold(path: Path, shared: bool = False, wait: bool = True) -> Held | None:
    """The lock on `path`, which is made if need be; None when it is taken and we are not to wait."""
    path.parent.mkdir(parents=True, exist_ok=True)
    descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    how = (fcntl.LOCK_SH if shared else fcntl.LOCK_EX) | (0 if wait else fcntl.LOCK_NB)
    try:
        fcntl.flock(descriptor, how)
    except OSError:
        os.close(descriptor)
        if wait:
            raise
        return None
    return Held(descriptor)


def is_held(path: Path) -> bool:
    """Whether somebody holds the lock on `path` now."""
    if not path.exists():
        return False
    lock = hold(path, wait=False)
    if lock is None:
        return True
    lock.release()
    return False
