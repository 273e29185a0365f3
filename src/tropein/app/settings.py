"""Where things are and how the server may be reached, from the environment that the launcher sets."""

from __future__ import annotations

import os
import socket
from dataclasses import dataclass, field
from pathlib import Path


def _int(name: str, default: int) -> int:
    return int(os.environ.get(name, default))


@dataclass(frozen=True)
class Settings:
    """Read once at start. `home` holds media, artefacts and renders; sizes are in bytes."""

    home: Path = field(default_factory=lambda: Path(os.environ.get("TROPEIN_HOME", "var")).resolve())
    database: str = field(default_factory=lambda: os.environ.get("TROPEIN_DATABASE", ""))
    host: str = field(default_factory=lambda: os.environ.get("TROPEIN_HOST", "127.0.0.1"))
    port: int = field(default_factory=lambda: _int("TROPEIN_PORT", 8420))
    password: str = field(default_factory=lambda: os.environ.get("TROPEIN_PASSWORD", ""))
    cache_bytes: int = field(default_factory=lambda: _int("TROPEIN_CACHE_MB", 1024) << 20)
    upload_bytes: int = field(default_factory=lambda: _int("TROPEIN_UPLOAD_MB", 20_000) << 20)
    machine: str = field(default_factory=lambda: os.environ.get("TROPEIN_MACHINE") or socket.gethostname())
    web: Path = field(default_factory=lambda: Path(os.environ.get("TROPEIN_WEB", "web/dist")).resolve())

    @property
    def media(self) -> Path:
        return self.home / "media"

    @property
    def artefacts(self) -> Path:
        return self.home / "artefacts"

    @property
    def renders(self) -> Path:
        return self.home / "renders"

    @property
    def outgoing(self) -> Path:
        """Bundles on their way to someone."""
        return self.home / "outgoing"

    @property
    def loopback(self) -> bool:
        return self.host in ("127.0.0.1", "::1", "localhost")
