"""`./tropein start`: PostgreSQL, the server, one worker; Ctrl-C, a closed terminal or a kill stops all of it."""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

from launch import postgres
from launch.keeper import whole
from launch.lifeline import hold, tied
from launch.machines import DATABASE_PORT, invitation, network, opened_for
from launch.paths import LOGS, PLACE, PYTHON, ROOT, RUN
from launch.postgres import Listening, Server
from launch.setup import environment, set_up
from launch.step import StepFailed
from launch.supervise import Child, GivenUp, Restarts, keep

DEFAULT_PORT = 8420
READY_SECONDS = 900  # the first start with --demo sets up its first shot
STOP_S = 8
LOOPBACK = ("127.0.0.1", "::1", "localhost")
LOCK, STATE = RUN / "start.lock", RUN / "start.json"


def _number(text: str) -> int:
    if not (text.isascii() and text.isdigit() and 1 <= int(text) <= 65535):
        raise argparse.ArgumentTypeError(f"a port is a number from 1 to 65535, not {text!r}")
    return int(text)


def _network(text: str) -> str:
    try:
        return network(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"a network is written like 192.168.7.0/24, not {text!r} ({error})") from None


def options_of(arguments: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser("./tropein start")
    parser.add_argument("--demo", action="store_true", help="add the demo shots and stock elements")
    parser.add_argument("--port", type=_number, help=f"default {DEFAULT_PORT}, or the next free one")
    parser.add_argument("--host", default="127.0.0.1", help="anything but loopback needs TROPEIN_PASSWORD to be set")
    parser.add_argument(
        "--workers-from", type=_network, action="append", metavar="NETWORK", default=[],
        help="let workers on other machines of this network (like 192.168.7.0/24) use the database",
    )  # fmt: skip
    parser.add_argument("--database-port", type=_number, help=f"for them, default {DATABASE_PORT}")
    return parser.parse_args(arguments)


@dataclass(frozen=True)
class Address:
    """Where the page is served."""

    host: str
    port: int

    @property
    def reached_by(self) -> str:
        """A host by which this very machine reaches it."""
        return {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(self.host, self.host)

    def __str__(self) -> str:
        host = self.reached_by
        return f"http://{f'[{host}]' if ':' in host else host}:{self.port}"


def address_of(wanted: int | None, host: str) -> Address:
    """The first free port; StepFailed when there is none, or no such host here."""
    try:
        family, kind, _, _, _ = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)[0]
    except OSError as error:
        raise StepFailed("find the address", f"{host}: {error.strerror}.", "choose another with --host") from None
    problem = ""
    for port in [wanted] if wanted else range(DEFAULT_PORT, DEFAULT_PORT + 20):
        with socket.socket(family, kind) as s:
            s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                s.bind((host, port))
                return Address(host, port)
            except OSError as error:
                problem = f"{host} port {port}: {(error.strerror or str(error)).lower()}."
    raise StepFailed("find a port", problem, "choose another with --port, or another address with --host")


def start(arguments: list[str]) -> int:
    options = options_of(arguments)
    if options.host not in LOOPBACK and not os.environ.get("TROPEIN_PASSWORD"):
        print("Others could reach this address: set TROPEIN_PASSWORD first, or leave --host out.", file=sys.stderr)
        return 2
    lock = hold(LOCK, wait=False)
    if lock is None:
        return _say_running()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):  # also where a shell had one of them ignored
        signal.signal(number, _stop)
    try:
        return _start(options)
    except KeyboardInterrupt:
        return 0
    finally:
        STATE.unlink(missing_ok=True)
        lock.release()


def _stop(*_: object) -> None:
    raise KeyboardInterrupt


def _say_running() -> int:
    """Another start holds the lock: where it serves, once it does."""
    with contextlib.suppress(OSError, ValueError, KeyError):
        state = json.loads(STATE.read_text())
        print(f"Tropein is running already: {state['address']}   (process {state['pid']}; end that one to start anew)")
        return 0
    print("Tropein is being started by another command just now; it will say the address.")
    return 0


def _start(options: argparse.Namespace) -> int:
    set_up()
    env = {**os.environ, **environment()}
    home = Path(env["TROPEIN_HOME"]).resolve()
    listening = (
        opened_for(options.workers_from, options.database_port, home) if options.workers_from else Listening()
    )  # fmt: skip
    server = postgres.start(PLACE / "pg", listening=listening if options.workers_from else None)
    children: list[Child] = []
    try:
        postgres.ensure_database(server)
        address = address_of(options.port, options.host)
        env |= {
            "TROPEIN_DATABASE": server.url(), "TROPEIN_PORT": str(address.port), "TROPEIN_HOST": address.host,
        }  # fmt: skip
        demo = ["--demo"] if options.demo else []
        children.append(Child("server", [str(PYTHON), "-m", "tropein.cli", "serve", *demo], env, quiet=False))
        _wait(children[0], address)
        children.append(Child("worker", [str(PYTHON), "-m", "tropein.cli", "worker", "--patient"], env))
        whole(STATE, {"address": str(address), "pid": os.getpid()})
        if options.workers_from:
            print(f"\n{invitation(server, listening, home)}")
        _later_kernels(env)
        print(f"\nTropein is ready: {address}   (Ctrl-C stops it; logs in {LOGS})", flush=True)
        keep(children, _Database(server, listening).look)
        return 1
    except GivenUp as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nStopping.")
        return 0
    finally:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        for child in reversed(children):
            child.stop(STOP_S)
        postgres.stop(server)


def _later_kernels(env: dict[str, str]) -> None:
    """Compiled while the page is served already, without hurry; it ends with us."""
    with (LOGS / "kernels.log").open("ab") as log:
        subprocess.Popen(
            [str(PYTHON), "-m", "launch.setup"], cwd=ROOT, env=env, stdin=subprocess.DEVNULL, stdout=log, stderr=log,
            start_new_session=True, preexec_fn=tied(signal.SIGTERM),
        )  # fmt: skip


class _Database:
    """The database, started again at its old port when it has ended."""

    def __init__(self, server: Server, listening: Listening) -> None:
        self._server, self._restarts = server, Restarts("PostgreSQL", server.folder / "server.log")
        self._listening = Listening(server.port, listening.addresses, listening.networks, listening.certificate)

    def look(self) -> None:
        if not self._server.running:
            self._restarts.once_more("by itself")
            with contextlib.suppress(StepFailed):  # which has been said; it is tried again, within the limit
                postgres.start(PLACE / "pg", listening=self._listening).users.release()  # `server` still holds its own


def _wait(child: Child, address: Address) -> None:
    end = time.monotonic() + READY_SECONDS
    while time.monotonic() < end:
        if child.code is not None:
            tail = child.log.read_text(errors="replace").splitlines()[-12:]
            raise StepFailed("start the server", "\n".join(tail), f"see {child.log}")
        with contextlib.suppress(OSError), socket.create_connection((address.reached_by, address.port), timeout=0.5):
            return
        time.sleep(0.05)
    raise StepFailed("start the server", "It did not answer in time.", f"see {child.log}")
