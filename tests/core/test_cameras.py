"""Cameras out to glTF and USD and back, tracks trimmed and made into one, places drawn outside of the picture."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from tests.core.test_object import Disc
from tests.core.test_track import Synthetic
from tropein.core.animate.camera import at
from tropein.core.errors import BadInput
from tropein.core.interchange.cameras import read, written
from tropein.core.track.box import Box, ObjectFound
from tropein.core.track.edit import combined, trimmed
from tropein.core.track.file import parse_track
from tropein.core.track.follow import Wish, follow
from tropein.core.track.forms.camera import CameraFile, CameraSample, SolveFacts
from tropein.core.track.forms.object import ObjectFile, object_sample
from tropein.core.track.forms.point import PointFile, point_sample
from tropein.core.track.point import Anchor, Found
from tropein.core.track.strip import strip

SIZE = (960, 540)
POINTS = np.array([[0.5, -0.2, 6], [-1, 0.4, 7], [0.2, 0.9, 5.0]])


def solved(frames: int = 12, lost: tuple[int, ...] = (5,)) -> CameraFile:
    """A camera that sways, turns past half a circle and is lost once."""
    rows = []
    for i in range(frames):
        turn = Rotation.from_euler("yxz", [0.04 * i, 0.02 * np.sin(i), 0.01 * i]).as_matrix()
        where = np.array([0.1 * i, 0.05 * np.sin(i), 0.02 * i])
        pose = np.c_[turn, -turn @ where]
        gone = i in lost
        rows.append(CameraSample(frame=i + 3, confidence=0.0 if gone else 1.0, lost=gone, world_to_camera=None if gone else pose.ravel().tolist()))  # fmt: skip
    cloud = [tuple(p) for p in POINTS.tolist()]
    facts = SolveFacts(kind="free", reprojection_px=0.2)
    return CameraFile(size=SIZE, rate="24000/1001", reference_frame=3, focal_px=1100, principal_point=(480, 270), points3d=cloud, solve=facts, frames=rows)  # type: ignore[arg-type]  # fmt: skip


def seen(file: CameraFile, frame: int, points: np.ndarray) -> np.ndarray:
    camera = at(file.path("camera"), frame)
    assert camera is not None
    p = np.c_[points, np.ones(len(points))] @ camera.pose[:3].T
    return p[:, :2] / p[:, 2:] * camera.focal + camera.centre


@pytest.mark.parametrize("form", ["glb", "gltf", "usda", "usdc"])
def test_a_camera_that_goes_out_and_comes_back_sees_the_same(form: str) -> None:
    file = solved()
    data = written(file, form)  # type: ignore[arg-type]
    again = read(data, f"camera.{form}", file.model_copy(update={"frames": [], "points3d": [], "focal_px": 1}))
    assert [s.frame for s in again.frames] == [s.frame for s in file.frames if not s.lost]
    assert np.allclose(again.points3d, POINTS, atol=1e-5) and abs(again.focal_px - 1100) < 0.01
    for row in again.frames:
        assert np.abs(seen(again, row.frame, POINTS) - seen(file, row.frame, POINTS)).max() < 0.02, row.frame


@pytest.mark.parametrize("form", ["glb", "gltf", "usda", "usdc"])
def test_how_the_lens_bends_goes_along_as_a_note(form: str) -> None:
    bent = solved().model_copy(update={"radial": -0.0713})
    data = written(bent, form)  # type: ignore[arg-type]
    assert read(data, f"camera.{form}", bent.model_copy(update={"radial": 0.2})).radial == -0.0713


def test_a_note_that_is_no_lens_counts_for_nothing() -> None:
    bent = solved().model_copy(update={"radial": -0.0713})
    text, like = written(bent, "gltf").decode(), bent.model_copy(update={"radial": 0.2})
    for note in ('{"radial":"much"}', '{"radial":1e9}', '{"radial":true}', "{}", "null"):
        doc = json.loads(text)
        doc["cameras"][0]["extras"] = json.loads(note)
        assert read(json.dumps(doc).encode(), "c.gltf", like).radial == 0
    usd = written(bent, "usda").decode()
    assert read(usd.replace("-0.0713", "nan").encode(), "c.usda", like).radial == 0


def test_the_tracks_own_world_goes_out_with_it() -> None:
    """Twice as large, turned a quarter about the upright and lifted: what is seen of the points moved alike stays."""
    world = np.eye(4)
    world[:3, :3] = 2 * Rotation.from_euler("y", 90, degrees=True).as_matrix()
    world[:3, 3] = [1, -2, 3]
    file = solved()
    again = read(written(file, "usda", world.ravel().tolist()), "c.usda", file)
    moved = POINTS @ world[:3, :3].T + world[:3, 3]
    assert np.allclose(again.points3d, moved, atol=1e-4)
    assert np.abs(seen(again, 9, moved) - seen(file, 9, POINTS)).max() < 0.02


def test_y_is_up_and_the_camera_looks_along_minus_z_in_the_file() -> None:
    doc = json.loads(written(solved(), "gltf"))
    first = next(n for n in doc["nodes"] if n.get("camera") == 0)
    assert np.allclose(first["rotation"], [0, 0, 0, 1], atol=1e-6)  # ours looks along +z with y down: the same thing
    cloud = doc["accessors"][3]
    assert cloud["max"][1] > 0.1 and cloud["max"][2] < 0  # what is above is at +y, what is before it at -z
    text = written(solved(), "usda").decode()
    assert 'upAxis = "Y"' in text and "focalLength" in text


def test_files_that_hold_no_camera_are_refused_in_words() -> None:
    like = solved()
    for name, data, why in (
        ("a.glb", b"nonsense", "glTF"),
        ("a.usda", b"nonsense", "USD"),
        ("a.usda", b'#usda 1.0\ndef Xform "a" {}\n', "no camera"),
        ("a.gltf", b'{"asset": {"version": "2.0"}}', "no camera"),
        (
            "a.gltf",
            b'{"asset": {"version": "2.0"}, "buffers": [{"uri": "/etc/hostname", "byteLength": 4}]}',
            "their own data",
        ),
        ("a.fbx", b"", "read from"),
    ):
        with pytest.raises(BadInput, match=why):
            read(data, name, like)
    with pytest.raises(BadInput, match="no solved camera"):
        written(solved(2, lost=(0, 1)), "glb")


def test_the_command_line_turns_tracks_into_cameras_and_tables_and_back(tmp_path: Path) -> None:
    (tmp_path / "t.json").write_bytes(solved().dumps())
    plates = Path(__file__).parents[2] / "demo/plates"
    for out, given in (("c.glb", "t.json"), ("t.csv", "t.json"), ("c.usda", "t.json"), ("back.json", "c.glb")):
        clip = ["--clip", str(plates / "quay.mp4")] if given == "c.glb" else []
        command = [
            sys.executable,
            "-m",
            "tropein.cli",
            "track",
            "convert",
            str(tmp_path / given),
            "-o",
            str(tmp_path / out),
            *clip,
        ]
        result = subprocess.run(command, capture_output=True, text=True)
        assert result.returncode == 0, result.stderr
    back = parse_track((tmp_path / "back.json").read_bytes())
    assert isinstance(back, CameraFile) and back.size == SIZE and len(back.points3d) == 3
    assert (tmp_path / "t.csv").read_text().count("\n") == 13


def points(start: tuple[float, float], speed: tuple[float, float], lost: range = range(0)) -> PointFile:
    rows = [point_sample(i, [Found(i, (start[0] + speed[0] * i, start[1] + speed[1] * i), 0.0 if i in lost else 0.9, i in lost)]) for i in range(10)]  # fmt: skip
    return PointFile(size=SIZE, rate="24/1", reference_frame=0, frames=rows)


def test_several_points_become_one_and_the_one_that_runs_away_does_not_count() -> None:
    files = [
        points((10, 10), (2, 1)),
        points((50, 20), (2, 1), range(4, 7)),
        points((30, 60), (2.02, 1)),
        points((80, 80), (9, -4)),
    ]
    one = combined(files, 0)
    assert len(one.frames) == 10 and not any(s.lost for s in one.frames)
    start, end = (np.array(one.frames[i].points[0]) for i in (0, 9))
    assert np.allclose(start, [42.5, 42.5]) and np.allclose(end - start, [18, 9], atol=0.2)
    assert one.frames[9].confidence == 0.75 and one.frames[5].confidence == 0.5
    with pytest.raises(BadInput, match="go to a frame"):
        combined(files, 5)
    with pytest.raises(BadInput, match="two tracks"):
        combined(files[:1], 0)


def test_a_track_is_trimmed_but_never_to_nothing() -> None:
    assert [s.frame for s in trimmed(points((1, 1), (1, 1)), 3, 5).frames] == [3, 4, 5]
    with pytest.raises(BadInput, match="Nothing"):
        trimmed(points((1, 1), (1, 1)), 50, 60)


def test_places_drawn_outside_of_the_picture_count_as_they_are() -> None:
    clip = Synthetic()
    drawn = [Anchor(16, (-20.0, 50.0)), Anchor(20, (-60.0, 70.0))]
    found, _ = follow(clip, Anchor(0, tuple(clip.truth(0))), drawn, Wish((0, 23)))
    assert found[16].xy == (-20.0, 50.0) and found[20].xy == (-60.0, 70.0) and not found[18].lost
    assert np.allclose(found[18].xy, (-40, 60))
    assert np.linalg.norm(np.array(found[10].xy) - clip.truth(10)) < 0.3  # what is seen is still followed


def test_the_patch_strip_stands_still_where_the_track_is_true() -> None:
    clip = Disc()
    true = [ObjectFound(i, clip.truth(i), 0.9, False) for i in range(12)]
    drifting = [ObjectFound(f.frame, Box(f.box.centre + [2.0 * f.frame, 0], f.box.sides, f.box.angle_deg), 0.9, False) for f in true]  # fmt: skip
    moved = []
    for boxes in (true, drifting):
        file = ObjectFile(size=clip.size, rate="24/1", reference_frame=0, frames=[object_sample(b) for b in boxes])
        row = strip(file, clip, [0, 6, 11, 30]).astype(float)
        assert row.shape == (64, 256, 3) and (row[:, 192:] == 38).all()  # nothing was found at frame 30
        inner = [row[16:48, 64 * i + 16 : 64 * i + 48] for i in range(3)]
        moved.append(np.abs(inner[0] - inner[2]).mean())
    assert moved[0] < 0.4 * moved[1], moved
    rows = [point_sample(i, [Found(i, tuple(clip.truth(i).centre), 0.9, False)]) for i in range(3)]
    point = PointFile(size=clip.size, rate="24/1", reference_frame=0, frames=rows)
    assert strip(point, clip, [1]).std() > 10 and (strip(point, clip, [1], point=4) == 38).all()
