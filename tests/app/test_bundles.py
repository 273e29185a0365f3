"""The command line as a whole: track, render, export, import, and bad input, in real processes."""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from demo.seed import PLATES

from tests.conftest import moving_frames, write_clip
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.work.ingest import shot_on
from tropein.app.settings import Settings
from tropein.app.store import shelf, shots
from tropein.app.store.database import transaction
from tropein.core.media.probe import probe


def tropein(settings: Settings | None, *arguments: str) -> subprocess.CompletedProcess[str]:
    env = {**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}
    if settings:
        env |= {"TROPEIN_DATABASE": settings.database, "TROPEIN_HOME": str(settings.home)}
    return subprocess.run(
        [sys.executable, "-m", "tropein.cli", *arguments], env=env, capture_output=True, text=True, timeout=120
    )


def test_a_point_is_tracked_from_the_command_line(tmp_path: Path, clip: Path) -> None:
    out = tmp_path / "t.json"
    done = tropein(
        None,
        "track",
        "point",
        str(clip),
        "--at",
        "150.5,90.5",
        "--frame",
        "10",
        "--frames",
        "5-20",
        "-o",
        str(out),
        "--json",
    )
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["frames"] == 16
    rows = json.loads(out.read_text())["frames"]
    assert rows[0]["frame"] == 5 and np.abs(np.array(rows[-1]["points"][0]) - [150.5 + 15, 90.5 + 7.5]).max() < 0.3


def test_a_plane_is_tracked_from_the_command_line(tmp_path: Path, clip: Path) -> None:
    out, corners = tmp_path / "p.json.gz", np.array([[80, 40], [240, 44], [236, 140], [84, 136]])
    places = [f"{x},{y}" for x, y in corners]
    done = tropein(
        None, "track", "plane", str(clip), "--corners", *places, "--frame", "4", "--frames", "0-9", "-o", str(out)
    )
    assert done.returncode == 0, done.stderr
    rows = json.loads(gzip.decompress(out.read_bytes()))["frames"]
    for row in rows:
        expected = corners + np.array([1.5, 0.75]) * (row["frame"] - 4)
        assert not row["lost"] and np.abs(np.array(row["corners"]) - expected).max() < 0.5, row


def test_a_clip_is_stabilised_from_the_command_line(tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    wall = moving_frames(1, 420, 280)[0]
    shake = np.cumsum(rng.normal(0, 0.4, (24, 2)), 0) + rng.normal(0, 2.5, (24, 2))
    shaky = [
        cv2.warpAffine(wall, np.array([[1, 0, x - 50], [0, 1, y - 50]]), (320, 180), flags=cv2.INTER_CUBIC)
        for x, y in shake
    ]
    out = tmp_path / "still.mp4"
    source = write_clip(tmp_path / "shaky.mp4", shaky, sound=True)
    done = tropein(None, "stabilise", str(source), "--smooth", "0", "--crop", "none", "-o", str(out))
    assert done.returncode == 0, done.stderr
    with av.open(str(out)) as film:
        assert len(film.streams.audio) == 1
        frames = [f.to_ndarray(format="gray").astype(float)[40:-40, 60:-60] for f in film.decode(video=0)]
    before = [cv2.cvtColor(f, cv2.COLOR_RGB2GRAY).astype(float)[40:-40, 60:-60] for f in shaky]
    shift = lambda all: np.mean([np.hypot(*cv2.phaseCorrelate(all[0], f)[0]) for f in all[1:]])  # noqa: E731
    assert len(frames) == 24 and shift(frames) < 0.1 * shift(before)


@pytest.mark.parametrize(
    "arguments",
    [
        ("probe", "/nowhere.mp4"), ("track", "point", "CLIP", "--at", "1", "--frame", "0", "-o", "OUT"),
        ("track", "point", "CLIP", "--at", "5,5", "--frame", "999", "-o", "OUT"), ("render", "CLIP", "-o", "OUT.mp4"),
        ("track", "point", "CLIP", "--at", "50,50", "--frame", "0", "--frames", "9-2", "-o", "OUT"),
        ("track", "plane", "CLIP", "--corners", "50,50", "90,50", "90,90", "--frame", "0", "-o", "OUT"),
        ("track", "plane", "CLIP", "--corners", "50,50", "150,150", "150,50", "50,150", "--frame", "0", "-o", "OUT"),
        ("track", "face", "CLIP", "--frames", "0-3", "-o", "OUT"),
        ("track", "camera", "CLIP", "--frames", "0-3", "-o", "OUT"),
    ],
)  # fmt: skip
def test_bad_input_is_one_line_and_writes_nothing(tmp_path: Path, clip: Path, arguments: tuple[str, ...]) -> None:
    places = {"CLIP": str(clip), "OUT": str(tmp_path / "out"), "OUT.mp4": str(tmp_path / "out.mp4")}
    done = tropein(None, *[places.get(a, a) for a in arguments])
    assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 1, done.stderr
    assert list(tmp_path.iterdir()) == []


def test_a_shot_travels_as_a_bundle_and_renders_the_same(
    context: WorkContext, settings: Settings, tmp_path: Path, clip: Path
) -> None:
    media, record = context.library.add([(clip, "wall.mp4")])
    with transaction(context.engine) as session:
        item = shelf.add(session, media, "Wall", record, [])
        first = shots.create(session, shot_on(shelf.footage_of(item), "On the wall"))
    bundle = tmp_path / "wall.tropein"
    assert tropein(settings, "shot", "export", "On the wall", "-o", str(bundle)).returncode == 0
    rendered = tropein(
        None, "render", str(bundle), "-o", str(tmp_path / "out.mp4"), "--frames", "3-9", "--scale", "0.5"
    )
    assert rendered.returncode == 0, rendered.stderr
    record = probe([tmp_path / "out.mp4"])
    assert (record.frames, record.size, record.sound) == (7, (160, 90), True)
    taken = tropein(settings, "shot", "import", str(bundle), "--json")
    assert taken.returncode == 0, taken.stderr
    with transaction(context.engine) as session:
        again = shots.state(session, json.loads(taken.stdout)["id"])
        assert again.document == shots.state(session, first.id).document
    damaged = tmp_path / "damaged.tropein"
    damaged.write_bytes(bundle.read_bytes()[:-400])
    assert tropein(settings, "shot", "import", str(damaged)).returncode == 2
    with zipfile.ZipFile(tmp_path / "empty.tropein", "w") as archive:
        archive.writestr("shot.json", "{}")
    refused = tropein(settings, "shot", "import", str(tmp_path / "empty.tropein"))
    assert refused.returncode == 2 and "version" in refused.stderr
    with transaction(context.engine) as session:
        assert len(shots.all_shots(session)) == 2


def test_a_screen_is_keyed_from_the_command_line(tmp_path: Path) -> None:
    out = tmp_path / "key"
    done = tropein(None, "matte", "key", str(PLATES / "caster.mp4"), "--frames", "8-9", "-o", str(out))
    assert done.returncode == 0, done.stderr
    truth = cv2.imread(str(PLATES / "caster.alpha_0008.png"), cv2.IMREAD_UNCHANGED) / 65535
    alpha = cv2.imread(str(out / "alpha_0008.png"), cv2.IMREAD_UNCHANGED)
    assert alpha.dtype == np.uint16 and np.abs(alpha / 65535 - truth).mean() < 0.01
    subject = cv2.imread(str(out / "fg_0009.png"), cv2.IMREAD_UNCHANGED).astype(float)
    assert (
        subject.shape[2] == 4 and (subject[..., 0] - subject[..., 1:3].max(-1))[subject[..., 3] > 3000].max() < 20_000
    )
    wrong = tropein(None, "matte", "key", str(PLATES / "caster.mp4"), "--screen", "blue", "-o", str(out))
    assert wrong.returncode == 2 and "#RRGGBB" in wrong.stderr
