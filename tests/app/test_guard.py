from __future__ import annotations

from dataclasses import replace

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from tropein.app.server import create_app
from tropein.app.settings import Settings


def test_a_page_elsewhere_cannot_drive_the_server(client: TestClient) -> None:
    assert client.get("/api/shots").status_code == 200
    assert client.get("/api/shots", headers={"host": "evil.example"}).status_code == 403
    assert client.post("/api/shots", json={"shelf": "x"}, headers={"origin": "https://evil.example"}).status_code == 403
    assert client.post("/api/shots", json={"shelf": "x"}, headers={"origin": "http://127.0.0.1"}).status_code == 404
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect("/live", headers={"origin": "https://evil.example", "host": "127.0.0.1"}),
    ):
        pass


def test_every_answer_carries_the_page_rules(client: TestClient) -> None:
    headers = client.get("/api/shots").headers
    assert "default-src 'none'" in headers["content-security-policy"] and headers["x-content-type-options"] == "nosniff"


def test_other_addresses_need_a_password(settings: Settings) -> None:
    with pytest.raises(SystemExit, match="password"):
        create_app(replace(settings, host="0.0.0.0"))
    app = create_app(replace(settings, host="0.0.0.0", password="net-loft"))
    with TestClient(app, base_url="http://studio.local") as client:
        assert client.get("/api/shots").status_code == 401
        assert client.get("/api/session").json() == {"needed": True, "open": False}
        assert client.post("/api/login", json={"password": "wrong"}).status_code == 422
        assert client.post("/api/login", json={"password": "net-loft"}).status_code == 204
        assert client.get("/api/shots").status_code == 200
        client.cookies.set("tropein-session", "9999999999.ab.forged")
        assert client.get("/api/shots").status_code == 401


@pytest.mark.parametrize(
    "path",
    [
        "/api/media/../../etc/passwd/poster.jpg",
        "/api/media/" + "a" * 32 + "/media.json",
        "/api/artefacts/..%2f..%2fx/track",
        "/api/runs/x/file",
    ],
)
def test_no_path_from_a_client_is_opened(client: TestClient, path: str) -> None:
    assert client.get(path).status_code == 404
