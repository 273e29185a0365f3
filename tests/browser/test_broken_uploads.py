"""An upload that breaks off in the middle leaves nothing behind and the server goes on."""

from __future__ import annotations

import json
import socket
import time
import urllib.request
from pathlib import Path
from urllib.parse import urlparse


def test_an_upload_cut_in_the_middle_leaves_nothing(application: str, home: Path) -> None:
    def shelf() -> list[str]:
        return [i["id"] for i in json.load(urllib.request.urlopen(f"{application}/api/shelf"))]

    before = shelf()
    host = urlparse(application)
    body = (
        b'--b\r\nContent-Disposition: form-data; name="files"; filename="half.mp4"\r\n'
        b"Content-Type: video/mp4\r\n\r\n" + b"\0" * 3_000_000
    )
    head = (
        f"POST /api/uploads HTTP/1.1\r\nHost: {host.netloc}\r\nContent-Length: 9000000\r\n"
        "Content-Type: multipart/form-data; boundary=b\r\n\r\n"
    )
    with socket.create_connection((host.hostname or "", host.port or 0)) as connection:
        connection.sendall(head.encode() + body)
        time.sleep(0.3)
    incoming = home / "media" / "incoming"
    end = time.monotonic() + 10
    while time.monotonic() < end and list(incoming.iterdir()):
        time.sleep(0.1)
    assert not list(incoming.iterdir())
    assert shelf() == before
    runs = json.load(urllib.request.urlopen(f"{application}/api/runs"))
    assert not [r for r in runs if "half.mp4" in json.dumps(r)]
