"""Requests nobody's page would send: too large, too slow, too deep, from elsewhere, with a database that has gone."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

import psycopg
import pytest
import uvicorn
from fastapi.testclient import TestClient
from pydantic import ValidationError

from launch import postgres
from tests.core.builders import document, layer
from tropein.app import wire
from tropein.app.api import guard, limits
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.work.ingest import Ingest
from tropein.app.server import create_app
from tropein.app.settings import Settings
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import MOST_OPS, apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput


@pytest.fixture
def shot(client: TestClient, context: WorkContext) -> str:
    with transaction(context.engine) as session:
        return shots.create(session, load_shot(document([layer("a")]))).id


def edit(client: TestClient, shot: str, ops: list[dict[str, Any]], **more: Any) -> Any:
    return client.post(f"/api/shots/{shot}/edits", json={"base": 0, "label": "x", "ops": ops, **more})


DOUBLING = [{"op": "copy", "from": "/layers", "path": f"/layers/c{i}"} for i in range(17)]


def test_copies_that_double_are_refused_before_they_grow(client: TestClient, shot: str) -> None:
    began = time.monotonic()
    answer = edit(client, shot, DOUBLING)
    assert answer.status_code == 422 and "copies more" in answer.json()["message"]
    assert time.monotonic() - began < 5  # not a speed: it took a minute and a gigabyte
    with pytest.raises(BadInput):
        apply_patch(document(), [{"op": "test", "path": "/name", "value": "Test"}] * (MOST_OPS + 1))


def test_an_overlay_that_doubles_freezes_nobody(client: TestClient, shot: str) -> None:
    headers = {"origin": "http://127.0.0.1", "host": "127.0.0.1"}
    with client.websocket_connect("/live", headers=headers) as live:
        live.send_json({"ask": 1, "shot": shot, "revision": 0, "frame": 0, "scale": 0.5, "overlay": DOUBLING})
        live.send_json(
            {
                "ask": 2,
                "shot": shot,
                "revision": 0,
                "frame": 0,
                "scale": 0.5,
                "overlay": [{"op": "test", "path": "/name", "value": "\ud800"}],
            }
        )
        live.send_json({"ask": 3, "shot": "no\x00one", "revision": 0, "frame": 0, "scale": 0.5})
        live.send_text("[" * 900)
        heard = [json.loads(live.receive_text()) for _ in range(4)]
        asked = {h.get("ask"): h.get("error", "") for h in heard}
        assert "copies more" in asked[1] and len(heard) == 4, heard


def nested(depth: int) -> str:
    return '{"base":0,"label":"x","ops":[{"op":"add","path":"/x","value":' + "[" * depth + "]" * depth + "}]}"


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/api/shots/{}/edits", nested(600)), ("/api/shots/{}/edits", nested(900)), ("/api/shots/{}/edits", nested(100_000)),
        ("/api/shots/{}/edits", r'{"base":0,"label":"a\u0000b","ops":[{"op":"replace","path":"/name","value":"x"}]}'),
        ("/api/shots/{}/edits", r'{"base":0,"label":"x","client":"a\u0000","ops":[{"op":"replace","path":"/name","value":"x"}]}'),
        ("/api/shots/{}/edits", r'{"base":0,"label":"x","ops":[{"op":"replace","path":"/name","value":"a\u0000"}]}'),
        ("/api/shots/{}/edits", r'{"base":0,"label":"x","ops":[{"op":"test","path":"/name","value":"\ud800"}]}'),
        ("/api/shots/{}/edits", r'{"base":0,"label":"x","ops":[{"op":"replace","path":"/na\u0000me","value":"x"}]}'),
        ("/api/shots/{}/edits", r'{"base":0,"label":"x","ops":[{"op":"replace","path":"/frames","value":1e400}]}'),
        ("/api/shots/{}/edits", '{"base":' + "9" * 400 + ',"label":"x","ops":[{}]}'),
        ("/api/shots/{}/edits", '{"base":0,"label":"x","ops":[{"op":5,"path":[]}]}'),
        ("/api/shots", '{"shelf":"abc","name":"   "}'), ("/api/shots", '{"shelf":"a\\u0000"}'),
        ("/api/shots/{}/do", '{"base":0,"command":"none","arguments":{"text":"' + "x" * 200_000 + '"}}'),
        ("/api/shots", "no json"), ("/api/shots", "\x00"),
    ],
)  # fmt: skip
def test_bodies_that_cannot_be_are_refused_in_words(client: TestClient, shot: str, path: str, body: str) -> None:
    answer = client.post(path.format(shot), content=body.encode(), headers={"content-type": "application/json"})
    assert answer.status_code in (404, 422) and len(answer.json()["message"]) < 2000, answer.text[:300]


@pytest.mark.parametrize(
    "path",
    [
        "/api/shots/a%00b", "/api/shots/{}/pixel?frame=0&x=%00&y=1", "/api/media/%00/poster.jpg", "/%00", "/api/shots/{}/pixel?frame=0&x=" + "9" * 400 + "&y=0",
        "/api/shots/{}/frame/" + "9" * 400 + ".jpg", "/api/shots/{}/pixel?frame=1&x=1e5&y=nan", "/api/shots/{}/carried?frame=" + "1" * 30,
        "/api/shots/{}/frame/1.jpg?revision=77", "/api/shots/{}/frame/1.jpg?width=99999999", "/api/shots/{}/mattes/m/guard?track=%F0%9F&frame=0",
        "/api/artefacts/" + "z" * 32 + "/track", "/api/media/" + "0" * 32 + "/tracks/" + "1" * 32 + "/strip.jpg?frames=1,2,,",
    ],
)  # fmt: skip
def test_addresses_that_cannot_be_are_refused_in_words(client: TestClient, shot: str, path: str) -> None:
    answer = client.get(path.format(shot))
    assert answer.status_code in (404, 422) and answer.json()["message"], answer.text[:200]


def test_an_old_revision_is_shown_as_it_was(client: TestClient, shot: str) -> None:
    for i, name in enumerate(("one", "two", "three")):
        assert edit(client, shot, [{"op": "replace", "path": "/name", "value": name}], base=i).status_code == 200
    live = client.app.state.live_shots  # type: ignore[attr-defined]
    names = [live._read(shot, r).document["name"] for r in (0, 1, 2, 3, -1)]
    assert names == ["Test", "one", "two", "three", "three"]
    assert client.get(f"/api/shots/{shot}/frame/0.jpg?revision=9").status_code == 404


def test_an_edit_sent_twice_is_stored_once(client: TestClient, shot: str) -> None:
    ops = [{"op": "replace", "path": "/name", "value": "again"}]
    first, second = (edit(client, shot, ops, key="k1").json() for _ in range(2))
    assert first["revision"] == second["revision"] == 1
    assert len(client.get(f"/api/shots/{shot}/history").json()) == 1


@pytest.mark.parametrize("upload", ["..", "../media", "/etc", "abc"])
def test_no_import_is_asked_for_by_its_folder(client: TestClient, context: WorkContext, shot: str, upload: str) -> None:
    """Only an upload begins one: what its run tidies away is the upload's own folder."""
    body = {"upload": upload, "files": [["0", "a.png"]]}
    assert client.post(f"/api/shots/{shot}/work/ingest", json=body).status_code == 404
    if upload != "abc":
        with pytest.raises(ValidationError):
            Ingest(upload=upload, files=[("0", "a.png")])
        with pytest.raises(ValidationError):
            Ingest(upload="abc", files=[(f"{upload}/a", "a.png")])
    assert client.get("/api/runs").json() == []


def test_one_thing_that_cannot_be_read_hides_no_other(client: TestClient, context: WorkContext, shot: str) -> None:
    with context.engine.begin() as connection:
        connection.exec_driver_sql(
            "insert into shot (id, name, revision, written, document) values ('bad', 'Bad', 0, 0, '{\"a\": 1}')"
        )
        facts = (
            '{"kind": "clip", "size": [1, 1], "rate": "0/1", "frames": 1, "alpha": false, "sound": false, "space": "x"}'
        )
        connection.exec_driver_sql(
            f"insert into shelf_item (id, media, name, kind, facts) values ('bad', 'x', 'Bad', 'clip', '{facts}')"
        )
    cards = {c["id"]: c for c in client.get("/api/shots").json()}
    assert set(cards) == {"bad", shot} and "cannot be read" in cards["bad"]["problems"][0]
    (item,) = client.get("/api/shelf").json()
    assert item["footage"] is None and item["problem"]
    assert client.get("/api/shots/bad").status_code == 422


@pytest.mark.parametrize("rate", ["24", "0/1", "-5/1", "1/20", "2000/1", "24/0", "²/1", "a"])
def test_rates_no_shot_can_have_are_refused(client: TestClient, rate: str) -> None:
    answer = client.post("/api/uploads", files=[("files", ("a.png", b"x"))], data={"rate": rate})
    assert answer.status_code == 422 and "24/1" in answer.json()["message"]


def test_names_keep_their_ends(client: TestClient) -> None:
    name = "takes/" + "n" * 300 + ".mov"
    run = client.post("/api/uploads", files=[("files", (name, b"x"))]).json()
    assert run["title"].endswith(".mov") and len(run["title"]) < 230


def test_a_full_disk_is_507_in_words(client: TestClient, shot: str, monkeypatch: pytest.MonkeyPatch) -> None:
    full = psycopg.errors.DiskFull("could not extend file")
    monkeypatch.setattr(shots, "_store", lambda *a: (_ for _ in ()).throw(_wrapped(full)))
    answer = edit(client, shot, [{"op": "replace", "path": "/name", "value": "x"}])
    assert answer.status_code == 507 and "disk is full" in answer.json()["message"]


def _wrapped(error: psycopg.Error) -> Exception:
    from sqlalchemy.exc import OperationalError

    return OperationalError("insert", {}, error)


@contextmanager
def gone(server: postgres.Server, name: str) -> Iterator[None]:
    """The database cannot be reached."""
    with psycopg.connect(server.url("postgres").replace("+psycopg", ""), autocommit=True) as admin:
        admin.execute(f"alter database {name} with allow_connections false")
        admin.execute("select pg_terminate_backend(pid) from pg_stat_activity where datname = %s", (name,))
        yield
        admin.execute(f"alter database {name} with allow_connections true")


def test_every_question_is_answered_while_the_database_is_away(
    client: TestClient, shot: str, settings: Settings, server: postgres.Server
) -> None:
    headers = {"origin": "http://127.0.0.1", "host": "127.0.0.1"}
    with client.websocket_connect("/live", headers=headers) as live:
        with gone(server, settings.database.rsplit("/", 1)[1]):
            for n in range(5):
                live.send_json({"ask": n, "shot": shot, "revision": -1, "frame": 0, "scale": 0.5})
            answers: dict[int, str] = {}
            told = set()
            while len(answers) < 5 or "away" not in told:
                heard = json.loads(live.receive_text())
                if "ask" in heard:
                    answers[heard["ask"]] = heard["error"]
                else:
                    told.add(heard["event"]["kind"])
            assert all("database" in a for a in answers.values())
            answer = edit(client, shot, [{"op": "replace", "path": "/name", "value": "x"}])
            assert (
                answer.status_code == 503
                and answer.headers["retry-after"]
                and "nothing was stored" in answer.json()["message"]
            )
        while "back" not in told:
            told.add(json.loads(live.receive_text())["event"]["kind"])
    assert edit(client, shot, [{"op": "replace", "path": "/name", "value": "x"}]).status_code == 200


@pytest.fixture
def listening(settings: Settings, monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    """The port of a real server whose patience is short."""
    monkeypatch.setattr(wire, "HEAD_S", 0.5)
    monkeypatch.setattr(limits, "QUIET_S", 0.5)
    port = postgres.free_port()
    config = uvicorn.Config(
        create_app(replace(settings, upload_bytes=1 << 20)),
        host="127.0.0.1",
        port=port,
        http=wire.Prompt,
        log_level="error",
    )
    running = uvicorn.Server(config)
    thread = threading.Thread(target=running.run, daemon=True)
    thread.start()
    while not running.started:
        time.sleep(0.02)
    yield port
    running.should_exit = True
    thread.join(10)


def said(port: int, *parts: bytes, pause: float = 0.0) -> bytes:
    """What a server answers to raw bytes, until it closes."""
    with socket.create_connection(("127.0.0.1", port), timeout=15) as s:
        for part in parts:
            try:
                s.sendall(part)
            except OSError:
                break
            time.sleep(pause)
        out = b""
        while block := _received(s):
            out += block
        return out


def _received(s: socket.socket) -> bytes:
    try:
        return s.recv(65536)
    except ConnectionError:
        return b""


HEAD = b"POST %s HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"


def test_half_sent_requests_are_closed(listening: int) -> None:
    assert b"400" in said(listening, b"GET /api/shots HTTP/1.1\r\nHost: 127.")
    assert said(listening) == b"" or b"400" in said(listening)
    assert b"408" in said(listening, HEAD % b"/api/shots" + b"Content-Length: 100\r\n\r\n{")
    assert b"400" in said(listening, b"GET / HTTP/1.1\r\n" + b"x: " + b"a" * 200_000)
    slowly = [HEAD % b"/api/shots" + b"Content-Length: 12\r\nConnection: close\r\n\r\n", b'{"shel', b'f":""}']
    assert b"422" in said(listening, *slowly, pause=0.2)  # slow, but it comes


def test_bodies_beyond_their_limit_are_refused_whole_or_in_chunks(listening: int) -> None:
    most = limits.JSON_BYTES
    assert b"413" in said(listening, HEAD % b"/api/shots" + b"Content-Length: %d\r\n\r\n" % (most + 1))
    chunk = b"%x\r\n" % (1 << 20) + b" " * (1 << 20) + b"\r\n"
    assert b"413" in said(listening, HEAD % b"/api/shots" + b"Transfer-Encoding: chunked\r\n\r\n", *[chunk] * 18)
    upload = b"POST /api/uploads HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=b\r\nTransfer-Encoding: chunked\r\n\r\n"
    assert b"400" in said(listening, upload, chunk)  # no form at all: answered, and closed
    part = b'--b\r\nContent-Disposition: form-data; name="files"; filename="a.mp4"\r\n\r\n'
    assert b"413" in said(listening, upload, b"%x\r\n%s\r\n" % (len(part), part), *[chunk] * 3)


def test_odd_heads_are_refused_in_words(client: TestClient) -> None:
    for host in ("[", "[::1", "a:b", "127.0.0.1:x", "é"):
        answer = client.get("/api/shots", headers={"host": host.encode("latin-1")})
        assert answer.status_code in (400, 403), host
    assert client.post("/api/shots", json={}, headers={"origin": "http://["}).status_code == 403
    assert client.get("/api/shots", headers={"content-length": "x"}).status_code == 413


def test_passwords_are_few_short_and_one_at_a_time(settings: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    with TestClient(
        create_app(replace(settings, host="0.0.0.0", password="net-loft")), base_url="http://studio.local"
    ) as client:
        sessions: guard.Sessions = client.app.state.sessions  # type: ignore[attr-defined]
        assert client.get("/api/openapi.json").status_code == 401 and client.get("/openapi.json").status_code == 404
        assert client.get("/api/shots", headers={"cookie": "tropein-session=ä".encode("latin-1")}).status_code == 401
        assert client.post("/api/login", json={"password": "x" * 5000}).status_code == 422
        assert client.post("/api/login", content=b'"' + b"x" * (17 << 20)).status_code == 413
        assert client.post("/api/login", json={"password": "net-loft"}).status_code == 204
        assert client.get("/api/shots").status_code == 200
        token = client.cookies["tropein-session"]
        assert client.post("/api/logout").status_code == 204
        client.cookies.set("tropein-session", token)
        assert client.get("/api/shots").status_code == 401  # ended here too, not in the browser alone
        codes = [
            client.post("/api/login", json={"password": "wrong"}).status_code for _ in range(guard.MOST_GUESSES + 3)
        ]
        assert codes == [422] * guard.MOST_GUESSES + [429] * 3
        refused = client.post("/api/login", json={"password": "net-loft"})
        assert refused.status_code == 429 and 0 < int(refused.headers["retry-after"]) <= guard.GUESSES_S + 1
        monkeypatch.setattr(guard, "GUESSES_S", 0.0)
        assert client.post("/api/login", json={"password": "net-loft"}).status_code == 204
        at_once: list[int] = []
        most = [0]
        verify = guard.PasswordHasher.verify

        def counted(*arguments: Any) -> Any:
            at_once.append(1)
            most[0] = max(most[0], len(at_once))
            time.sleep(0.05)
            at_once.pop()
            return verify(*arguments)

        monkeypatch.setattr(guard.PasswordHasher, "verify", counted)
        outcomes: list[str] = []

        def guess(i: int) -> None:
            try:
                sessions.open("wrong", f"10.0.0.{i}")
            except (guard.TooOften, BadInput) as error:
                outcomes.append(error.code)

        threads = [threading.Thread(target=guess, args=(i,)) for i in range(40)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert most[0] == 1 and outcomes.count("too-often") >= 40 - 2 * guard.MOST_WAITING


def test_an_ipv6_household_is_one_guesser() -> None:
    guesses = guard.Guesses()
    for i in range(guard.MOST_GUESSES):
        guesses.note(f"2001:db8:1:2::{i}")
    with pytest.raises(guard.TooOften):
        guesses.check("2001:db8:1:2:ffff::9")
    guesses.check("2001:db8:1:3::9")
