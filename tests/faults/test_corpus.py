"""Clips of every awkward kind, frame by frame against what ffmpeg itself decodes of them."""

from __future__ import annotations

import subprocess
import zipfile
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.faults import corpus
from tropein.app.jobs import tasks
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.work import ingest
from tropein.app.store import runs
from tropein.app.store.database import transaction
from tropein.core.errors import Asks, MediaError
from tropein.core.media.clip import ClipReader, to_rgb
from tropein.core.media.library import Library
from tropein.core.media.probe import probe
from tropein.core.media.source import Sources
from tropein.core.raster.colour import convert, to_display
from tropein.core.raster.video_spaces import HLG, PQ

WORKING = "Linear Rec.709 (sRGB)"


@pytest.fixture
def library(tmp_path: Path) -> Library:
    return Library(tmp_path / "media")


def decoded(path: Path, size: tuple[int, int]) -> np.ndarray:
    """(n, h, w, 3): what ffmpeg shows of a file, every picture once."""
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(path), "-vsync", "0", "-f", "rawvideo", "-pix_fmt", "rgb24", "-"],
        capture_output=True,
    ).stdout
    one = size[0] * size[1] * 3
    return np.frombuffer(raw[: len(raw) // one * one], np.uint8).reshape(-1, size[1], size[0], 3)


@pytest.mark.parametrize("name", corpus.SHOWN)
def test_the_right_frames_are_shown_in_any_order(name: str, tmp_path: Path) -> None:
    path = corpus.SHOWN[name](tmp_path)
    record = probe([path])
    truth = decoded(path, record.size)
    assert record.frames == len(truth) > 8
    reader = ClipReader(path, record)
    ours = [to_display(reader.frame(i)) for i in range(record.frames)]
    for mine, theirs in zip(ours, truth, strict=True):
        assert np.abs(mine.astype(int) - theirs).mean() < 3
    differ = [np.abs(a.astype(int) - b).mean() for a, b in zip(ours, ours[1:], strict=False)]
    assert min(differ) > 0.3  # no picture stands twice
    for i in np.random.default_rng(1).permutation(record.frames)[:16]:
        assert np.array_equal(to_display(reader.frame(int(i))), ours[i]), i
    reader.close()


def test_every_rate_comes_to_one_a_shot_can_have(library: Library, tmp_path: Path) -> None:
    _, slow = library.add([(corpus.slow(tmp_path), "slow.mp4")])
    assert (slow.rate, slow.frames) == ("1/10", 8)
    _, fast = library.add([(corpus.fast(tmp_path), "fast.mp4")])
    assert (fast.rate, fast.frames) == ("1000/1", 48) and any("2000" in n for n in fast.notes)


def test_long_gaps_are_asked_about_and_held_without_storing_each_frame(library: Library, tmp_path: Path) -> None:
    hours = corpus.gap(tmp_path)
    with pytest.raises(Asks, match="3.0 h") as caught:
        library.add([(hours, "gap.mkv")])
    assert caught.value.details == {"asks": "gaps", "choices": ["drop"]}
    assert probe([hours], gaps="drop").frames == 24
    minutes = corpus.gap(tmp_path, hours=0.05)
    with pytest.raises(Asks) as caught:
        library.add([(minutes, "gap.mkv")])
    assert caught.value.details["choices"] == ["hold", "drop"]
    media, record = library.add([(minutes, "gap.mkv")], gaps="hold")
    assert 4300 < record.frames < 4400
    with zipfile.ZipFile(library.store.folder(media) / "proxy-1.zip") as proxy:
        assert len(proxy.namelist()) == 24
    sources = Sources(library.store, final=False)
    numbers = [
        corpus.number_of(to_display(sources.picture(media, i, 1)[0].pixels))
        for i in (0, 5, 11, 2000, record.frames - 13, record.frames - 12, record.frames - 1)
    ]
    assert numbers == [0, 5, 11, 11, 11, 12, 23]


def test_a_question_is_answered_and_the_import_goes_on(
    client: TestClient, context: WorkContext, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tasks, "here", lambda: context)
    folder = context.library.incoming / "abc"
    folder.mkdir()
    (folder / "0").write_bytes(corpus.gap(tmp_path, hours=0.05).read_bytes())
    with transaction(context.engine) as session:
        run = runs.create(
            session,
            "ingest",
            "Import gap",
            {"upload": "abc", "files": [["0", "gap.mkv"]], "rate": "24/1", "make_shot": True},
        ).id
    tasks.whole_run(run)
    asked = client.get(f"/api/runs/{run}").json()
    assert asked["state"] == "failed" and asked["result"]["choices"] == ["hold", "drop"] and folder.is_dir()
    assert client.post(f"/api/runs/{run}/answer", json={"choice": "no"}).status_code == 422
    again = client.post(f"/api/runs/{run}/answer", json={"choice": "drop"}).json()["id"]
    tasks.whole_run(again)
    assert client.get(f"/api/runs/{again}").json()["state"] == "done" and not folder.exists()
    assert client.get("/api/shots").json()[0]["frames"] == 24
    assert ingest.title_of([["0", "gap.mkv"]]) == "gap"


def test_damage_in_the_sound_alone_leaves_the_pictures(library: Library, tmp_path: Path) -> None:
    _, record = library.add([(corpus.damaged_sound(tmp_path), "a.mp4")])
    assert record.frames == 48 and any("sound is damaged" in n for n in record.notes)
    whole = corpus.source(tmp_path, "whole.mp4", *corpus.H264, "-c:a", "aac", "-shortest", sound=True)
    _, record = library.add([(whole, "b.mp4")])
    assert record.sound and abs(record.sound_seconds - 2) < 0.2 and not any("sound" in n for n in record.notes)


def test_pictures_on_their_side_make_a_sequence(library: Library, tmp_path: Path) -> None:
    files = []
    for i in range(3):
        picture = Image.fromarray(corpus.numbered(i))
        exif = Image.Exif()
        exif[0x0112] = 6
        picture.save(tmp_path / f"p{i}.jpg", exif=exif, quality=95)
        files.append((tmp_path / f"p{i}.jpg", f"p{i}.jpg"))
    _, record = library.add(files)
    assert record.size == (180, 320) and record.frames == 3


def test_pq_and_hlg_of_one_light_come_in_alike() -> None:
    """A ramp of light in cd/m2 coded by the formulas of BT.2100, and brought in."""
    light = np.array([0.5, 5, 26, 50, 100, 203, 400, 700], np.float64)
    m1, m2, c1, c2, c3 = 0.1593017578125, 78.84375, 0.8359375, 18.8515625, 18.6875
    y = (light / 10000) ** m1
    pq = ((c1 + c2 * y) / (1 + c3 * y)) ** m2
    scene = (light / 1000) ** (1 / 1.2)  # the display's own curve undone, for greys
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    hlg = np.where(scene <= 1 / 12, np.sqrt(3 * scene), a * np.log(np.maximum(12 * scene - b, 1e-9)) + c)
    for code, space in ((pq, PQ), (hlg, HLG)):
        values = convert(np.repeat(code[:, None], 3, 1).astype(np.float32), space, WORKING)
        assert np.allclose(values, (light / 203)[:, None], rtol=0.02, atol=2e-3), space
    green = convert(np.array([[0, 0.5, 0]], np.float32), PQ, WORKING)[0]  # beyond what Rec.709 can show
    assert green[1] > 0 > green[0]


@pytest.mark.parametrize(("curve", "space"), [("smpte2084", PQ), ("arib-std-b67", HLG)])
def test_high_range_clips_keep_their_lights_in_previews_too(
    library: Library, tmp_path: Path, curve: str, space: str
) -> None:
    media, record = library.add([(corpus.high_range(curve)(tmp_path), "a.mp4")])
    assert record.space == space and any("brought to linear light" in n for n in record.notes)
    full, _ = Sources(library.store, final=True).picture(media, 5, 0)
    proxy, _ = Sources(library.store, final=False).picture(media, 5, 1)
    lights = [float(np.percentile(p.pixels[..., 1], 98.5)) for p in (full, proxy)]  # the white squares
    assert lights[0] > 1.2 and abs(lights[1] / lights[0] - 1) < 0.15, lights


def test_fields_are_made_whole_pictures(tmp_path: Path) -> None:
    path = corpus.interlaced(tmp_path)
    record = probe([path])
    assert record.interlaced and any("fields" in n for n in record.notes)
    reader = ClipReader(path, record)

    def comb(picture: np.ndarray) -> float:
        """How much rows differ from those beside them more than from those two away, about the moving disc."""
        p = picture[95:145, 20:300].astype(np.float64)
        return float(np.abs(p[1:-1] - (p[:-2] + p[2:]) / 2).mean())

    raw = comb(to_rgb(reader._coded(12), record))
    made = comb(to_display(reader.frame(12)))
    assert made < 0.6 * raw, (made, raw)
    order = [to_display(reader.frame(i)) for i in (3, 12, 4)]
    assert np.array_equal(
        order[1], to_display(ClipReader(path, record).frame(12))
    )  # the same, whatever was shown before


def test_a_file_of_nothing_known_is_refused_in_words(tmp_path: Path) -> None:
    for name, data in {
        "a.mp4": b"\0" * 5000,
        "b.avi": b"RIFF\x10\0\0\0AVI LIST",
        "c.mkv": b"\x1aE\xdf\xa3" + b"\x9f" * 60,
    }.items():
        (tmp_path / name).write_bytes(data)
        with pytest.raises(MediaError) as caught:
            probe([tmp_path / name])
        assert "Operation" not in caught.value.message and len(caught.value.message) < 200
