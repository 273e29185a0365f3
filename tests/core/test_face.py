"""The face of a demo plate, whose truth is known; and pictures without one."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import texture
from tropein.core.errors import BadInput
from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.track import face_mesh as fm
from tropein.core.track.face import FaceFound, Meshes, box_of, follow_face
from tropein.core.track.file import parse_track
from tropein.core.track.forms.face import FaceFile, face_sample
from tropein.core.track.iris import refined

PLATES = Path(__file__).parents[2] / "demo/plates"
SPAN = (14, 28)  # a blink lies in it


class Pilot:
    """The plate, small and in a corner if asked, or without a face in some frames."""

    def __init__(self, folder: Path, hidden: range = range(0)) -> None:
        store = MediaStore(folder)
        media, _ = borrow(store, [PLATES / "pilot.mp4"])
        self.frames, self.hidden = ColourFrames(store, media), hidden
        self.size = self.frames.size

    def __len__(self) -> int:
        return len(self.frames)

    def rgb(self, index: int) -> np.ndarray:
        picture = self.frames.rgb(index)
        if index in self.hidden:  # something grey before the head
            picture = picture.copy()
            picture[:460, 200:640] = 60
        return picture


@pytest.fixture(scope="module")
def truth() -> list[dict]:
    return json.loads((PLATES / "pilot.truth.json").read_text())["frames"]


@pytest.fixture(scope="module")
def found(tmp_path_factory: pytest.TempPathFactory) -> dict[int, FaceFound]:
    return follow_face(Pilot(tmp_path_factory.mktemp("media")), 14, SPAN)


def test_irises_lie_where_they_are_and_a_blink_is_seen(found: dict[int, FaceFound], truth: list[dict]) -> None:
    gaps = []
    for frame, face in found.items():
        assert face.mesh is not None and not face.lost
        if truth[frame]["eye_open"] > 0.8:
            got = np.array([fm.iris(face.mesh, i)[:2] for i in (fm.RIGHT_IRIS, fm.LEFT_IRIS)])
            gaps.append(got - np.array(truth[frame]["iris_px_viewer_left_right"]))
    offset = np.mean(gaps, 0)
    assert np.linalg.norm(np.array(gaps) - offset, axis=2).mean() < 0.8 and np.abs(offset).max() < 1.5
    closed = {f for f in found if truth[f]["eye_open"] < 0.5}
    seen = {f for f in found if np.mean(found[f].eye_open) < 0.5}
    assert seen and max(abs(min(closed) - min(seen)), abs(max(closed) - max(seen))) <= 1


def test_what_is_tied_to_an_iris_goes_with_it(found: dict[int, FaceFound]) -> None:
    rows = [face_sample(found[f]) for f in sorted(found)]
    file = parse_track(FaceFile(size=(960, 540), rate="24/1", reference_frame=14, frames=rows).dumps())
    path = file.path("left iris")
    moved = path.moved(28, 14)
    assert moved is not None and isinstance(file, FaceFile) and file.frames[0].iris and file.frames[-1].iris
    start, end = np.array(file.frames[0].iris.left[:2]), np.array(file.frames[-1].iris.left[:2])
    assert np.abs(moved @ np.r_[start, 1] - np.r_[end, 1]).max() < 0.01
    pose = np.array(file.frames[0].pose).reshape(4, 4)[:3, :3]
    assert np.allclose(pose.T @ pose, np.eye(3), atol=1e-3) and np.linalg.det(pose) > 0


def test_a_face_that_is_hidden_is_lost_and_found_again(tmp_path: Path) -> None:
    found = follow_face(Pilot(tmp_path, hidden=range(18, 22)), 14, (14, 26))
    assert [f for f in found if found[f].lost] == [18, 19, 20, 21] and found[19].reason


def test_a_picture_without_a_face_is_refused_in_words(tmp_path: Path) -> None:
    with pytest.raises(BadInput, match="No face was found at frame 14"):
        follow_face(Pilot(tmp_path, hidden=range(72)), 14, (14, 16))


def test_a_still_face_stays_still(tmp_path: Path) -> None:
    pilot = Pilot(tmp_path)
    still = pilot.rgb(5).astype(np.float32)
    rng = np.random.default_rng(0)
    frames = [np.clip(still + rng.normal(0, 2, still.shape), 0, 255).astype(np.uint8) for _ in range(12)]
    pilot.rgb = lambda i: frames[i]  # type: ignore[method-assign]
    found = follow_face(pilot, 0, (0, 11))
    with Meshes() as model:
        box = box_of(model.anywhere(frames[0])[0])
        alone = np.array([model.within(f, box)[0][list(fm.RIGID), :2] for f in frames])
    meshes = np.array([found[f].mesh[:, :2] for f in sorted(found)])  # type: ignore[index]
    rigid = meshes[:, list(fm.RIGID)]
    assert rigid.std(0).mean() < 0.7 * alone.std(0).mean()
    assert cv2.norm(rigid.mean(0) - meshes[0][list(fm.RIGID)]) < 10


def test_irises_that_the_mesh_misses_are_found_in_the_picture(tmp_path: Path, found: dict[int, FaceFound]) -> None:
    picture = cv2.cvtColor(Pilot(tmp_path).rgb(14), cv2.COLOR_RGB2GRAY)
    mesh = found[14].mesh
    assert mesh is not None
    off = mesh.copy()
    off[fm.LEFT_IRIS : fm.LEFT_IRIS + 5, :2] += (3, -1.5)
    off[fm.RIGHT_IRIS : fm.RIGHT_IRIS + 5, :2] += (-2, 2)
    for iris in (fm.LEFT_IRIS, fm.RIGHT_IRIS):
        assert np.linalg.norm(refined(picture, off)[iris, :2] - refined(picture, mesh)[iris, :2]) < 0.4
    flat = np.full_like(picture, 120)
    assert np.array_equal(refined(flat, off), off)  # nothing to see: the mesh is believed


class Two:
    """The pilot twice, one of them green and mirrored; they change places while something passes before both."""

    size = (960, 540)

    def __init__(self, folder: Path) -> None:
        face = Pilot(folder).rgb(5)[80:460, 290:670]
        self.one = cv2.resize(face, (300, 300), interpolation=cv2.INTER_AREA)
        self.wall = texture(960, 540, seed=12)
        self.other = (self.one[:, ::-1] * [0.55, 1.0, 0.6]).astype(np.uint8)

    def __len__(self) -> int:
        return 12

    def lefts(self, i: int) -> tuple[int, int]:
        """Left edges of the one and of the other."""
        return (120 if i < 6 else 530) + 3 * i, (530 if i < 6 else 120) - 3 * i

    def rgb(self, i: int) -> np.ndarray:
        picture = self.wall.copy()
        for face, x in zip((self.one, self.other), self.lefts(i), strict=True):
            picture[120:420, x : x + 300] = 60 if i in (5, 6, 7) else face
        return picture


def test_a_face_is_known_by_its_looks_when_another_is_nearer(tmp_path: Path) -> None:
    clip = Two(tmp_path)
    found = follow_face(clip, 0, (0, 11), near=(270.0, 270.0))
    assert [f for f in found if found[f].lost and f < 8] == [5, 6, 7]
    for frame, face in found.items():
        if face.mesh is not None:
            mine, others = (abs(face.mesh[:, 0].mean() - x - 150) for x in clip.lefts(frame))
            assert mine < others, frame
    assert any(not found[f].lost for f in range(8, 12))
