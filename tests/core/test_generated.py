"""Generated pictures: exact where there is a closed form, the same from any frame and worker, at any scale."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from tropein.core.animate.ride import Path as Way
from tropein.core.commands import do as give
from tropein.core.compose.alone import alone
from tropein.core.compose.places import Places
from tropein.core.compose.render import Renderer
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import Shot
from tropein.core.document.content import CONTENTS, starting
from tropein.core.errors import BadInput, NotFound
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.raster.blend import MODES
from tropein.core.raster.bolts import PIECE, bolt, halo, lines
from tropein.core.raster.bolts import Way as BoltWay
from tropein.core.raster.colour import to_display
from tropein.core.raster.flare import Parts, flare
from tropein.core.raster.flight import BIRTH, counts, flown, tile
from tropein.core.raster.specks import SPECK, specks

SIZE = (320, 180)
MADE = [
    (kind, start)
    for kind in ("particles", "arcs", "flare", "instrument", "text", "beams")
    for start in CONTENTS.of(kind).starts
]


def shot_of(kind: str, begun: str = "", size: tuple[int, int] = SIZE, /, **values: Any) -> Shot:
    content = {"kind": kind, **CONTENTS.of(kind).begun(begun, size), **starting(**values)}
    layer = {"id": "it", "name": "It", "content": content, "place": {"position": {"value": (size[0] / 2, size[1] / 2)}}}
    facts = {"name": "Test", "size": size, "rate": "24/1", "frames": 2000, "trim": (0, 1999)}
    return Shot.model_validate({**facts, "layers": {"it": layer}, "stack": ["it"]})


def drawn(shot: Shot, frame: float, folder: Path, scale: float = 1.0) -> np.ndarray:
    renderer = Renderer(Sources(MediaStore(folder), final=True), lambda *_: None, 64 << 20)  # type: ignore[arg-type]
    planner = renderer.planner(shot, scale)
    return renderer.run(planner.plan(frame)).fill(planner.frame_window)


@pytest.mark.parametrize(("kind", "start"), MADE)
def test_half_a_preview_is_the_final_picture_reduced(kind: str, start: str, tmp_path: Path) -> None:
    shot = shot_of(kind, start, (960, 540))
    whole, half = (drawn(shot, 60, tmp_path, scale) for scale in (1.0, 0.5))
    small = cv2.resize(whole, (480, 270), interpolation=cv2.INTER_AREA)
    off = to_display(half, np.uint16).astype(float) - to_display(small, np.uint16)
    assert whole[..., :3].max() > 0.01 and np.abs(off).mean() / 65535 <= 0.002
    assert half[..., :3].sum() * 4 == pytest.approx(whole[..., :3].sum(), rel=0.01)


def test_a_frame_alone_is_the_frame_in_order_whatever_was_drawn_before(tmp_path: Path) -> None:
    shot = shot_of("particles", "Embers")
    renderer = Renderer(Sources(MediaStore(tmp_path), final=True), lambda *_: None, 64 << 20)  # type: ignore[arg-type]
    planner = renderer.planner(shot)
    in_order = [renderer.run(planner.plan(f)).fill(planner.frame_window) for f in range(895, 901)][-1]
    assert in_order.max() > 0 and np.array_equal(drawn(shot, 900, tmp_path), in_order)


def birth(**values: float) -> np.ndarray:
    known = {"life": 5.0, "drag": 1.0, "eddy": 100.0, **values}
    return np.array([[known.get(name, 0.0) for name in BIRTH]] * 2)


def test_flight_through_still_air_is_the_closed_form() -> None:
    rows = birth(x=10.0, y=20.0, speed=100.0, drag=2.0, fall=30.0, wind_x=5.0)
    found, _, of = flown(3, 0, np.array([400, 0]), rows, 24.0, 48.0)
    age = found[:, 6]
    e = np.exp(-2.0 * age)
    x = 10 + 5 * age + (100 - 5) * (1 - e) / 2  # the fan is nothing: all go to the right
    y = 20 + 15 * age - 15 * (1 - e) / 2  # it falls at 30 / 2 in the end
    assert len(found) == 400 and set(of) == {0}
    assert np.abs(found[:, :2] - np.stack([x, y], 1)).max() < 1e-8
    assert np.diff(np.sort(age)).max() < 2 / 400 / 24 + 1e-9  # one in each equal part of the frame


def test_turbulence_neither_gathers_nor_thins_and_boils() -> None:
    field = tile()
    spread = sum(np.roll(field[..., i], -1, 2 - i) - np.roll(field[..., i], 1, 2 - i) for i in range(3)) / 2
    assert (field**2).sum(-1).mean() == pytest.approx(1, abs=1e-4) and np.abs(spread).max() < 1e-5
    still, boils = (flown(1, 0, np.array([50, 0]), birth(turbulence=80.0, boil=b), 24.0, 40.0)[0] for b in (0.0, 2.0))
    assert np.abs(still[:, :2] - boils[:, :2]).max() > 5


def test_an_early_rate_changes_no_later_birth() -> None:
    expected = np.full(200, 1.7)
    before = counts(5, -20, expected, 10_000)
    expected[:60] *= 4
    after = counts(5, -20, expected, 10_000)
    assert np.array_equal(before[60:], after[60:]) and before.sum() == pytest.approx(340, abs=40)
    assert counts(5, 0, np.full(100, 1e5), 10_000).sum() <= 10_100


def one(x: float, y: float, radius: float, dx: float = 0.0, cover: float = 0.0) -> np.ndarray:
    named = {
        "x": x,
        "y": y,
        "dx": dx,
        "radius": radius,
        "opacity": 1.0,
        "red": 1.0,
        "green": 1.0,
        "blue": 1.0,
        "cover": cover,
    }
    return np.array([[named.get(name, 0.0) for name in SPECK]], np.float32)


def test_a_speck_gives_as_much_light_wherever_it_lies_and_however_it_moves() -> None:
    for radius in (0.2, 0.7, 1.4, 5.0):
        sums = [specks(one(20 + k / 7, 20 + k / 5, radius), 40, 40)[..., 0].sum() for k in range(8)]
        assert sums == pytest.approx([math.pi / 3 * radius**2] * 8, rel=5e-3)
    moving = specks(one(40, 20, 4, dx=30.0), 40, 80)[..., 0].sum()
    assert moving == pytest.approx(math.pi / 3 * 16, rel=5e-3)
    solid = specks(np.concatenate([one(20, 20, 6, cover=1.0)] * 40), 40, 40)
    assert solid[20, 20, 3] > 0.99 and solid[20, 20, 0] <= 1.001


@pytest.mark.parametrize("nothing", [{"rate": 0.0}, {"life": 0.0}, {"radius": 0.0}, {"opacity": 0.0}])
def test_particles_of_nothing_are_an_empty_picture(nothing: dict[str, float], tmp_path: Path) -> None:
    assert drawn(shot_of("particles", **nothing), 30, tmp_path).max() == 0


def test_a_rate_of_a_million_is_held_to_what_can_be_drawn(tmp_path: Path) -> None:
    pixels = drawn(shot_of("particles", "Sparks", rate=1e6, radius=0.2), 30, tmp_path, 0.25)
    assert np.isfinite(pixels).all() and pixels.max() > 0


@pytest.mark.parametrize("mode", MODES)
def test_light_that_covers_nothing_is_added_in_every_mode_and_can_be_graded(mode: str, tmp_path: Path) -> None:
    document = shot_of("arcs", glow=3.0, start=(40.0, 30.0), end=(280.0, 150.0)).model_dump(mode="json")
    ground = shot_of("fill", colour=(0.2, 0.1, 0.05)).model_dump(mode="json")["layers"]["it"] | {"id": "ground"}
    grade = {
        "kind": "grade",
        "id": "g",
        "exposure": {"value": -1.0},
        "black": {"value": 0.05},
        "saturation": {"value": 0.5},
    }
    lit = document["layers"]["it"]
    lit |= {"blend": mode, "opacity": {"value": 0.5}, "effects": {"g": grade}, "chain": ["g"]}
    document |= {"layers": {"it": lit, "ground": ground}, "stack": ["it", "ground"]}
    shot = Shot.model_validate(document)
    seen = {}
    for rows in (True, False):
        renderer = Renderer(Sources(MediaStore(tmp_path), final=True), lambda *_: None, 64 << 20, by_rows=rows)  # type: ignore[arg-type]
        planner = renderer.planner(shot)
        seen[rows] = renderer.run(planner.plan(5)).fill(planner.frame_window)
    assert np.percentile(np.abs(seen[True] - seen[False]), 99.9) < 2e-3
    added = seen[True][..., :3] - np.array([0.2, 0.1, 0.05])
    assert (
        added.min() > -1e-3 and added.max() > 0.5 and np.abs(added[170, 10]).max() < 2e-3
    )  # where there is no light the lifted black adds none


WAY = BoltWay(0.2, 0.6, 3.0, 5, 0.3)


def test_a_bolt_goes_from_end_to_end_grows_and_rests_between_jumps() -> None:
    a, b = np.array([20.0, 30.0]), np.array([200.0, 90.0])
    main = bolt(4, a, b, 1.0, WAY, 0.4)[:128]
    assert main[0, :2] == pytest.approx(a) and main[-1, 2:4] == pytest.approx(b)
    assert np.abs(main[1:, :2] - main[:-1, 2:4]).max() < 1e-9
    half = bolt(4, a, b, 1.0, WAY, 0.4, grown=0.5)
    assert half[:60, 5].min() > 0 and half[80:128, 5].max() == 0
    middles = [bolt(4, a, b, 1.0, WAY, t / 24)[64, :2] for t in range(48)]
    moved = np.linalg.norm(np.diff(middles, axis=0), axis=1)
    assert (moved < 1e-9).sum() > 20 and (moved > 0.5).sum() >= 2
    assert len(bolt(4, a, a, 1.0, WAY, 0.0)) == 0 and len(bolt(4, a, b, 1.0, WAY, 0.0, grown=0.0)) == 0


def test_lines_neither_bead_nor_gap_at_their_joints_and_glow_keeps_their_light() -> None:
    x = np.linspace(10, 90, 24)
    pieces = np.array([[*p, 20.5, *q, 20.5, 3.0, 1.0] for p, q in zip(x[:-1, None], x[1:, None], strict=True)])
    assert pieces.shape[1] == len(PIECE)
    plane = lines(pieces, 41, 100)
    along = plane[20, 16:84]
    assert along.max() - along.min() < 0.02 and along.mean() == pytest.approx(1, abs=0.1)
    wide = np.zeros((200, 200), np.float32)
    wide[100, 100] = 1
    assert halo(wide, 12.0, 1.0).sum() == pytest.approx(1, rel=0.01)


def test_a_flare_is_its_closed_form_and_dims_where_it_leaves_the_frame(tmp_path: Path) -> None:
    parts = Parts(1.0, 0.0, 0.0, 0.0, 0.0, 320.0)
    light = flare(180, 320, (160.0, 90.0), parts, 1, 6, 0, 0.0, core=0.0)
    q = 100.5 / 320
    assert light[90, 260, 0] == pytest.approx(
        0.00022 / (q * q + 0.00012) + 0.006 / (1 + (q / 0.16) ** 2) ** 1.5, rel=0.03
    )
    sums = [
        drawn(shot_of("flare", centre=(x, 90.0), ghosts=0.0, halo=0.0), 0, tmp_path)[..., 0].sum()
        for x in (40.0, 0.0, -9.0)
    ]
    assert sums[0] > 3 * sums[1] > 0 and sums[2] == 0


def test_instrument_parts_cover_what_geometry_says(tmp_path: Path) -> None:
    plain = {
        "glow": 0.0,
        "light": 1.0,
        "colour": (1.0, 1.0, 1.0),
        "centre": (160.0, 90.0),
        "radius": 60.0,
        "thick": 4.0,
    }
    whole = drawn(shot_of("instrument", **plain), 0, tmp_path)[..., 0].sum()
    assert whole == pytest.approx(2 * math.pi * 60 * 4, rel=5e-3)
    for more, share in (
        ({"span": 90.0}, 0.25),
        ({"parts": 12.0, "gap": 0.5}, 0.5),
        ({"parts": 40.0, "gap": 0.75, "span": 180.0}, 0.125),
    ):
        part = drawn(shot_of("instrument", **plain, **more), 7, tmp_path)[..., 0].sum()
        assert part == pytest.approx(whole * share, rel=0.03)
    assert drawn(shot_of("instrument", **{**plain, "thick": 0.25}), 0, tmp_path)[..., 0].sum() == pytest.approx(
        whole / 16, rel=0.05
    )


def riding(kind: str, name: str) -> tuple[Shot, Places]:
    """A content whose point rides on a track that goes 3 px right and 1 down a frame, and is lost from frame 20 on."""
    document = shot_of(kind, **{name: (100.0, 60.0)}).model_dump(mode="json")
    document["footage"] = {
        "f": {"id": "f", "name": "F", "kind": "clip", "media": "0" * 32, "size": SIZE, "rate": "24/1", "frames": 48}
    }
    document["tracks"] = {
        "t": {"kind": "point", "id": "t", "name": "T", "footage": "f", "samples": "1" * 32, "reference_frame": 0}
    }
    document["layers"]["it"]["content"][f"{name}_ride"] = {"track": "t", "reference_frame": 0, "gaps": "hide"}
    shot = Shot.model_validate(document)
    frames = np.arange(48.0)
    way = Way(frames, np.stack([100 + 3 * frames, 60 + frames], 1)[:, None], frames < 20)
    return shot, Places(shot, lambda *_: way)


def test_points_of_what_is_made_ride_and_what_was_born_stays_behind(tmp_path: Path) -> None:
    shot, places = riding("instrument", "centre")
    matrices = ride_matrices(places, 10)
    assert matrices["it:centre"] is not None and matrices["it:centre"][:2, 2] == pytest.approx([30, 10])
    assert ride_matrices(places, 40)["it:centre"] is None
    still = {
        "speed": 0.0,
        "turbulence": 0.0,
        "fall": 0.0,
        "area": (0.0, 0.0),
        "breakup": 0.0,
        "radius": 3.0,
        "life_varies": 0.0,
        "life": 0.4,
        "rate": 240.0,
    }
    shot, places = riding("particles", "source")
    content = shot.layers["it"].content.model_copy(
        update={k: v for k, v in shot_of("particles", **still).layers["it"].content if k in still}
    )
    shot = shot.model_copy(update={"layers": {"it": shot.layers["it"].model_copy(update={"content": content})}})
    renderer = Renderer(Sources(MediaStore(tmp_path), final=True), places.paths, 64 << 20)
    planner = renderer.planner(shot)
    seen = renderer.run(planner.plan(15)).fill(planner.frame_window)[..., 3]
    columns = np.flatnonzero(seen.max(0) > 1e-3)
    assert 100 + 3 * (15 - 9.6) - 6 < columns.min() < columns.max() < 100 + 45 + 6 and len(columns) > 25
    assert renderer.run(planner.plan(30)).fill(planner.frame_window).max() == 0  # hidden where the track is lost
    # carried by the same track, all of it is where the source is
    ride = content.source_ride.model_copy(update={"gaps": "hold"})
    carried = shot.layers["it"].content.model_copy(update={"carried_ride": ride})
    shot = shot.model_copy(update={"layers": {"it": shot.layers["it"].model_copy(update={"content": carried})}})
    planner = renderer.planner(shot)
    columns = np.flatnonzero(renderer.run(planner.plan(15)).fill(planner.frame_window)[..., 3].max(0) > 1e-3)
    assert 145 - 6 < columns.min() < columns.max() < 145 + 6


def test_a_start_is_laid_in_as_it_looks_in_the_shots_own_frame() -> None:
    shot = Shot(name="Test", size=(1920, 1080), rate="24/1", frames=10, trim=(0, 9))
    arguments = {"content": {"kind": "particles", "seed": {"value": 7}}, "start": "Embers", "point": (11, 12)}
    after = give(shot, "add-layer", arguments)[0]
    layer = next(iter(after.layers.values()))
    assert layer.name == "Embers" and layer.content.radius.value == 4.0 and layer.content.speed.value == 120.0
    assert layer.content.source.value == (11, 12) and layer.content.seed.value == 7 and layer.content.rate.value == 60
    with pytest.raises(BadInput, match="no start called"):
        give(shot, "add-layer", {"content": {"kind": "particles"}, "start": "Bees"})


def test_small_pictures_to_choose_by(tmp_path: Path) -> None:
    renderer = Renderer(Sources(MediaStore(tmp_path), final=True), lambda *_: None, 64 << 20)  # type: ignore[arg-type]
    smoke, sparks = (alone(renderer, "particles", start, 60, 160) for start in ("Smoke", "Sparks"))
    assert smoke.shape == (90, 160, 3) and smoke[0, 0, 0] > 100 > 60 > sparks[0, 0, 0]
    with pytest.raises(NotFound):
        alone(renderer, "particles", "Bees", 0, 160)


def test_trails_are_earlier_pictures_where_they_lay_the_newest_in_front(tmp_path: Path) -> None:
    plain = {"glow": 0.0, "light": 1.0, "covers": 1.0, "colour": (1.0, 1.0, 1.0), "radius": 4.0, "thick": 8.0}
    document = shot_of("instrument", centre=(20.0, 90.0), **plain).model_dump(mode="json")
    layer = document["layers"]["it"]
    ends = [{"frame": f, "value": [20.0 + 10 * f, 90.0], "ease": "linear"} for f in (0, 28)]
    layer["content"]["centre"] = {"value": [20.0, 90.0], "keys": ends}
    trails = {
        "kind": "trails",
        "id": "t",
        "count": {"value": 3},
        "every": {"value": 4},
        "first": {"value": 0.5},
        "keep": {"value": 0.5},
    }
    layer |= {"meets": {"t": trails | {"tint": {"value": [1.0, 0.5, 1.0]}}}, "meeting": ["t"]}
    seen = drawn(Shot.model_validate(document), 20, tmp_path)
    assert [round(float(seen[90, x, 3]), 2) for x in (220, 180, 140, 100, 60)] == [1.0, 0.5, 0.25, 0.12, 0.0]
    assert seen[90, 180, 1] == pytest.approx(0.25, abs=0.01) and seen[90, 140, 1] == pytest.approx(0.0625, abs=0.01)
    early = drawn(Shot.model_validate(document), 2, tmp_path)  # before the first frame it stood where it begins
    assert early[90, 40, 3] > 0.99 and early[90, 20, 3] > 0.4 and np.isfinite(early).all()


def test_stutter_holds_where_it_lay_and_change_shows_only_what_moved(tmp_path: Path) -> None:
    plain = {"glow": 0.0, "light": 1.0, "covers": 1.0, "colour": (1.0, 1.0, 1.0), "radius": 4.0, "thick": 8.0}
    document = shot_of("instrument", centre=(20.0, 90.0), **plain).model_dump(mode="json")
    layer = document["layers"]["it"]
    ends = [{"frame": f, "value": [20.0 + 10 * f, 90.0], "ease": "linear"} for f in (0, 28)]
    layer["content"]["centre"] = {"value": [20.0, 90.0], "keys": ends}

    def seen(frame: int, **meet: Any) -> Any:
        met = layer | {"meets": {"m": {"id": "m"} | meet}, "meeting": ["m"]}
        return drawn(Shot.model_validate(document | {"layers": {"it": met}}), frame, tmp_path)

    held = seen(14, kind="stutter", hold={"value": 6})
    assert held[90, 140, 3] > 0.99 and held[90, 160, 3] == 0
    runs = [seen(f, kind="stutter", hold={"value": 6}, often={"value": 0.0}) for f in (13,)]
    assert runs[0][90, 150, 3] > 0.99
    changed = seen(20, kind="difference", back={"value": 4}, gain={"value": 1.0})
    assert changed[90, 220, 0] > 0.9 and changed[90, 180, 0] > 0.9 and changed[90, 100].max() == 0


def test_text_stands_where_it_is_said_at_any_size_and_comes_letter_by_letter(tmp_path: Path) -> None:
    words = {"text": "IIII\nII", "height": 60.0, "at": (160.0, 90.0), "align": "left", "weight": 800.0}
    seen = drawn(shot_of("text", **words), 0, tmp_path)[..., 3]
    rows, columns = np.flatnonzero(seen.max(1) > 0.5), np.flatnonzero(seen.max(0) > 0.5)
    assert 160 <= columns[0] < 170 and columns[-1] < 260  # from the place to the right
    assert abs((rows[0] + rows[-1]) / 2 - 90) < 1.5 and np.ptp(rows) == pytest.approx(60 * (0.73 + 1.25), abs=3)
    strokes = (np.diff((seen[rows[0] + 10] > 0.5).astype(int)) == 1).sum()
    assert strokes == 4
    middle = drawn(shot_of("text", **words | {"align": "middle"}), 0, tmp_path)[..., 3]
    across = np.flatnonzero(middle.max(0) > 0.5)
    assert abs((across[0] + across[-1]) / 2 - 159.5) < 1.0
    half = [drawn(shot_of("text", **words | {"by": "type", "shown": s}), 0, tmp_path)[..., 3] for s in (0.0, 0.5, 1.0)]
    assert half[0].max() == 0 and np.array_equal(half[2], seen)
    assert (np.diff((half[1][rows[0] + 10] > 0.5).astype(int)) == 1).sum() == 3 and half[1][rows[-1] - 5].max() == 0
    fading = drawn(shot_of("text", **words | {"shown": 0.4}), 0, tmp_path)[..., 3]
    levels = fading[rows[0] + 10][columns]
    assert 0 < levels[levels > 0.02].min() < 0.9 and fading.max() <= seen.max()
    odd = drawn(shot_of("text", text="\u0915\u0301\u2003 \U0001f600" * 100, height=20.0), 0, tmp_path)
    assert np.isfinite(odd).all() and drawn(shot_of("text", text="", height=0.0), 0, tmp_path).max() == 0
    with pytest.raises(ValueError, match="2000"):
        shot_of("text", text="x" * 10_000)  # a page of words, not a book
