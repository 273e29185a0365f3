"""`./tropein start`: PostgreSQL, the server, one worker; Ctrl-C stops all of it."""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import subprocess
import sys
import time

from launch import postgres
from launch.paths import LOGS, PYTHON, VAR
from launch.setup import environment, set_up
from launch.step import StepFailed

DEFAULT_PORT = 8420
READY_SECONDS = 600  # the first start with --demo imports the plates and tracks them


def _port(wanted: int | None, host: str) -> int:
    for port in [wanted] if wanted else [DEFAULT_PORT, *range(DEFAULT_PORT + 1, DEFAULT_PORT + 20)]:
        with socket.socket() as s:
            s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                s.bind((host, port))
                return port
            except OSError:
                continue
    raise StepFailed("find a port", f"Port {wanted or DEFAULT_PORT} is in use.", "choose another with --port")


def start(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser("./tropein start")
    parser.add_argument("--demo", action="store_true", help="add the demo shots and stock elements")
    parser.add_argument("--port", type=int, help=f"default {DEFAULT_PORT}, or the next free one")
    parser.add_argument("--host", default="127.0.0.1", help="anything but loopback needs TROPEIN_PASSWORD to be set")
    options = parser.parse_args(arguments)
    if options.host not in ("127.0.0.1", "::1", "localhost") and not os.environ.get("TROPEIN_PASSWORD"):
        print("Others could reach this address: set TROPEIN_PASSWORD first, or leave --host out.", file=sys.stderr)
        return 2
    set_up()
    signal.signal(signal.SIGINT, signal.default_int_handler)  # also where a shell had it ignored
    signal.signal(signal.SIGTERM, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt()))
    server = postgres.start(VAR / "pg")
    children: list[subprocess.Popen[bytes]] = []
    try:
        postgres.ensure_database(server)
        port = _port(options.port, options.host)
        env = {
            **os.environ, **environment(), "TROPEIN_DATABASE": server.url(), "TROPEIN_PORT": str(port), "TROPEIN_HOST": options.host,
        }  # fmt: skip
        LOGS.mkdir(parents=True, exist_ok=True)
        serve = [str(PYTHON), "-m", "tropein.cli", "serve", *(["--demo"] if options.demo else [])]
        children.append(_child(serve, env, "server"))
        _wait(children[0], options.host, port)
        children.append(_child([str(PYTHON), "-m", "tropein.cli", "worker"], env, "worker"))
        shown = "127.0.0.1" if options.host in ("0.0.0.0", "::") else options.host
        print(f"\nTropein is ready: http://{shown}:{port}   (Ctrl-C stops it; logs in {LOGS})", flush=True)
        return _watch(children, env)
    except KeyboardInterrupt:
        print("\nStopping.")
        return 0
    finally:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        for child in reversed(children):
            with contextlib.suppress(ProcessLookupError):
                os.killpg(child.pid, signal.SIGTERM)
        for child in children:
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                os.killpg(child.pid, signal.SIGKILL)
        postgres.stop(server)


def _child(command: list[str], env: dict[str, str], name: str) -> subprocess.Popen[bytes]:
    with (LOGS / f"{name}.log").open("ab") as log:
        out = None if name == "server" else log
        return subprocess.Popen(
            command, env=env, stdin=subprocess.DEVNULL, stdout=out, stderr=log, start_new_session=True
        )


def _wait(child: subprocess.Popen[bytes], host: str, port: int) -> None:
    end = time.monotonic() + READY_SECONDS
    while time.monotonic() < end:
        if child.poll() is not None:
            tail = (LOGS / "server.log").read_text(errors="replace").splitlines()[-12:]
            raise StepFailed("start the server", "\n".join(tail), f"see {LOGS / 'server.log'}")
        with contextlib.suppress(OSError), socket.create_connection((host, port), timeout=0.5):
            return
        time.sleep(0.05)
    raise StepFailed("start the server", "It did not answer in time.", f"see {LOGS / 'server.log'}")


def _watch(children: list[subprocess.Popen[bytes]], env: dict[str, str]) -> int:
    """Until the server ends; a worker that dies is started again."""
    while True:
        time.sleep(0.5)
        if children[0].poll() is not None:
            print(f"The server has stopped by itself; see {LOGS / 'server.log'}.", file=sys.stderr)
            return 1
        if children[1].poll() is not None:
            children[1] = _child([str(PYTHON), "-m", "tropein.cli", "worker"], env, "worker")
