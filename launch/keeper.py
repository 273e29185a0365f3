"""Keeps one PostgreSQL running for as long as anybody uses it: `python -m launch.keeper FOLDER`.

Whoever uses the server holds a shared lock on FOLDER/users.lock. Once nobody does, the server is stopped and the keeper ends.
The server ends with its keeper, and the keeper with its server. Standard library only.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from launch.account import account
from launch.lifeline import hold, tied

USERS, KEEPER, STATE, OPTIONS = "users.lock", "keeper.lock", "server.json", "options.json"
LOOK_S, STOP_S = 0.3, 20.0


def main(folder: Path) -> int:
    lock = hold(folder / KEEPER, wait=False)
    if lock is None:
        return 0
    for number in (signal.SIGHUP, signal.SIGINT):
        signal.signal(number, signal.SIG_IGN)
    options = json.loads((folder / OPTIONS).read_text())
    with (folder / "server.log").open("ab") as log:
        server = subprocess.Popen(
            options["command"], cwd="/", stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
            preexec_fn=tied(signal.SIGINT), **as_account(),
        )  # fmt: skip
    signal.signal(signal.SIGTERM, lambda *_: server.send_signal(signal.SIGINT))
    whole(folder / STATE, {"pid": server.pid, "port": options["port"], "command": options["command"]})
    try:
        while server.poll() is None:
            alone = hold(folder / USERS, wait=False)
            if alone is not None:  # held until the server is gone: who comes now waits for that, and starts another
                end(server)
                alone.release()
                break
            time.sleep(LOOK_S)
    finally:
        end(server)
        (folder / STATE).unlink(missing_ok=True)
    return 0


def end(server: subprocess.Popen[bytes]) -> None:
    if server.poll() is not None:
        return
    server.send_signal(signal.SIGINT)  # to PostgreSQL: end now, in order
    with contextlib.suppress(subprocess.TimeoutExpired):
        server.wait(STOP_S)
        return
    server.send_signal(signal.SIGQUIT)
    server.wait()


def as_account() -> dict[str, Any]:
    """What makes a child run as the account that PostgreSQL is allowed to be."""
    entry = account()
    return {} if entry is None else {"user": entry.pw_uid, "group": entry.pw_gid, "extra_groups": []}


def whole(path: Path, data: Any) -> None:
    part = path.with_name(f"{path.name}.{os.getpid()}")
    part.write_text(json.dumps(data))
    part.replace(path)


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1])))
