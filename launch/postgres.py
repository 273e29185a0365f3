"""A private PostgreSQL on loopback, never run as root, shared by all that run from this checkout (see keeper)."""

from __future__ import annotations

import json
import os
import secrets
import socket
import subprocess
import sys
import time
from dataclasses import dataclass, field
from hashlib import sha256
from pathlib import Path
from typing import Any

from launch.account import account, give
from launch.keeper import KEEPER, OPTIONS, STATE, STOP_S, USERS, as_account, whole
from launch.lifeline import Held, hold, is_held
from launch.paths import ROOT
from launch.setup import postgres_bin
from launch.step import StepFailed

USER = "tropein"
READY_S = 90.0  # after a power cut it first repairs its files
# A machine whose cable was pulled out holds nothing for longer than half a minute.
PATIENCE = {
    "tcp_keepalives_idle": "8", "tcp_keepalives_interval": "4", "tcp_keepalives_count": "3", "tcp_user_timeout": "20000",
    "idle_in_transaction_session_timeout": "30000", "client_connection_check_interval": "5000",
}  # fmt: skip
LOOPBACK = ("127.0.0.1",)


@dataclass(frozen=True)
class Listening:
    """Where the server can be reached: its port (none: any that is free), addresses, and networks beyond this machine."""

    port: int | None = None
    addresses: tuple[str, ...] = LOOPBACK
    networks: tuple[str, ...] = ()
    certificate: tuple[Path, Path] | None = None  # file, key; with one, other machines must use TLS

    def rules(self) -> str:
        kind = "hostssl" if self.certificate else "host"
        rows = ["local all all reject", "host all all 127.0.0.1/32 scram-sha-256"]
        rows += [f"{kind} {USER} {USER} {network} scram-sha-256" for network in self.networks]
        return "\n".join(rows) + "\n"

    def arguments(self, rules: Path) -> list[str]:
        pairs = PATIENCE | {"listen_addresses": ",".join(self.addresses), "hba_file": str(rules)}
        if self.certificate:
            pairs |= {"ssl": "on", "ssl_cert_file": str(self.certificate[0]), "ssl_key_file": str(self.certificate[1])}
        return [word for key, value in pairs.items() for word in ("-c", f"{key}={value}")]


@dataclass(frozen=True)
class Server:
    """A running server that we use: as long as `users` is held it goes on."""

    folder: Path
    port: int
    password: str
    users: Held = field(repr=False)

    def url(self, database: str = USER, address: str = "127.0.0.1") -> str:
        return f"postgresql+psycopg://{USER}:{self.password}@{address}:{self.port}/{database}"

    @property
    def running(self) -> bool:
        return is_held(self.folder / KEEPER)


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


def _programs() -> Path:
    programs = postgres_bin()
    if programs is None:
        raise StepFailed("start PostgreSQL", "PostgreSQL is not installed.", "apt-get install postgresql")
    return programs


def reachable(folder: Path) -> Path:
    """The folder, or one under /var/lib/postgresql where the account cannot reach it."""
    folder.mkdir(parents=True, exist_ok=True)
    if account() is None:
        return folder
    if subprocess.run(["test", "-x", str(folder)], cwd="/", **as_account()).returncode == 0:
        return folder
    other = Path("/var/lib/postgresql") / f"tropein-{sha256(str(folder).encode()).hexdigest()[:10]}"
    other.mkdir(parents=True, exist_ok=True)
    return other


def start(folder: Path, fast_and_loose: bool = False, listening: Listening | None = None) -> Server:
    """Use the server whose data lies in `folder`, starting it, and making it first, if need be. `fast_and_loose`: for tests,
    nothing is forced to disk. StepFailed when it runs otherwise than `listening` asks for."""
    folder = reachable(folder)
    users = hold(folder / USERS, shared=True)
    assert users is not None
    try:
        with hold(folder / "start.lock"):  # type: ignore[union-attr]
            password = _password(folder)
            port = _port_of_running(folder, password, listening)
            if port is None:
                _make(folder, password, fast_and_loose)
                port = _run(folder, password, fast_and_loose, listening or Listening())
    except BaseException:
        users.release()
        raise
    return Server(folder, port, password, users)


def stop(server: Server) -> None:
    """Use it no longer. Returns when it has stopped, or soon when others still use it."""
    server.users.release()
    end, seen = time.monotonic() + STOP_S + 5, 0
    while server.running and time.monotonic() < end:
        time.sleep(0.05)
        seen = seen + 1 if _used(server.folder / USERS) else 0
        if seen > 10:
            return


def _used(lock: Path) -> bool:
    """Whether anybody but the keeper holds it now: the keeper takes it alone, and keeps it until the server has stopped."""
    shared = hold(lock, shared=True, wait=False)
    if shared is None:
        return False
    shared.release()
    alone = hold(lock, wait=False)
    if alone is None:
        return True
    alone.release()
    return False


def _password(folder: Path) -> str:
    secret = folder / "password"
    if not secret.exists() or not secret.read_text():
        secret.touch(mode=0o600)
        secret.write_text(secrets.token_urlsafe(24))
    return secret.read_text()


def _make(folder: Path, password: str, fast_and_loose: bool) -> None:
    data = folder / "data"
    if (data / "PG_VERSION").exists():
        return
    give(folder)
    handed = folder / "password-for-initdb"
    handed.touch(mode=0o600)
    handed.write_text(password)
    give(handed)
    command = [
        str(_programs() / "initdb"), "-D", str(data), "-U", USER, "-A", "scram-sha-256", f"--pwfile={handed}",
        "-E", "UTF8", "--locale=C.UTF-8", "--no-instructions", *(["--no-sync"] if fast_and_loose else []),
    ]  # fmt: skip
    made = subprocess.run(
        command, cwd="/", stdin=subprocess.DEVNULL, capture_output=True, text=True, **as_account()
    )  # fmt: skip
    handed.unlink()
    if made.returncode:
        raise StepFailed("make the database", made.stderr.strip(), f"look at {folder}, remove it if it is half made")


def _run(folder: Path, password: str, fast_and_loose: bool, listening: Listening) -> int:
    log, rules = folder / "server.log", folder / "access.conf"
    log.touch()
    rules.write_text(listening.rules())
    give(rules)
    _drop_stale_pid(folder / "data")
    for _ in range(5):  # its port may just have been taken, or its keeper killed
        port = listening.port or free_port()
        command = [
            str(_programs() / "postgres"), "-D", str(folder / "data"), "-p", str(port), *listening.arguments(rules),
            "-c", "unix_socket_directories=", "-c", "max_connections=120", "-c", "logging_collector=off",
        ]  # fmt: skip
        if fast_and_loose:
            command += ["-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off"]
        whole(folder / OPTIONS, {"port": port, "command": command})
        began = log.stat().st_size
        keeper = subprocess.Popen(
            [sys.executable, "-m", "launch.keeper", str(folder)], cwd=ROOT, stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL, stderr=log.open("ab"), start_new_session=True,
        )  # fmt: skip
        end = time.monotonic() + READY_S
        while keeper.poll() is None and time.monotonic() < end:
            if _is_ours(folder, port, password):
                return port
            time.sleep(0.05)
        keeper.terminate()
    said = log.read_bytes()[began:].decode(errors="replace").strip()
    raise StepFailed("start PostgreSQL", said[-1500:] or "It did not answer in time.", f"look at {log}")


def _port_of_running(folder: Path, password: str, listening: Listening | None) -> int | None:
    """The port of the server that runs here already; None when none does."""
    end = time.monotonic() + READY_S
    while is_held(folder / KEEPER):
        state = _read(folder / STATE)
        if state and _is_ours(folder, int(state["port"]), password):
            wanted = listening and listening.arguments(folder / "access.conf")
            changed = wanted and not all(word in state["command"] for word in wanted)
            if listening and (changed or (listening.port or state["port"]) != state["port"]):
                raise StepFailed(
                    "start PostgreSQL",
                    "A command that is still running uses the database, on this machine alone.",
                    "wait until it has ended, or end it, and start again",
                )
            return int(state["port"])
        if time.monotonic() > end:
            raise StepFailed(
                "reach PostgreSQL",
                f"It runs, and does not answer within {READY_S:.0f} s.",
                f"look at {folder}/server.log",
            )
        time.sleep(0.1)
    return None


def _read(path: Path) -> dict[str, Any] | None:
    try:
        return dict(json.loads(path.read_text()))
    except (OSError, ValueError):
        return None


def _is_ours(folder: Path, port: int, password: str) -> bool:
    """Whether what listens at this port is PostgreSQL, knows our password, and serves this very folder."""
    asked = _ask(port, password, "postgres", "show data_directory", timeout_s=3)
    return asked.returncode == 0 and Path(asked.stdout.strip()).resolve() == (folder / "data").resolve()


def _drop_stale_pid(data: Path) -> None:
    """The mark of a server that is no more: the number of its process may be another program's by now. It stays as long as anything
    of that server runs, for it is what keeps PostgreSQL from a second server on the same files."""
    mark = data / "postmaster.pid"
    end = time.monotonic() + STOP_S  # its keeper was killed: it is ending just now
    while mark.exists() and _lives_in(data) and time.monotonic() < end:
        time.sleep(0.1)
    if not _lives_in(data):
        mark.unlink(missing_ok=True)


def _lives_in(folder: Path) -> bool:
    """Whether any process works in a folder, as every process of a PostgreSQL does in that of its data."""
    real = folder.resolve()
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            if (entry / "cwd").readlink() == real:
                return True
        except OSError:
            continue
    return False


def _ask(port: int, password: str, database: str, query: str, timeout_s: int = 10) -> subprocess.CompletedProcess[str]:
    """Through psql, since no driver is needed for it."""
    psql = [str(_programs() / "psql"), "-h", "127.0.0.1", "-p", str(port), "-U", USER, "-d", database, "-AtqXc", query]
    env = {**os.environ, "PGPASSWORD": password, "PGCONNECT_TIMEOUT": str(max(2, timeout_s))}
    try:
        return subprocess.run(
            psql, env=env, stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=timeout_s + 5
        )
    except subprocess.TimeoutExpired:
        return subprocess.CompletedProcess(psql, 1, "", "no answer")


def ensure_database(server: Server, name: str = USER) -> None:
    """Create the database when it is not there."""
    asked = _ask(server.port, server.password, "postgres", f"select 1 from pg_database where datname='{name}'")
    if asked.returncode == 0 and asked.stdout.strip() == "1":
        return
    made = _ask(server.port, server.password, "postgres", f"create database {name}")
    if made.returncode and "already exists" not in made.stderr:
        raise StepFailed("make the database", made.stderr.strip(), f"look at {server.folder}/server.log")
