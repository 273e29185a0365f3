"""Kills at random while people edit, import, track and render: `./tropein faults kills [how many]`.

Server, worker, database, its keeper, the preview and readers of uploads are killed, one every few seconds. In the end every edit that was
acknowledged must stand, every render and import be done, and one sweep leave no file that nothing refers to.
"""

from __future__ import annotations

import atexit
import json
import os
import random
import signal
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
import uuid
import zipfile
from collections import Counter
from io import BytesIO
from pathlib import Path
from typing import Any

import av

from tests.conftest import moving_frames, write_clip
from tests.launch.test_running import Started

EVERY_S = 4.0
NAMES = ("server", "worker", "database", "keeper", "preview", "reader")
MARKS = {"server": "tropein.cli serve", "worker": "tropein.cli worker", "database": "bin/postgres -D", "keeper": "launch.keeper",
         "preview": "spawn_main", "reader": "tropein.core.limited"}  # fmt: skip


class Away(Exception):
    """The server did not answer, or said that it cannot at the moment."""


def ask(address: str, path: str, body: Any = None, raw: tuple[bytes, str] | None = None) -> Any:
    data, kind = (
        (raw if raw else (json.dumps(body).encode(), "application/json")) if body is not None or raw else (None, "")
    )
    request = urllib.request.Request(f"{address}{path}", data=data, headers={"Content-Type": kind} if data else {})
    try:
        with urllib.request.urlopen(request, timeout=30) as answer:
            text = answer.read()
            return json.loads(text) if answer.headers["content-type"] == "application/json" else text
    except urllib.error.HTTPError as error:
        if error.code in (503, 502):
            raise Away from error
        raise RuntimeError(f"{path}: {error.code} {error.read()[:300]!r}") from error
    except (OSError, ValueError, EOFError) as error:
        raise Away from error


def patiently(address: str, path: str, body: Any = None, raw: tuple[bytes, str] | None = None) -> Any:
    end = time.monotonic() + 120
    while True:
        try:
            return ask(address, path, body, raw)
        except Away:
            if time.monotonic() > end:
                raise
            time.sleep(0.3)


def form(path: Path) -> tuple[bytes, str]:
    mark = uuid.uuid4().hex
    head = f'--{mark}\r\nContent-Disposition: form-data; name="make_shot"\r\n\r\ntrue\r\n--{mark}\r\nContent-Disposition: form-data; name="files"; filename="{path.name}"\r\n\r\n'
    return head.encode() + path.read_bytes() + f"\r\n--{mark}--\r\n".encode(), f"multipart/form-data; boundary={mark}"


class Editor(threading.Thread):
    """Edits one value again and again, and remembers what was acknowledged. An edit is sent again until it is answered."""

    def __init__(self, address: str, shot: str) -> None:
        super().__init__(daemon=True)
        self.address, self.shot, self.acknowledged, self.over = address, shot, [], False

    def run(self) -> None:
        n = 0
        while not self.over:
            n += 1
            base = patiently(self.address, f"/api/shots/{self.shot}")["revision"]
            ops = [{"op": "replace", "path": "/name", "value": f"edit {n}"}]
            body = {"base": base, "label": f"edit {n}", "ops": ops, "key": f"k{n}"}
            patiently(self.address, f"/api/shots/{self.shot}/edits", body)
            self.acknowledged.append(f"edit {n}")
            time.sleep(0.2)


class Killer(threading.Thread):
    """Kills one of ours every few seconds."""

    def __init__(self, place: Path, kills: int) -> None:
        super().__init__(daemon=True)
        self.place, self.kills, self.done, self.rng = place, kills, Counter[str](), random.Random(11)

    def run(self) -> None:
        while self.done.total() < self.kills:
            time.sleep(EVERY_S * self.rng.uniform(0.5, 1.5))
            running = found(self.place)
            name = self.rng.choice([n for n in NAMES if n in running] or [""])
            if name:
                try:
                    os.kill(running[name], signal.SIGKILL)
                except ProcessLookupError:
                    continue
                self.done[name] += 1
                sys.stdout.write(f"\r{self.done.total()} kills")
                sys.stdout.flush()


def found(place: Path) -> dict[str, int]:
    out = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            words = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            ours = str(place) in words or str(place).encode() in (entry / "environ").read_bytes()
        except OSError:
            continue
        for name, mark in MARKS.items():
            if ours and mark in words:
                out[name] = int(entry.name)
    return out


def frames_in(data: bytes, form_: str) -> int:
    if form_ == "png":
        return len(zipfile.ZipFile(BytesIO(data)).namelist())
    with av.open(BytesIO(data)) as film:
        return sum(1 for _ in film.decode(video=0))


def main(kills: int) -> int:
    place = Path(tempfile.mkdtemp(prefix="tropein-kills-")) / "place"
    place.mkdir()
    os.environ |= {"TROPEIN_STALLED_S": "3", "TROPEIN_RESTARTS": "1000"}
    running = Started(place)
    atexit.register(running.process.terminate)
    address = running.ready()
    clip = write_clip(place / "wall.mp4", moving_frames(96, 640, 360))
    problems: list[str] = []
    first = patiently(address, "/api/uploads", raw=form(clip))["id"]
    while (state := patiently(address, f"/api/runs/{first}"))["state"] != "done":
        time.sleep(0.3)
    shot = state["result"]["shot"]
    editor, killer = Editor(address, shot), Killer(place, kills)
    editor.start()
    killer.start()
    wanted: dict[str, tuple[str, int]] = {}
    n = 0
    while killer.is_alive():
        n += 1
        form_ = ("h264", "png", "prores4444")[n % 3]
        body = {"first": 0, "last": 71, "format": form_, "scale": 1}
        try:  # what was not acknowledged may be lost, and must leave nothing
            wanted[ask(address, f"/api/shots/{shot}/renders", body)["id"]] = (form_, 72)
            other = write_clip(place / f"other-{n}.mp4", moving_frames(24, 320, 180, (1.0 + n % 5, 1.5)))
            wanted[ask(address, "/api/uploads", raw=form(other))["id"]] = ("import", 24)
        except Away:
            pass
        time.sleep(6)
    editor.over = True
    editor.join(60)
    end = time.monotonic() + 1200
    for run, (form_, frames) in wanted.items():
        while (state := patiently(address, f"/api/runs/{run}"))["state"] not in (
            "done",
            "failed",
            "cancelled",
        ) and time.monotonic() < end:
            time.sleep(0.5)
        if state["state"] != "done":
            problems.append(f"run {run} ({form_}) is {state['state']}: {state['error']}")
        elif form_ != "import" and (have := frames_in(patiently(address, f"/api/runs/{run}/file"), form_)) != frames:
            problems.append(f"run {run} ({form_}) has {have} of {frames} frames")
    history = {h["label"] for h in all_history(place, shot)}
    lost = [e for e in editor.acknowledged if e not in history]
    problems += [f"the acknowledged {e} is not in the history" for e in lost]
    files = leftovers(place)
    problems += [f"nothing needs {f}, and it is still there" for f in files]
    running.process.terminate()
    running.process.wait(30)
    imports = sum(f == "import" for f, _ in wanted.values())
    sys.stdout.write(
        f"\r{dict(killer.done)}\n{len(editor.acknowledged)} edits acknowledged, {len(lost)} lost; {len(wanted) - imports} renders and "
    )
    sys.stdout.write(
        f"{imports} imports acknowledged; {len(files)} files left over after one sweep\n" + "\n".join(problems) + "\n"
    )
    return 1 if problems else 0


def _context(place: Path) -> Any:
    from launch.postgres import reachable

    from tropein.app.jobs.context import make
    from tropein.app.settings import Settings

    folder = reachable(place / "pg")
    state = json.loads((folder / "server.json").read_text())
    url = f"postgresql+psycopg://tropein:{(folder / 'password').read_text()}@127.0.0.1:{state['port']}/tropein"
    return make(Settings(home=place / "home", database=url))


def all_history(place: Path, shot: str) -> list[dict[str, str]]:
    from sqlalchemy import text

    with _context(place).engine.connect() as connection:
        rows = connection.execute(text("select label from edit where shot_id = :shot"), {"shot": shot})
        return [{"label": r[0]} for r in rows]


def leftovers(place: Path) -> list[str]:
    """Files below home after one sweep that are neither named in the database nor finished renders."""
    from tropein.app.jobs.sweep import sweep
    from tropein.app.store import references
    from tropein.app.store.database import transaction

    context = _context(place)
    time.sleep(1)
    sweep(context, unreferenced_s=0, left_over_s=0)
    with transaction(context.engine) as session:
        kept = references.needed(session) | references.known_runs(session)
    out = []
    for path in (place / "home").rglob("*"):
        named = any(part.partition(".")[0] in kept for part in path.relative_to(place / "home").parts)
        stray = path.name.startswith((".", "part-")) and "frames" not in path.parts
        if path.is_file() and path.name not in ("home-id", ".media.lock") and (not named or stray):
            out.append(str(path))
    return out


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 100))
