"""Workers on other machines: opening the database for their network, and the line that is run there."""

from __future__ import annotations

import contextlib
import ipaddress
import shutil
import socket
import subprocess
from pathlib import Path

from launch.account import give
from launch.paths import PLACE
from launch.postgres import LOOPBACK, USER, Listening, Server, reachable
from launch.step import StepFailed

DATABASE_PORT = 8410
CERTIFICATE = "database.crt"  # in the shared folder: by it a worker knows the database


def network(text: str) -> str:
    """A network like 192.168.7.0/24, as it is written in full; ValueError when it is none."""
    found = ipaddress.ip_network(text, strict=False)
    if found.prefixlen == 0:
        raise ValueError("this is every address there is")
    return str(found)


def address_towards(wanted: str) -> str:
    """This machine's own address as seen from a network."""
    net = ipaddress.ip_network(wanted)
    target = str(next(iter(net.hosts()), net.network_address))
    family = socket.AF_INET6 if net.version == 6 else socket.AF_INET
    with contextlib.suppress(OSError), socket.socket(family, socket.SOCK_DGRAM) as s:
        s.connect((target, 9))  # nothing is sent: only the way there is looked up
        return str(s.getsockname()[0])
    raise StepFailed("open the database", f"There is no way from here to {wanted}.", "look at `ip address`")


def opened_for(networks: list[str], port: int | None, home: Path) -> Listening:
    """How PostgreSQL listens for workers of these networks: with TLS where openssl is there to make a certificate."""
    own = [address_towards(n) for n in networks]
    return Listening(
        port or DATABASE_PORT, tuple(dict.fromkeys((*LOOPBACK, *own))), tuple(networks), _certificate(home)
    )


def _certificate(home: Path) -> tuple[Path, Path] | None:
    folder = reachable(PLACE / "pg") / "tls"
    if not shutil.which("openssl"):
        return None
    home.mkdir(parents=True, exist_ok=True)
    folder.mkdir(parents=True, exist_ok=True)
    certificate, key = folder / "server.crt", folder / "server.key"
    if not (certificate.exists() and key.exists()):
        made = subprocess.run(
            ["openssl", "req", "-new", "-x509", "-days", "3650", "-nodes", "-newkey", "rsa:3072", "-subj", "/CN=tropein",
             "-out", str(certificate), "-keyout", str(key)], capture_output=True, text=True,
        )  # fmt: skip
        if made.returncode:
            raise StepFailed("make a certificate", made.stderr.strip()[-500:], "see that openssl works")
        key.chmod(0o600)
    for path in (folder, certificate, key):
        give(path)
    shutil.copyfile(certificate, home / CERTIFICATE)
    return certificate, key


def invitation(server: Server, listening: Listening, home: Path) -> str:
    """What to do on another machine."""
    safe = "?sslmode=verify-ca" if listening.certificate else ""
    lines = [f"Workers of {', '.join(listening.networks)} can join. On another machine, in a checkout of this version,",
             f"with the folder {home} mounted there (if under another name, put that after TROPEIN_HOME=):"]  # fmt: skip
    for address in listening.addresses[len(LOOPBACK) :]:
        url = server.url(USER, f"[{address}]" if ":" in address else address) + safe
        lines.append(f"  TROPEIN_HOME='{home}' TROPEIN_DATABASE='{url}' ./tropein worker")
    if not listening.certificate:
        lines.append("WARNING: openssl is not installed, so what goes over the network is not encrypted.")
    return "\n".join(lines)
