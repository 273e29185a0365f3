"""Bundles, track files and cameras that are not what they say."""

from __future__ import annotations

import gzip
import json
import random
import struct
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.app.test_bundles import tropein
from tropein.app.jobs.bundles import take_in
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.work.ingest import shot_on
from tropein.app.settings import Settings
from tropein.app.store import shelf, shots
from tropein.app.store.database import transaction
from tropein.core.compose.artefacts import Artefacts
from tropein.core.errors import BadInput, TropeinError
from tropein.core.interchange import cameras
from tropein.core.interchange.bundle import write_bundle
from tropein.core.limited import Limits, run
from tropein.core.track.file import parse_track
from tropein.core.track.forms.camera import CameraFile, CameraSample, SolveFacts
from tropein.core.track.forms.point import PointFile, PointSample
from tropein.core.tracks.point import PointTrack


@pytest.fixture
def bundle(context: WorkContext, clip: Path, tmp_path: Path) -> Path:
    """A shot with a track, as a file; the shot itself stands in the database."""
    media, record = context.library.add([(clip, "wall.mp4")])
    row = [
        PointSample(frame=i, confidence=1, lost=False, points=[(10.0 + i, 20.0)], point_confidence=[1])
        for i in range(48)
    ]
    samples = context.artefacts.put_track(PointFile(size=(320, 180), rate="24/1", reference_frame=0, frames=row))
    with transaction(context.engine) as session:
        shot = shot_on(shelf.footage_of(shelf.add(session, media, "wall", record, [])))
        track = PointTrack.at((10, 20), id="nail", name="Nail", footage=next(iter(shot.footage)), samples=samples)
        shot = shot.model_copy(update={"tracks": {"nail": track}})
        shots.create(session, shot)
    out = tmp_path / "shot.tropein"
    write_bundle(shot, context.library.store, context.artefacts, out)
    return out


def changed(bundle: Path, change: Callable[[str, bytes], bytes | None]) -> Path:
    """A copy whose files went through `change`."""
    out = bundle.with_name("changed.tropein")
    with zipfile.ZipFile(bundle) as source, zipfile.ZipFile(out, "w") as target:
        for info in source.infolist():
            data = change(info.filename, source.read(info))
            if data is not None:
                target.writestr(info.filename, data)
    return out


def moved(name: str, data: bytes) -> bytes:
    if not name.startswith("tracks/"):
        return data
    track = json.loads(gzip.decompress(data))
    track["frames"][0]["points"] = [[99.0, 99.0]]
    return gzip.compress(json.dumps(track).encode())


def bomb(name: str, data: bytes) -> bytes:
    return gzip.compress(b" " * (400 << 20), 9) if name.startswith("tracks/") else data


CHANGES: dict[str, Callable[[str, bytes], bytes | None]] = {
    "moved points": moved,
    "half a track": lambda n, d: d[: len(d) // 2] if n.startswith("tracks/") else d,
    "a bomb": bomb,
    "no track": lambda n, d: None if n.startswith("tracks/") else d,
    "other media": lambda n, d: d[:-1] + b"!" if n.startswith("media/") else d,
    "deep": lambda n, d: b"[" * 100_000 if n == "shot.json" else d,
    "no words": lambda n, d: b"\xff\xfe" if n == "shot.json" else d,
    "another kind": lambda n, d: b"[]" if n == "shot.json" else d,
}


@pytest.mark.parametrize("name", CHANGES)
def test_a_changed_bundle_stores_nothing_and_harms_nothing(context: WorkContext, bundle: Path, name: str) -> None:
    before = {p: p.read_bytes() for p in context.settings.home.rglob("*") if p.is_file()}
    with pytest.raises(BadInput) as caught:
        take_in(context, changed(bundle, CHANGES[name]))
    assert 8 < len(caught.value.message) < 300
    after = {p: p.read_bytes() for p in context.settings.home.rglob("*") if p.is_file()}
    assert before == after
    with transaction(context.engine) as session:
        assert len(shots.all_shots(session)) == 1


def test_flipped_bits_and_locked_zips_are_one_line_from_the_command_line(
    settings: Settings, context: WorkContext, bundle: Path, tmp_path: Path
) -> None:
    data = bundle.read_bytes()
    rng = random.Random(4)
    bad = {"cut": data[: len(data) // 2], "flags": _with_flag(data)}
    for i in range(4):
        flipped = bytearray(data)
        for _ in range(40):
            flipped[rng.randrange(len(flipped) - 400, len(flipped)) if i % 2 else rng.randrange(len(flipped))] ^= (
                1 << rng.randrange(8)
            )
        bad[f"flipped {i}"] = bytes(flipped)
    for name, content in bad.items():
        path = tmp_path / f"{name}.tropein"
        path.write_bytes(content)
        done = tropein(settings, "shot", "import", str(path))
        assert done.returncode in (0, 2) and "Traceback" not in done.stderr, (name, done.stderr)
        if done.returncode == 2:
            assert len(done.stderr.strip().splitlines()) == 1, done.stderr
    named = changed(
        bundle, lambda n, d: d.replace(b'"name": "wall"', b'"name": "wa\\u0000ll"') if n == "shot.json" else d
    )
    done = tropein(settings, "shot", "import", str(named))
    assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 1, done.stderr
    for name in ("no such shot", "x" * 400):
        done = tropein(settings, "render", name, "-o", str(tmp_path / "x.mp4"))
        assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 1, done.stderr


def _with_flag(data: bytes) -> bytes:
    """Every file marked as encrypted."""
    out = bytearray(data)
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        i = out.find(mark)
        while i >= 0:
            out[i + at] |= 1
            i = out.find(mark, i + 4)
    return bytes(out)


def test_a_good_bundle_still_comes_in(context: WorkContext, bundle: Path) -> None:
    state = take_in(context, bundle)
    assert state.document["tracks"]["nail"]["samples"]


def test_a_damaged_track_file_is_said_to_be(tmp_path: Path) -> None:
    artefacts = Artefacts(tmp_path)
    name = artefacts.put_track(PointFile(size=(1, 1), rate="24/1", reference_frame=0, frames=[]))
    data = bytearray(artefacts.file(name).read_bytes())
    data[15] ^= 0x55
    for bad in (bytes(data), data[:10], b"", b"\x1f\x8b", b"{}", b"[" * 5000):
        with pytest.raises(BadInput):
            parse_track(bytes(bad))


LIKE = CameraFile(
    size=(640, 360), rate="24/1", reference_frame=0, focal_px=600, principal_point=(320, 180), points3d=[(0, 0, 5)] * 9,
    solve=SolveFacts(kind="free", reprojection_px=0.2),
    frames=[CameraSample(frame=i, confidence=1, lost=False, world_to_camera=[1, 0, 0, -i / 9, 0, 1, 0, 0, 0, 0, 1, 0]) for i in range(5)],
)  # fmt: skip
USDA = """#usda 1.0
(
    {head}
)
def Xform "S" (
    {prim}
)
{{
    def Camera "C"
    {{
        float focalLength = 50
        {camera}
    }}
}}
"""


@pytest.mark.parametrize(
    ("head", "prim", "camera", "says"),
    [
        ("subLayers = [@/etc/passwd@]", "", "", "other files"),
        ("", "references = @/etc/hostname@", "", "other files"),
        ("", "payload = @./other.usd@</S>", "", "other files"),
        ("", 'clips = {\n dictionary default = {\n asset[] assetPaths = [@a.usd@]\n string primPath = "/S"\n } \n }', "", "other files"),
        ("", "", "float horizontalAperture = 0", "aperture"),
        ("", "", "float horizontalAperture = nan", "damaged"),
    ],
)  # fmt: skip
def test_a_scene_that_leads_elsewhere_or_has_no_lens_is_refused(head: str, prim: str, camera: str, says: str) -> None:
    text = USDA.format(head=head, prim=prim, camera=camera)
    with pytest.raises(BadInput, match=says):
        cameras.read(text.encode(), "camera.usda", LIKE)


def test_a_scene_that_wants_all_memory_ends_its_reader_only() -> None:
    data = cameras.written(LIKE, "usdc")
    wanting = data.replace(struct.pack("<Q", 9), struct.pack("<Q", 1 << 31))  # so many points, it says
    for bad in (wanting, data[: len(data) // 2]):
        with pytest.raises(TropeinError):
            cameras.read_limited(bad, "camera.usdc", LIKE)
    with pytest.raises(TropeinError, match="memory|stop"):
        run("tests.faults.test_bundles_damaged:hungry", [], Limits(memory_bytes=600 << 20, quiet_s=20, total_s=20))


def hungry(say: Any) -> int:
    return len(np.ones(1 << 31))


def noisy(say: Any) -> str:
    import os

    os.write(1, b'a library\'s warning\n{"error": "not ours"}\n')
    print("and another")  # noqa: T201
    say({"half": 1})
    return "done"


def test_what_a_library_prints_is_not_taken_for_an_answer() -> None:
    heard: list[Any] = []
    assert run("tests.faults.test_bundles_damaged:noisy", [], Limits(), heard.append) == "done"
    assert heard == [{"half": 1}]


def test_damaged_cameras_are_refused_or_read_never_worse() -> None:
    """In this very process, where anything but our own error would show."""
    rng = random.Random(7)
    for form in ("glb", "gltf"):
        good = cameras.written(LIKE, form)  # type: ignore[arg-type]
        for i in range(60):
            data = bytearray(good[: rng.randrange(8, len(good))] if i % 5 == 0 else good)
            for _ in range(1 + i % 7):
                data[rng.randrange(len(data))] = rng.randrange(256)
            try:
                assert cameras.read(bytes(data), f"camera.{form}", LIKE).frames
            except BadInput as error:
                assert 8 < len(error.message) < 400
    document = json.loads(cameras.written(LIKE, "gltf"))
    for path, value in ((("nodes", 0, "camera"), 7), (("nodes", 0, "rotation"), [0, 0, 0, 0]), (("cameras", 0, "perspective", "yfov"), 0),
                        (("animations", 0, "samplers", 0, "input"), 99), (("accessors", 0, "count"), -1)):  # fmt: skip
        broken = json.loads(json.dumps(document))
        at = broken
        for part in path[:-1]:
            at = at[part]
        at[path[-1]] = value
        try:
            cameras.read(json.dumps(broken).encode(), "camera.gltf", LIKE)
        except BadInput as error:
            assert len(error.message) < 400


def test_an_exr_that_warns_is_refused_in_words(context: WorkContext, tmp_path: Path) -> None:
    from tropein.core.media.encode import write_picture

    write_picture(tmp_path / "a.exr", np.ones((64, 64, 4), np.float32), "exr")
    data = (tmp_path / "a.exr").read_bytes()
    (tmp_path / "cut.exr").write_bytes(data[: len(data) * 2 // 3])
    with pytest.raises(BadInput) as caught:
        context.library.add([(tmp_path / "cut.exr", "cut.exr")])
    assert "cut.exr" in caught.value.message or "0.exr" in caught.value.message
