"""Cut-outs: strokes settled on a frame, carried through a clip, kept in a file, and what a layer is cut by."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import texture, write_clip
from tests.core.builders import in_full
from tests.core.test_fine import head, seen
from tests.core.test_fine import outline as hairless
from tests.core.test_mattes import FRAME, SIZE, Stills, outline, shot
from tests.core.test_object import Disc
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, Cancelled
from tropein.core.matte import cutout
from tropein.core.matte.cutout import Stroke
from tropein.core.matte.cutout_file import CutoutFile, packed
from tropein.core.matte.foreground import cleaned
from tropein.core.matte.people import guessed
from tropein.core.matte.two_motions import flows, told
from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.pieces.carry import Carry, carry
from tropein.core.pieces.cutout import CutoutPiece
from tropein.core.pieces.settled import by_frame, mark_of
from tropein.core.raster.colour import DISPLAY, WORKING, convert

PLATES = Path(__file__).parents[2] / "demo/plates"


def truth(clip: Disc, i: int) -> np.ndarray:
    """Where the disc is: its drawn mask, warped as its picture is."""
    box = clip.truth(i)
    x, y = np.meshgrid(np.arange(clip.size[0]) + 0.5, np.arange(clip.size[1]) + 0.5)
    return np.hypot(x - box.centre[0], y - box.centre[1]) < box.sides[0] / 2


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def strokes(clip: Disc, i: int) -> list[Stroke]:
    x, y = clip.truth(i).centre
    r = clip.truth(i).sides[0] / 2
    ring = [(x + 1.5 * r * np.cos(a), y + 1.5 * r * np.sin(a)) for a in np.linspace(0, 6.3, 24)]
    keep = Stroke(True, ((x - 0.6 * r, y), (x + 0.6 * r, y)), 24)
    return [keep, Stroke(True, ((x, y - 0.6 * r), (x, y + 0.6 * r)), 24), Stroke(False, tuple(ring), 12)]


def masks(clip: Disc, drawn: dict[int, list[Stroke]], last: int = 19) -> dict[int, np.ndarray]:
    return {f: c > 127 for f, c in carry(Carry(clip.rgb, clip.size, (0, last), drawn)).items()}


def test_strokes_mark_what_they_cover_and_later_ones_lie_on_top() -> None:
    drawn = [Stroke(True, ((10.0, 20.0), (50.0, 20.0)), 8), Stroke(False, ((30.0, 10.0), (30.0, 30.0)), 4)]
    marks = cutout.marked(drawn, (64, 48), 1.0)
    assert marks[20, 15] == cutout.KEEP and marks[20, 30] == cutout.REMOVE and marks[40, 40] == 0
    assert abs((marks[:, 15] == cutout.KEEP).sum() - 8) <= 1


def test_a_few_strokes_cut_out_a_thing_and_carry_it_both_ways() -> None:
    clip = Disc()
    got = masks(clip, {8: strokes(clip, 8)})
    assert sorted(got) == list(range(20))
    scores = [iou(got[i], truth(clip, i)) for i in range(20)]
    assert scores[8] > 0.97 and min(scores) > 0.93, np.round(scores, 3)


def test_the_same_strokes_give_the_same_matte() -> None:
    clip = Disc()
    cv2.setRNGSeed(1)
    first = carry(Carry(clip.rgb, clip.size, (0, 6), {0: strokes(clip, 0)}))
    cv2.setRNGSeed(99)
    again = carry(Carry(clip.rgb, clip.size, (0, 6), {0: strokes(clip, 0)}))
    assert all(np.array_equal(first[i], again[i]) for i in range(7))


def test_more_strokes_mend_the_stretch_around_them_and_leave_the_rest_alone() -> None:
    clip = Disc()
    drawn = {4: strokes(clip, 4), 9: strokes(clip, 9)}
    before = masks(clip, drawn)
    x, y = clip.truth(14).centre
    bite = {14: [Stroke(False, ((x - 60, y - 46), (x + 60, y - 46)), 30)]}  # its top is not wanted there
    after = masks(clip, drawn | bite)
    assert all(np.array_equal(before[i], after[i]) for i in range(10))
    assert after[14].sum() < 0.95 * before[14].sum() and after[16].sum() < 0.97 * before[16].sum()


def test_nothing_is_carried_across_a_cut_and_a_stop_leaves_nothing_half_done() -> None:
    clip, other = Disc(), texture(400, 260, seed=50)
    shown = clip.rgb
    clip.rgb = lambda i: shown(i) if i < 12 else other  # type: ignore[method-assign]
    assert sorted(masks(clip, {3: strokes(clip, 3)})) == list(range(12))
    beyond = [Stroke(True, ((200.0, 130.0), (220.0, 130.0)), 30), Stroke(False, ((20.0, 20.0), (380.0, 20.0)), 20)]
    assert sorted(masks(clip, {3: strokes(clip, 3), 14: beyond})) == list(range(20))

    def stop(frame: int) -> None:
        raise Cancelled("enough")

    with pytest.raises(Cancelled):
        carry(Carry(clip.rgb, clip.size, (0, 8), {3: strokes(clip, 3)}, stop))


def test_strokes_that_keep_nothing_or_contradict_each_other_are_met_in_words_or_by_the_last() -> None:
    clip = Disc()
    with pytest.raises(BadInput, match="what is to be kept"):
        carry(Carry(clip.rgb, clip.size, (0, 3), {0: [Stroke(False, ((5.0, 5.0), (50.0, 5.0)), 5)]}))
    x, y = clip.truth(0).centre
    over = Stroke(False, ((x - 45, y), (x + 45, y)), 100)
    got = masks(clip, {0: [*strokes(clip, 0), over]}, last=1)
    assert got[0].sum() < 0.3 * truth(clip, 0).sum()


class Hidden(Disc):
    """A disc whose pattern has the colours of the wall: only how it moves tells it."""

    def __init__(self) -> None:
        super().__init__()
        self.skin = texture(200, 200, seed=4) // 2 + np.array([0, 40, 90], np.uint8)


def test_what_moves_with_the_subject_and_what_with_the_ground_is_told_apart() -> None:
    clip = Hidden()
    before, now, after = (clip.rgb(i) for i in (5, 6, 7))
    behind, ahead = flows(before, now), flows(now, after)
    tells = told(before, now, after, truth(clip, 5), behind, ahead)
    assert iou(tells.warped > 0.5, truth(clip, 6)) > 0.95
    there = truth(clip, 6)
    inside, outside = (cv2.distanceTransform(np.uint8(m), cv2.DIST_L2, 3) for m in (there, ~there))
    near_in, near_out = (inside > 3) & (inside < 12), (outside > 3) & (outside < 12)
    assert (tells.odds[near_in] > 0.5).mean() > 0.5 and (tells.odds[near_in] < -1).mean() < 0.03
    assert (tells.odds[near_out] < -0.5).mean() > 0.5 and (tells.odds[near_out] > 1).mean() < 0.03
    # what the disc uncovers on its left was not to be seen before: only the frame after tells
    x = np.arange(clip.size[0])[None] < clip.truth(6).centre[0]
    behind_it = near_out & x & truth(clip, 5)
    alone = told(before, now, None, truth(clip, 5), behind, None)
    assert behind_it.sum() > 40
    assert (tells.odds[behind_it] < 0).mean() > 0.6 and (alone.odds[behind_it] < 0).mean() < 0.1


def test_a_thing_that_looks_like_its_ground_is_carried_by_its_motion() -> None:
    clip = Hidden()
    x, y = clip.truth(0).centre
    r = clip.truth(0).sides[0] / 2
    round_it = tuple((x + 1.05 * r * np.cos(a), y + 1.05 * r * np.sin(a)) for a in np.linspace(0, 6.3, 60))
    whole = Stroke(True, ((x, y),), 1.9 * r)
    got = masks(clip, {0: [Stroke(False, round_it, 5), whole]}, last=14)
    scores = [iou(got[i], truth(clip, i)) for i in range(15)]
    assert scores[0] > 0.9 and min(scores) > 0.88, np.round(scores, 3)


def test_the_edge_loses_the_old_background() -> None:
    """A red subject before green ground: where both mix, the subject's own colour comes back."""
    x = np.arange(80, dtype=np.float32)
    alpha = np.tile(np.clip((46 - x) / 12, 0, 1), (60, 1)).astype(np.float32)
    red, green = np.float32([0.8, 0.1, 0.1]), np.float32([0.05, 0.6, 0.1])
    mixed = alpha[..., None] * red + (1 - alpha[..., None]) * green
    own = cleaned(mixed, alpha, 1.0, 1.0)
    soft = (alpha > 0.2) & (alpha < 1)
    assert np.abs(own - red)[soft].mean() < 0.25 * np.abs(mixed - red)[soft].mean()
    assert np.array_equal(own[alpha == 1], mixed[alpha == 1])
    assert np.array_equal(cleaned(mixed, alpha, 0.0, 1.0), mixed)


def test_files_keep_what_was_carried_and_damage_is_told(tmp_path: Path) -> None:
    frames = {3: np.full((4, 6), 200, np.uint8), 5: np.eye(4, 6, dtype=np.uint8) * 255}
    data = packed(frames, {3: "abc"})
    assert data == packed(frames, {3: "abc"})
    (tmp_path / "c.zip").write_bytes(data)
    file = CutoutFile(tmp_path / "c.zip")
    assert file.frames == {3, 5} and file.strokes == {3: "abc"} and file.coverage(4) is None
    assert np.array_equal(file.coverage(5), frames[5])  # type: ignore[arg-type]
    (tmp_path / "d.zip").write_bytes(data[:-30])
    with pytest.raises(BadInput, match="damaged"):
        CutoutFile(tmp_path / "d.zip")


def test_a_layer_is_cut_by_what_was_carried_or_by_strokes_drawn_since(tmp_path: Path) -> None:
    drawn = [{"frame": 0, "points": [[12, 24], [28, 24]], "width": 10}, {"frame": 0, "keep": False, "points": [[56, 4], [56, 44]], "width": 8}]  # fmt: skip
    piece = {"kind": "cutout", "id": "c", "name": "c", "layer": "over", "strokes": drawn}
    pixels = np.zeros((SIZE[1], SIZE[0], 4), np.float32)
    pixels[..., 3], pixels[..., 1], pixels[:, :32, 0] = 1, 0.5, 0.9  # left half red
    document = shot([piece])
    live = Renderer(Stills(white=pixels), lambda *_: None, 1 << 24).matte(document, "m", 0).plane  # type: ignore[arg-type]
    assert live[:, :28].min() > 0.9 and live[:, 36:].max() < 0.1
    kept = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    kept[10:20, 40:60] = 255
    cutouts = CutoutPiece.model_validate(piece).strokes
    mark = mark_of(by_frame(cutouts)[0])
    for marks, carried in (({0: mark}, True), ({0: "older"}, False)):
        (tmp_path / f"{carried}.zip").write_bytes(packed({0: kept}, marks))
        file = CutoutFile(tmp_path / f"{carried}.zip")
        stored = shot([piece | {"samples": "b" * 32}])
        renderer = Renderer(Stills(white=pixels), lambda *_: None, 1 << 24, lambda name, file=file: file)  # type: ignore[arg-type, misc]
        plane = renderer.matte(stored, "m", 0).plane
        assert (plane[15, 50] > 0.9) == carried and (plane[24, 20] > 0.9) != carried
        assert renderer.frame(stored, 0).fill(FRAME)[..., 3].min() > 0.99  # the plate is under it
    with pytest.raises(BadInput, match="layer"):
        load_shot(shot([piece]).model_dump(mode="json") | in_full(mattes={"m": {"id": "m", "name": "m", "pieces": [piece | {"layer": "gone"}]}}))  # fmt: skip


def test_hair_is_looked_for_within_another_matte_alone(tmp_path: Path) -> None:
    truth = head()
    h, w = truth.shape
    plain = np.uint8(hairless(truth) * 255)
    (tmp_path / "c.zip").write_bytes(packed({0: plain}, {}))
    file = CutoutFile(tmp_path / "c.zip")
    pixels = np.ones((h, w, 4), np.float32)
    pixels[..., :3] = convert(seen(truth, 0) / np.float32(255), DISPLAY, WORKING)
    left = {
        "kind": "shape",
        "id": "s",
        "name": "s",
        "outline": {"value": outline((0, 0), (w / 2, 0), (w / 2, h), (0, h))},
    }
    piece = {"kind": "cutout", "id": "c", "name": "c", "layer": "over", "samples": "b" * 32, "fine": {"value": 34}}
    stored = shot([piece], place={"position": {"value": [w / 2, h / 2]}}).model_dump(mode="json") | {"size": [w, h]}
    for footage in stored["footage"].values():
        footage["size"] = [w, h]
    planes = []
    for within in ([], [{"matte": "h"}], [{"matte": "h", "side": "outside"}]):
        made = {"id": "m", "name": "m", "pieces": [piece | {"fine_within": within}]}
        document = load_shot(stored | in_full(mattes={"m": made, "h": {"id": "h", "name": "h", "pieces": [left]}}))
        renderer = Renderer(Stills(white=pixels), lambda *_: None, 1 << 26, lambda name: file)  # type: ignore[arg-type]
        planes.append(renderer.matte(document, "m", 0).plane)
    whole, inside, outside = planes
    first, second = np.s_[:, : w // 2 - 3], np.s_[:, w // 2 + 3 :]
    assert np.abs(whole - plain / 255).mean() > 0.01
    assert np.abs(inside[second] - plain[second] / 255).max() < 0.01
    assert np.abs(outside[first] - plain[first] / 255).max() < 0.01
    assert (
        np.abs(inside[first] - whole[first]).mean() < 0.005 and np.abs(outside[second] - whole[second]).mean() < 0.005
    )


def test_the_command_line_writes_coverage_and_subject_or_nothing(tmp_path: Path) -> None:
    clip = Disc()
    film = write_clip(tmp_path / "disc.mp4", [clip.rgb(i) for i in range(4)])
    drawn = [{"frame": 1, "keep": s.keep, "points": s.points, "width": s.width} for s in strokes(clip, 1)]
    (tmp_path / "strokes.json").write_text(json.dumps({"strokes": drawn}))
    command = [
        sys.executable,
        "-m",
        "tropein.cli",
        "matte",
        "cutout",
        str(film),
        "-o",
        str(tmp_path / "out"),
        *("--hair", "6", "--holes", "4", "--crumbs", "4"),
        "--strokes",
    ]
    done = subprocess.run([*command, str(tmp_path / "strokes.json")], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    for i in range(4):
        alpha = cv2.imread(str(tmp_path / f"out/alpha_{i:04d}.png"), cv2.IMREAD_UNCHANGED)
        assert alpha.dtype == np.uint16 and iou(alpha > 32767, truth(clip, i)) > 0.93
    assert cv2.imread(str(tmp_path / "out/fg_0003.png"), cv2.IMREAD_UNCHANGED).shape == (260, 400, 4)
    (tmp_path / "wrong.json").write_text('{"strokes": [{"frame": 9, "points": [[1, 2]]}]}')
    command[command.index(str(tmp_path / "out"))] = str(tmp_path / "none")
    refused = subprocess.run([*command, str(tmp_path / "wrong.json")], capture_output=True, text=True)
    assert refused.returncode == 2 and "frame 9" in refused.stderr and not (tmp_path / "none").exists()


def test_a_person_is_guessed_by_strokes_that_keep_to_their_sides(tmp_path: Path) -> None:
    """On the pilot, whose outline by hand-checked strokes is known to the demo: nothing kept lies in the sky, nothing removed on him."""
    media, _ = borrow(MediaStore(tmp_path), [PLATES / "pilot.mp4"])
    pictures = ColourFrames(MediaStore(tmp_path), media)
    picture = pictures.rgb(0)
    pictures.close()
    strokes = guessed(picture)
    assert strokes == guessed(picture)
    assert any(s.keep for s in strokes) and any(not s.keep for s in strokes)
    kept = np.array([p for s in strokes if s.keep for p in s.points])
    left_out = np.array([p for s in strokes if not s.keep for p in s.points])
    head = np.hypot(kept[:, 0] - 480, kept[:, 1] - 200) < 190
    assert (head | (kept[:, 1] > 330)).all()  # on the head, or low enough to be the jumper
    assert (np.hypot(left_out[:, 0] - 480, left_out[:, 1] - 200) > 120).all()
    with pytest.raises(BadInput, match="Nobody"):
        guessed(np.full((180, 320, 3), 128, np.uint8))
