"""Workers that die, or lose the database, at the very end of their work; and what is given back of the disk."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any

import av
import pytest
from fastapi.testclient import TestClient
from sqlalchemy.exc import OperationalError

from tests.conftest import moving_frames, write_clip
from tropein.app.jobs import outcome, rescue, sweep, tasks
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.outcome import conclude
from tropein.app.jobs.work import ingest, render
from tropein.app.store import runs, shelf, shots
from tropein.app.store.database import transaction
from tropein.core.files import taken, whole
from tropein.core.media.record import read_record


@pytest.fixture
def here(context: WorkContext, monkeypatch: pytest.MonkeyPatch) -> WorkContext:
    """Tasks work in this process, with this database."""
    monkeypatch.setattr(tasks, "here", lambda: context)
    monkeypatch.setattr(outcome, "PAUSE_S", 0.01)
    return context


@pytest.fixture
def shot(here: WorkContext, clip: Path) -> str:
    media, record = here.library.add([(clip, "wall.mp4")])
    with transaction(here.engine) as session:
        row = shelf.add(session, media, "wall", record, [])
        return shots.create(session, ingest.shot_on(shelf.footage_of(row))).id


def new_render(client: TestClient, shot: str, **more: Any) -> str:
    return client.post(f"/api/shots/{shot}/renders", json={"first": 0, "last": 47, "scale": 0.5, **more}).json()["id"]


def numbers(context: WorkContext, run: str) -> list[int]:
    """The parts of a render."""
    with transaction(context.engine) as session:
        return [part.number for part in runs.chunks(session, run)]


def uploaded(context: WorkContext, clip: Path, **more: Any) -> tuple[str, Path]:
    folder = context.library.incoming / "abc"
    folder.mkdir()
    (folder / "0").write_bytes(clip.read_bytes())
    with transaction(context.engine) as session:
        params = {"upload": "abc", "files": [["0", clip.name]], "rate": "24/1", "make_shot": True, **more}
        return runs.create(session, "ingest", "Import", params).id, folder


def test_a_film_is_found_when_its_worker_died_before_it_was_recorded(
    client: TestClient, here: WorkContext, shot: str
) -> None:
    run = new_render(client, shot)
    for number in numbers(here, run):
        tasks.closing(run, lambda n=number: tasks.work_of(run).part(here, run, n))  # type: ignore[misc]
    first = tasks.work_of(run).finish(here, run)  # and then the worker is killed
    film = render.folder_of(here, run) / "wall.mp4"
    made = film.stat().st_mtime_ns
    assert client.get(f"/api/runs/{run}").json()["state"] == "finishing"
    tasks.closing(run, lambda: tasks.work_of(run).finish(here, run))
    state = client.get(f"/api/runs/{run}").json()
    assert state["state"] == "done" and state["result"]["file"] == "wall.mp4"
    assert film.stat().st_mtime_ns == made  # taken, not made again
    assert [p.name for p in film.parent.iterdir()] == ["wall.mp4"]
    conclude(here, run, first)  # the first worker was only slow
    with av.open(str(film)) as opened:
        assert sum(1 for _ in opened.decode(video=0)) == 48


def test_finished_parts_and_pictures_are_not_made_again(
    client: TestClient, here: WorkContext, shot: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    film, pictures = new_render(client, shot), new_render(client, shot, format="png")
    waiting = render.waiting
    monkeypatch.setattr(
        render, "waiting", lambda *a: (_ for _ in ()).throw(KeyboardInterrupt)
    )  # killed before the last update
    for run in (film, pictures):
        with pytest.raises(KeyboardInterrupt):
            tasks.work_of(run).part(here, run, 0)
    monkeypatch.setattr(render, "waiting", waiting)
    before = {
        p: p.stat().st_mtime_ns for r in (film, pictures) for p in render.folder_of(here, r).rglob("*") if p.is_file()
    }
    first, last = next(render.parts_of(0, 47))
    assert len(before) == 1 + last - first + 1 and last > 5
    (render.folder_of(here, pictures) / "frames" / "wall_0005.png").unlink()
    for run in (film, pictures):
        tasks.work_of(run).part(here, run, 0)
        assert client.get(f"/api/runs/{run}").json()["done"] == last - first + 1
    again = [p.name for p, at in before.items() if p.stat().st_mtime_ns != at]
    assert again == ["wall_0005.png"]


def test_a_connection_lost_at_the_last_step_costs_nothing(
    client: TestClient, here: WorkContext, clip: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    run, folder = uploaded(here, clip)
    add, lost = shelf.add, iter([True, True])

    def away(*arguments: Any) -> Any:
        if next(lost, False):
            assert folder.is_dir()
            raise OperationalError("commit", {}, Exception("server closed the connection"))
        return add(*arguments)

    monkeypatch.setattr(ingest.shelf, "add", away)
    tasks.whole_run(run)
    assert client.get(f"/api/runs/{run}").json()["state"] == "done" and not folder.exists()
    assert len(client.get("/api/shelf").json()) == len(client.get("/api/shots").json()) == 1


def test_an_import_done_twice_makes_one_shot(client: TestClient, here: WorkContext, clip: Path) -> None:
    run, _ = uploaded(here, clip)
    done = tasks.work_of(run).run(here, run)
    for _ in range(2):  # the answer to the first commit never arrived
        conclude(here, run, done)
    tasks.whole_run(run)
    assert len(client.get("/api/shots").json()) == 1


def test_work_that_ends_its_worker_again_and_again_is_given_up(
    client: TestClient, here: WorkContext, clip: Path, shot: str
) -> None:
    run, folder = uploaded(here, clip)
    for _ in range(runs.MOST_ATTEMPTS):
        with transaction(here.engine) as session:
            assert runs.start(session, run)
    tasks.whole_run(run)
    state = client.get(f"/api/runs/{run}").json()
    assert state["state"] == "failed" and "given up" in state["error"] and not folder.exists()
    film = new_render(client, shot)
    with transaction(here.engine) as session:
        runs.chunks(session, film)[0].attempts = runs.MOST_ATTEMPTS
    tasks.part_task(run_id=film, number=0)
    assert client.get(f"/api/runs/{film}").json()["state"] == "failed"


def test_runs_that_are_in_no_queue_are_queued_again(client: TestClient, here: WorkContext, shot: str) -> None:
    run = new_render(client, shot)
    with here.engine.begin() as connection:
        connection.exec_driver_sql("delete from procrastinate_jobs")
    rescue.forgotten(here, 0)
    rescue.forgotten(here, 0)  # once is enough
    with here.engine.begin() as connection:
        queued = (
            connection.exec_driver_sql("select args ->> 'number' from procrastinate_jobs order by 1").scalars().all()
        )
    assert (
        queued == [str(n) for n in numbers(here, run)] and client.get(f"/api/runs/{run}").json()["state"] == "waiting"
    )


def old(context: WorkContext) -> None:
    """Everything stored is a week older."""
    then = time.time() - 7 * 24 * 3600
    for root, _, files in os.walk(context.settings.home):
        for name in files:
            os.utime(Path(root) / name, (then, then))
        os.utime(root, (then, then))


def test_a_sweep_takes_what_nothing_refers_to_and_no_more(
    client: TestClient, here: WorkContext, clip: Path, shot: str, tmp_path: Path
) -> None:
    home = here.settings
    other = write_clip(tmp_path / "other.mp4", moving_frames(4, 160, 90))
    unused, _ = here.library.add([(other, "other.mp4")])
    run, gone = new_render(client, shot), new_render(client, shot)
    for number in numbers(here, run):
        tasks.closing(run, lambda n=number: tasks.work_of(run).part(here, run, n))  # type: ignore[misc]
    tasks.closing(run, lambda: tasks.work_of(run).finish(here, run))
    left = [
        home.renders / run / "part-00009.mp4",
        home.renders / run / ".wall.1-ff.part.mp4",
        home.renders / "nobody" / "film.mp4",
    ]
    left += [
        home.media / "incoming" / "left" / "0",
        home.outgoing / "x.tropein",
        home.artefacts / "ab" / ".x.1-2.part.gz",
    ]
    for path in left:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"x" * 1000)
    document = client.get(f"/api/shots/{shot}").json()["document"]
    footage = next(iter(document["footage"]))
    media = document["footage"][footage]["media"]
    assert client.delete(f"/api/shelf/{footage}").status_code == 422  # a shot uses it
    with taken(home.media / "incoming" / "working") as working:
        (working / "original").mkdir()
        old(here)
        assert sweep.sweep(here, unreferenced_s=8 * 24 * 3600, left_over_s=8 * 24 * 3600).removed == 0  # type: ignore[union-attr]
        swept = sweep.sweep(here)
        assert working.is_dir()
    assert swept is not None and not any(p.exists() for p in left) and swept.freed >= 6000
    assert not here.library.store.folder(unused).exists() and here.library.store.folder(media).is_dir()
    assert client.get(f"/api/runs/{run}/file").status_code == 200
    assert client.get("/api/storage").json()["freed"] == swept.freed
    # the shot goes, and its films with it, also one that was still being made; what undo could bring back stayed until now
    assert client.delete(f"/api/shots/{shot}").status_code == 204
    tasks.part_task(run_id=gone, number=0)  # ends without a word
    assert client.delete(f"/api/shelf/{footage}").status_code == 204
    old(here)
    assert sweep.sweep(here) is not None
    assert [p for p in home.home.rglob("*") if p.is_file() and not p.name.startswith((".media.lock", "home-id"))] == []


def test_footage_that_only_undo_knows_stays(client: TestClient, here: WorkContext, shot: str) -> None:
    document = client.get(f"/api/shots/{shot}").json()["document"]
    (footage,) = document["footage"]
    ops = [{"op": "replace", "path": "/plate", "value": None}, {"op": "replace", "path": "/stack", "value": []},
           {"op": "replace", "path": "/layers", "value": {}}, {"op": "remove", "path": f"/footage/{footage}"}]  # fmt: skip
    assert client.post(f"/api/shots/{shot}/edits", json={"base": 0, "label": "empty it", "ops": ops}).status_code == 200
    assert client.delete(f"/api/shelf/{footage}").status_code == 204
    old(here)
    assert sweep.sweep(here).removed == 0  # type: ignore[union-attr]
    assert client.post(f"/api/shots/{shot}/undo", json={}).status_code == 200
    assert client.get(f"/api/shots/{shot}/frame/3.jpg?width=64").status_code == 200


def test_what_is_imported_again_while_a_sweep_looks_is_not_taken(here: WorkContext, clip: Path) -> None:
    media, _ = here.library.add([(clip, "wall.mp4")])
    old(here)
    candidates = [c for c in sweep._candidates(here.settings, sweep.UNREFERENCED_S, 0) if c.old]
    assert media in {c.name for c in candidates}
    assert here.library.add([(clip, "wall.mp4")])[0] == media  # found, and about to be referred to
    assert not any(c.old for c in candidates if c.name == media)


def test_a_file_is_there_whole_or_not_at_all(tmp_path: Path) -> None:
    with pytest.raises(ZeroDivisionError), whole(tmp_path / "a" / "film.mov") as part:
        part.write_bytes(b"half")
        raise ZeroDivisionError
    assert list((tmp_path / "a").iterdir()) == []
    with whole(tmp_path / "a" / "film.mov") as one, whole(tmp_path / "a" / "film.mov") as two:
        assert one != two and one.suffix == ".mov"  # two workers never write to one name
        one.write_bytes(b"1")
        two.write_bytes(b"2")
    assert [p.read_bytes() for p in (tmp_path / "a").iterdir()] == [b"1"]


def test_two_imports_of_one_thing_keep_one(here: WorkContext, clip: Path, tmp_path: Path) -> None:
    media, record = here.library.add([(clip, "wall.mp4")])
    other = tmp_path / "second"
    (other / "original").mkdir(parents=True)
    (other / "media.json").write_text("{}")
    here.library.store.take(other, media)
    assert read_record(here.library.store.folder(media) / "media.json") == record
