from __future__ import annotations

import subprocess
import wave
import zipfile
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import moving_frames, write_clip
from tropein.core.errors import BadInput, Cancelled, MediaError
from tropein.core.limited import Limits
from tropein.core.media.encode import MovieWriter, Target, join, write_picture
from tropein.core.media.grey import GreyFrames
from tropein.core.media.library import Library
from tropein.core.media.probe import probe
from tropein.core.media.sandbox import run_ingest
from tropein.core.media.source import Sources, read_still
from tropein.core.raster.colour import to_display


@pytest.fixture
def library(tmp_path: Path) -> Library:
    return Library(tmp_path / "media")


def left_behind(library: Library) -> list[Path]:
    return [p for p in library.store.root.rglob("*") if p.is_file()]


def error_of(library: Library, path: Path, name: str | None = None) -> str:
    with pytest.raises(BadInput) as caught:
        library.add([(path, name or path.name)])
    assert left_behind(library) == []
    return caught.value.message


def shown(sources: Sources, media: str, index: int, level: int = 0) -> np.ndarray:
    return to_display(sources.picture(media, index, level)[0].pixels)


def test_a_clip_is_taken_in_whole(library: Library, clip: Path) -> None:
    media, record = library.add([(clip, "Wall.MP4")])
    assert (record.kind, record.size, record.rate, record.frames, record.sound) == (
        "clip",
        (320, 180),
        "24/1",
        48,
        True,
    )
    names = {p.name for p in library.store.folder(media).iterdir()}
    assert {"media.json", "proxy-1.zip", "proxy-2.zip", "poster.jpg", "strip.jpg", "sound.wav", "peaks.json"} <= names
    with wave.open(str(library.store.folder(media) / "sound.wav")) as sound:
        assert sound.getnframes() == pytest.approx(96_000, abs=4096)
    assert library.add([(clip, "again.mp4")])[0] == media


def test_frames_come_out_as_they_went_in_at_any_place(library: Library, clip: Path) -> None:
    media, _ = library.add([(clip, clip.name)])
    truth = moving_frames(48)
    sources = Sources(library.store, final=True)
    for i in (0, 31, 30, 5, 47, 46, 12):
        assert np.abs(shown(sources, media, i).astype(int) - truth[i]).mean() < 2.5, i
    preview = Sources(library.store, final=False)
    assert preview.level(media, 0.5) == 2 and preview.level(media, 1.0) == 1
    assert np.abs(shown(preview, media, 20, 1).astype(int) - truth[20]).mean() < 4
    half, scale = preview.picture(media, 20, 2)
    assert half.pixels.shape[:2] == (90, 160) and scale == 0.5


@pytest.mark.parametrize(
    ("codec", "pix_fmt", "suffix"),
    [("libx264", "yuv422p10le", ".mkv"), ("libx265", "yuv420p", ".mp4"), ("prores_ks", "yuv422p10le", ".mov"),
     ("mjpeg", "yuvj420p", ".mov"), ("libvpx-vp9", "yuv420p", ".webm")],
)  # fmt: skip
def test_the_usual_codecs_are_read(tmp_path: Path, library: Library, codec: str, pix_fmt: str, suffix: str) -> None:
    truth = moving_frames(6)
    path = write_clip(tmp_path / f"clip{suffix}", truth, codec=codec, pix_fmt=pix_fmt)
    media, record = library.add([(path, path.name)])
    assert record.frames == 6
    got = shown(Sources(library.store, final=True), media, 3)
    assert np.abs(got.astype(int) - truth[3]).mean() < 9


@pytest.mark.parametrize("rate", [Fraction(24000, 1001), Fraction(30000, 1001), Fraction(25), Fraction(50)])
def test_rates_are_kept_as_fractions(tmp_path: Path, rate: Fraction) -> None:
    path = write_clip(tmp_path / "clip.mp4", moving_frames(10, 64, 48), rate=rate)
    assert Fraction(probe([path]).rate) == rate


def test_an_uneven_rate_is_conformed_and_said(tmp_path: Path) -> None:
    pts = [0, 40, 80, 240, 280, 320, 360, 520, 560, 600]
    path = write_clip(tmp_path / "uneven.mkv", moving_frames(10, 64, 48), rate=Fraction(25), pts=pts)
    record = probe([path])
    assert record.frames == 16 and Fraction(record.rate) == 25
    assert any("uneven" in n for n in record.notes)
    assert [round(p * Fraction(record.time_base) * 1000) for p in record.pts][:8] == [0, 40, 80, 80, 80, 80, 240, 280]


def test_rotation_pixel_shape_and_odd_sizes(tmp_path: Path, library: Library) -> None:
    upright = moving_frames(3, 64, 48)
    path = write_clip(tmp_path / "plain.mp4", upright)
    turned = tmp_path / "turned.mp4"
    subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(path), "-c", "copy", "-metadata:s:v", "rotate=90", str(turned)], check=True
    )
    media, record = library.add([(turned, "turned.mp4")])
    assert record.size == (48, 64)
    # what ffmpeg shows, which honours the tag, is the truth here
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(turned), "-f", "rawvideo", "-pix_fmt", "rgb24", "-"],
        capture_output=True,
        check=True,
    )
    expected = np.frombuffer(raw.stdout, np.uint8).reshape(3, 64, 48, 3)[1]
    assert np.abs(shown(Sources(library.store, final=True), media, 1).astype(int) - expected).mean() < 4
    wide = tmp_path / "wide.mp4"
    subprocess.run(
        ["ffmpeg", "-v", "error", "-i", str(path), "-vf", "setsar=2/1", "-c:v", "libx264", str(wide)], check=True
    )
    assert probe([wide]).size == (128, 48)
    odd = write_clip(tmp_path / "odd.mkv", moving_frames(3, 63, 47), pix_fmt="yuv444p")
    assert probe([odd]).size == (63, 47)


def pictures(folder: Path, suffix: str, count: int = 3) -> list[Path]:
    paths = []
    for i in range(count):
        picture = moving_frames(count, 40, 30)[i]
        path = folder / f"seq_{i + 8}{suffix}"
        if suffix == ".exr":
            linear = np.dstack([(picture / 255.0) ** 2.2, np.ones((30, 40))]).astype(np.float32)
            write_picture(path, linear, "exr")
        elif suffix == ".png":
            cv2.imwrite(str(path), cv2.cvtColor(picture.astype(np.uint16) * 257, cv2.COLOR_RGB2BGR))
        else:
            cv2.imwrite(str(path), picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 98])
        paths.append(path)
    return paths


@pytest.mark.parametrize("suffix", [".png", ".jpg", ".tif", ".exr"])
def test_sequences_are_read_in_the_order_of_their_numbers(tmp_path: Path, library: Library, suffix: str) -> None:
    paths = pictures(tmp_path, suffix)
    media, record = library.add([(p, p.name) for p in reversed(paths)], "25/1")
    assert (record.kind, record.frames, record.rate, record.size) == ("sequence", 3, "25/1", (40, 30))
    got = shown(Sources(library.store, final=True), media, 2)
    assert np.abs(got.astype(int) - moving_frames(3, 40, 30)[2]).mean() < 6


def test_a_zip_of_pictures_and_a_still_with_alpha(tmp_path: Path, library: Library) -> None:
    with zipfile.ZipFile(tmp_path / "seq.zip", "w") as archive:
        for p in pictures(tmp_path, ".png"):
            archive.write(p, f"inner/{p.name}")
    assert library.add([(tmp_path / "seq.zip", "seq.zip")])[1].frames == 3
    still = np.zeros((20, 30, 4), np.float32)
    still[5:15, 5:25] = [0.5, 0.25, 0.125, 0.5]
    write_picture(tmp_path / "still.png", still, "png")
    _, record = library.add([(tmp_path / "still.png", "Still é ../x.png")])
    assert (record.kind, record.alpha) == ("still", True)
    assert np.abs(read_still(tmp_path / "still.png") - still).max() < 1e-3


def test_bad_files_are_refused_with_one_clear_message(tmp_path: Path, library: Library, clip: Path) -> None:
    data = clip.read_bytes()
    bad = {
        "empty.mp4": b"", "text.mp4": b"this is no film" * 100, "cut.mp4": data[: len(data) // 2], "mislabelled.png": data,
        "noise.zip": b"PK\x03\x04nonsense", "notes.txt": b"hello",
        "huge.png": b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x01\x86\xa0\x00\x01\x86\xa0\x08\x02\x00\x00\x00" + b"\0" * 40,
    }  # fmt: skip
    for name, content in bad.items():
        path = tmp_path / name
        path.write_bytes(content)
        message = error_of(library, path)
        assert 10 < len(message) < 200 and "Traceback" not in message, (name, message)


def test_a_zip_bomb_and_a_path_outside_are_refused(tmp_path: Path, library: Library) -> None:
    with zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.png", b"\0" * 400_000_000)
    assert "unpacks to far more" in error_of(library, tmp_path / "bomb.zip")
    with zipfile.ZipFile(tmp_path / "out.zip", "w") as archive:
        archive.writestr("../../evil.png", b"x")
    assert "outside" in error_of(library, tmp_path / "out.zip")


def test_a_damaged_clip_keeps_what_can_be_read(tmp_path: Path, library: Library) -> None:
    path = write_clip(tmp_path / "long.mkv", moving_frames(40))
    data = path.read_bytes()
    path.write_bytes(data[: int(len(data) * 0.6)])
    _, record = library.add([(path, path.name)])
    assert 10 < record.frames < 40


def test_an_import_can_be_stopped_and_leaves_nothing(library: Library, clip: Path) -> None:
    with pytest.raises(Cancelled):
        library.add([(clip, clip.name)], stop=lambda: True)
    assert left_behind(library) == []


def test_a_reader_that_says_nothing_is_given_up(tmp_path: Path, clip: Path) -> None:
    (tmp_path / "original").mkdir()
    (tmp_path / "original" / "0.mp4").write_bytes(clip.read_bytes())
    with pytest.raises(MediaError, match="too long"):
        run_ingest(tmp_path, "24/1", lambda *a: None, lambda: False, limits=Limits(quiet_s=0.0))


def test_luma_for_tracking_is_the_pictures_own(library: Library, clip: Path) -> None:
    media, _ = library.add([(clip, clip.name)])
    grey = GreyFrames(library.store, media)
    expected = moving_frames(48)[30] @ np.array([0.2126, 0.7152, 0.0722])
    got = (grey.frame(30).astype(float) - 16) / 219 * 255
    assert np.abs(got - expected).mean() < 3
    assert (grey.frame(29) != grey.frame(30)).any()


def linear(code: float) -> float:
    return code / 12.92 if code <= 0.04045 else ((code + 0.055) / 1.055) ** 2.4


def film(path: Path, form: str, sizes: list[int], size: tuple[int, int] = (64, 36)) -> Path:
    target = Target(form, Fraction(24), size)  # type: ignore[arg-type]
    parts, shade = [], 0
    for n, count in enumerate(sizes):
        part = path.parent / f"part{n}{path.suffix}"
        writer = MovieWriter(part, target)
        for _ in range(count):
            pixels = np.zeros((size[1], size[0], 4), np.float32)
            pixels[: size[1] // 2] = [linear(0.02 * shade)] * 3 + [1]
            pixels[..., :3] *= pixels[..., 3:]
            writer.add(pixels)
            shade += 1
        writer.close()
        parts.append((part, count))
    join(parts, path, target)
    return path


@pytest.mark.parametrize(("form", "suffix"), [("h264", ".mp4"), ("prores4444", ".mov")])
def test_parts_of_a_film_join_without_a_seam(tmp_path: Path, library: Library, form: str, suffix: str) -> None:
    path = film(tmp_path / f"film{suffix}", form, [5, 7, 3])
    media, record = library.add([(path, path.name)])
    assert (record.frames, record.rate, record.alpha) == (15, "24/1", form == "prores4444")
    sources = Sources(library.store, final=True)
    levels = [float(shown(sources, media, i)[5, 30].mean()) for i in range(15)]
    assert np.abs(np.array(levels) - 255 * 0.02 * np.arange(15)).max() < 4
    if record.alpha:
        alpha = sources.picture(media, 7, 0)[0].pixels[..., 3]
        assert alpha[5].min() > 0.99 and alpha[-5].max() < 0.01


def test_an_odd_sized_film_gains_one_pixel_of_edge(tmp_path: Path) -> None:
    assert probe([film(tmp_path / "odd.mp4", "h264", [3], (63, 35))]).size == (64, 36)
