"""Mattes: exact shapes, soft edges, joining, cutting, riding, keys, and what the document refuses."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

import av
import cv2
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.core.builders import in_full
from tropein.core.animate.ride import Path
from tropein.core.checks.hidden import guard
from tropein.core.compose.loop import render_part
from tropein.core.compose.plan import Planner
from tropein.core.compose.render import Renderer
from tropein.core.compose.view import cut_alone, display_matte
from tropein.core.document import Animated, Shot, TimeMap
from tropein.core.document.upgrade import load_shot
from tropein.core.effects import run
from tropein.core.errors import BadInput
from tropein.core.matte import chroma, difference, ranges
from tropein.core.matte.screen import find
from tropein.core.matte.subsampled import restored
from tropein.core.media.coded import Coded
from tropein.core.media.source import read_still
from tropein.core.pieces.face import FacePiece
from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert
from tropein.core.raster.coverage import Coverage, Joining, combine, cut, full, grown, mix_where, seen_from, softened
from tropein.core.raster.outline import area, fill, flatten
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import translation
from tropein.core.raster.yuv import Cells
from tropein.core.tracks.face import FaceTrack

SIZE = (64, 48)
FRAME = Window(0, 0, *SIZE)


def outline(*points: tuple[float, float], **more: Any) -> dict[str, Any]:
    return {"points": [{"at": p, **more} for p in points]}


BOX = outline((10, 10), (30, 10), (30, 34), (10, 34))


def shape(at: dict[str, Any] | None = None, id: str = "s", **more: Any) -> dict[str, Any]:
    return {"kind": "shape", "id": id, "name": id, "outline": {"value": at or BOX}, **more}


def shot(pieces: list[dict[str, Any]], **layer: Any) -> Shot:
    """A grey plate of 0.18 under a white still, which is cut by the matte unless told otherwise."""
    footage = {
        i: {
            "id": i,
            "name": i,
            "media": m * 32,
            "kind": "still",
            "size": SIZE,
            "frames": 1,
            "rate": "24/1",
            "alpha": False,
        }
        for i, m in (("plate", "0"), ("white", "1"))
    }
    place = {"position": {"value": [SIZE[0] / 2, SIZE[1] / 2]}}
    layers = {
        "over": {
            "kind": "footage",
            "id": "over",
            "name": "over",
            "footage": "white",
            "place": place,
            "cut": [{"matte": "m"}],
        }
        | layer,
        "plate": {"kind": "footage", "id": "plate", "name": "plate", "footage": "plate", "place": place},
    }
    track = {"kind": "point", "id": "t", "name": "t", "footage": "plate", "position": [0, 0], "samples": "a" * 32}
    return load_shot(
        {
            "schema_version": 2, "name": "mattes", "size": SIZE, "rate": "24/1", "frames": 20, "trim": [0, 19], "footage": footage,
            "layers": layers, "stack": ["over", "plate"], "plate": "plate", "tracks": {"t": track},
            "mattes": {"m": {"id": "m", "name": "m", "pieces": pieces}},
        }
    )  # fmt: skip


class Stills:
    """White for media 1..., grey for 0...; `pictures` replaces them."""

    def __init__(self, **pictures: np.ndarray) -> None:
        self.pictures = pictures

    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        name = "plate" if media[0] == "0" else "white"
        pixels = self.pictures.get(name)
        if pixels is None:
            pixels = np.full((SIZE[1], SIZE[0], 4), 0.18 if name == "plate" else 1.0, np.float32)
            pixels[..., 3] = 1
        return Coded(pixels, WORKING)


def path(samples: str, spot: str = "") -> Path:
    frames = np.arange(20.0)
    return Path(frames, np.stack([frames * 2, frames * 0], 1)[:, None], np.ones(20, bool))


def drawn(document: Shot, frame: float = 0, stills: Stills | None = None) -> np.ndarray:
    renderer = Renderer(stills or Stills(), path, 1 << 24)  # type: ignore[arg-type]
    return renderer.frame(document, frame).fill(FRAME)[..., 0]


def coverage(document: Shot, frame: float = 0, stills: Stills | None = None, scale: float = 1.0) -> np.ndarray:
    renderer = Renderer(stills or Stills(), path, 1 << 24)  # type: ignore[arg-type]
    return renderer.matte(document, "m", frame, scale).plane


def supersampled(vertices: np.ndarray, window: Window, k: int = 16) -> np.ndarray:
    """What is wound once or more, by looking at k x k places in every pixel."""
    y, x = np.mgrid[0 : window.height * k, 0 : window.width * k]
    x, y = (x + 0.5) / k + window.x0, (y + 0.5) / k + window.y0
    winding = np.zeros(x.shape, int)
    for (ax, ay), (bx, by) in zip(vertices, np.roll(vertices, -1, 0), strict=True):
        if ay == by:
            continue
        (lx, ly), (hx, hy), sign = ((ax, ay), (bx, by), 1) if ay < by else ((bx, by), (ax, ay), -1)
        winding += sign * ((y >= ly) & (y < hy) & (x > lx + (y - ly) * (hx - lx) / (hy - ly)))
    return (winding != 0).reshape(window.height, k, window.width, k).mean((1, 3))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000))
def test_coverage_is_exact_inside_and_across_the_borders(seed: int) -> None:
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, 7))
    at = np.c_[32 + 40 * rng.uniform(0.3, 1, 7) * np.cos(angle), 24 + 30 * rng.uniform(0.3, 1, 7) * np.sin(angle)]
    got, truth = area(at, FRAME), supersampled(at, FRAME)
    edge = (truth > 0) & (truth < 1)
    assert np.abs(got - truth)[~edge].max() < 0.04  # slivers the samples do not see
    assert np.abs(got - truth)[edge].mean() < 0.015  # what 16 x 16 samples themselves can tell apart


def test_curves_are_followed() -> None:
    k = 0.5523 * 15  # a circle out of four cubics
    at = np.array([[32, 9], [47, 24], [32, 39], [17, 24.0]])
    after = np.array([[k, 0], [0, k], [-k, 0], [0, -k]])
    vertices, _ = flatten(at, -after, after, np.zeros((4, 2)), True)
    assert area(vertices, FRAME).sum() == pytest.approx(np.pi * 15**2, rel=2e-3)


def test_a_soft_edge_runs_from_its_outer_to_its_inner_reach() -> None:
    at = np.array([[20, -200], [300, -200], [300, 300], [20, 300.0]])
    row = fill(at, np.tile([[6.0, 4.0]], (4, 1)), FRAME).plane[24]
    assert row[13] == 0 and row[25] == 1
    assert np.all(np.diff(row[13:25]) > 0)
    assert row[19] == pytest.approx(0.55**2 * (3 - 2 * 0.55), abs=0.02)  # 0.5 px outside of the outline
    assert fill(at, np.zeros((4, 2)), FRAME, grow=3.5).plane[24, 16] == pytest.approx(0.5, abs=0.02)


def test_a_stroke_is_as_wide_as_it_is_told() -> None:
    line = np.array([[5, 24], [60, 24.0]])
    plane = fill(line, np.zeros((2, 2)), FRAME, closed=False, grow=3).plane
    assert plane[:, 30].sum() == pytest.approx(6, abs=0.05)


def test_pieces_join_as_they_say() -> None:
    half, all_ = full(FRAME, 0.5), full(FRAME, 1.0)
    joined = lambda how, *more: combine([half, half], [Joining("add"), Joining(how, *more)], FRAME).plane[0, 0]
    assert joined("add") == pytest.approx(0.75)
    assert joined("subtract") == pytest.approx(0.25)
    assert joined("intersect") == pytest.approx(0.25)
    assert joined("add", 0.5) == pytest.approx(0.625)
    assert combine([half], [Joining("add")], FRAME) is half  # nothing to join it with
    assert combine([half], [Joining("add", 0.5)], FRAME).plane[0, 0] == pytest.approx(0.25)
    assert combine([all_], [Joining("add", 1.0, True)], FRAME).plane.max() == 0
    assert combine([half], [Joining("subtract")], FRAME).plane[0, 0] == pytest.approx(0.5)  # from everything


def test_edges_grow_shrink_and_soften() -> None:
    box = Coverage(area(np.array([[20, 14], [44, 14], [44, 34], [20, 34.0]]), FRAME), FRAME)
    assert grown(box, 3).plane[24].sum() == pytest.approx(30)
    assert grown(box, -2.5).plane[24].sum() == pytest.approx(19)
    soft = softened(box, 3)
    assert soft.plane.sum() == pytest.approx(box.plane.sum(), rel=0.01)
    assert 0.4 < soft.plane[24, 20] < 0.6


def test_a_layer_is_cut_inside_or_outside_by_several_mattes() -> None:
    inside = drawn(shot([shape()]))
    assert inside[20, 20] == pytest.approx(1) and inside[5, 5] == pytest.approx(0.18, abs=1e-3)
    outside = drawn(shot([shape()], cut=[{"matte": "m", "side": "outside"}]))
    assert outside[20, 20] == pytest.approx(0.18, abs=1e-3) and outside[5, 5] == pytest.approx(1)
    none = drawn(shot([shape()], cut=[{"matte": "m"}, {"matte": "m", "side": "outside"}]))
    assert none.max() == pytest.approx(0.18, abs=1e-3)
    shrunk = drawn(shot([shape()], cut=[{"matte": "m", "grow": {"value": -5}}]))
    assert shrunk[12, 12] == pytest.approx(0.18, abs=1e-3) and shrunk[20, 20] == pytest.approx(1)


def test_a_matte_without_pieces_cuts_nothing_and_one_whose_pieces_have_ended_cuts_all() -> None:
    assert drawn(shot([])).min() == pytest.approx(1)
    ended = shot([shape(span=[0, 3])])
    assert drawn(ended, 3)[20, 20] == pytest.approx(1)
    assert drawn(ended, 4).max() == pytest.approx(0.18, abs=1e-3)


def test_an_effect_is_limited_on_a_layer_that_lies_somewhere_else() -> None:
    """The matte stays where it is in the shot, however the layer is placed."""
    darker = {"kind": "grade", "id": "g", "exposure": {"value": -2}, "cut": [{"matte": "m"}]}
    place = {"position": {"value": [SIZE[0] / 2 + 6, SIZE[1] / 2]}}
    got = drawn(shot([shape()], cut=[], effects=[darker], place=place))
    assert got[20, 20] == pytest.approx(0.25, abs=0.01)
    assert got[20, 40] == pytest.approx(1, abs=0.01)
    assert got[20, 31] == pytest.approx(1, abs=0.05) and got[20, 28] == pytest.approx(0.25, abs=0.05)


def test_shapes_ride_and_travel_between_keys() -> None:
    ride = {"track": "t", "reference_frame": 0}
    riding = coverage(shot([shape(ride=ride)]), 5)  # ten pixels to the right
    assert riding[20, 12] == 0 and riding[20, 35] == 1
    later = outline((20, 10), (40, 10), (40, 34), (20, 34))
    keys = [{"frame": 0, "value": BOX, "ease": "linear"}, {"frame": 10, "value": later}]
    keyed = shot([shape() | {"outline": {"value": BOX, "keys": keys}}])
    assert coverage(keyed, 5)[20].sum() == pytest.approx(20)
    assert coverage(keyed, 5)[20, 15] == 1 and coverage(keyed, 5)[20, 14] == 0
    open_long = shot([shape(ride=ride, motion_blur=True)]).model_copy(update={"shutter_deg": 720})
    blurred = coverage(open_long, 5)
    assert 0.4 < blurred[20, 20] < 0.8 and 0.1 < blurred[20, 18] < 0.4 and blurred[20, 30] == pytest.approx(1)
    half = coverage(keyed, 5, scale=0.5)
    assert half.shape == (24, 32) and half[10].sum() == pytest.approx(10, abs=0.01)


def test_luma_and_colour_ranges_keep_what_they_name() -> None:
    rgb = np.zeros((4, 4, 3), np.float32)
    rgb[0], rgb[1], rgb[2] = (0.8, 0.05, 0.05), (0.05, 0.6, 0.05), (0.7, 0.7, 0.7)
    kept = ranges.luma(rgb, 0.5, 4, 0.05)
    assert kept[2, 0] == 1 and kept[3, 0] == 0
    red = ranges.colour(rgb, ranges.ColourRange(0, 60, 0.2, 0, 4, 0.2))
    assert red[0, 0] == pytest.approx(1) and red[1, 0] == 0 and red[2, 0] == 0 and red[3, 0] == 0


def keyed_plate(seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A soft grey disc before an unevenly lit green screen, with a little grain: (rgb, alpha, the disc's own light)."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:180, 0:240]
    alpha = np.clip((60 - np.hypot(x - 120, y - 90)) / 12 + 0.5, 0, 1)[..., None]
    screen = np.array([0.04, 0.45, 0.08]) * (0.7 + 0.6 * x / 240)[..., None]
    subject = np.array([0.35, 0.3, 0.28]) * (0.8 + 0.2 * np.sin(x / 9))[..., None]
    rgb = alpha * subject + (1 - alpha) * screen + rng.normal(0, 0.004, (180, 240, 3))
    return rgb.astype(np.float32).clip(0), alpha[..., 0], (alpha * subject)


@pytest.mark.parametrize("picked", [None, (0.04, 0.45, 0.08)])
def test_a_screen_is_keyed_and_its_light_taken_out(picked: tuple[float, float, float] | None) -> None:
    rgb, truth, light = keyed_plate(3)
    screen = find(rgb, picked, 1.0)
    assert screen is not None and screen.key == 1
    keying = chroma.Keying()
    alpha = chroma.coverage(rgb, screen, keying)
    assert np.abs(alpha - truth).mean() < 0.012
    assert alpha[:, :20].max() < 0.07 and alpha[:, :20].mean() < 0.004 and alpha[90, 120] == 1
    colour = chroma.unmixed(rgb, screen, alpha, keying)
    band = (truth > 0.2) & (truth < 0.8)
    left = colour[..., :3] * alpha[..., None]
    assert np.abs(left - light)[band].mean() < 0.02
    assert (left[..., 1] - np.maximum(left[..., 0], left[..., 2]))[band].max() < 0.05


def test_colour_lost_to_subsampling_comes_back_along_brightness() -> None:
    y, x = np.mgrid[0:64, 0:96]
    rgb = (
        np.where((x + y // 8) % 12 < 3, 0.6, 0.0)[..., None] * np.array([1.0, 0.8, 0.5])
        + np.array([0.03, 0.3, 0.05]) * 0.4
    )
    shown = convert(rgb.astype(np.float32), WORKING, DISPLAY)
    luma = (shown @ LUMA)[..., None]
    chroma = cv2.resize(
        cv2.resize(shown - luma, (48, 32), interpolation=cv2.INTER_AREA), (96, 64), interpolation=cv2.INTER_LINEAR
    )
    coarse = convert(np.maximum(luma + chroma, 0).astype(np.float32), DISPLAY, WORKING)
    assert np.abs(restored(coarse, Cells()) - rgb).mean() < 0.6 * np.abs(coarse - rgb).mean()


def test_no_screen_is_found_where_there_is_none() -> None:
    grey = np.full((90, 120, 3), 0.2, np.float32) + np.random.default_rng(0).normal(0, 0.002, (90, 120, 3)).astype(
        np.float32
    )
    assert find(grey, None, 1.0) is None
    assert find(np.zeros((90, 120, 3), np.float32), None, 1.0) is None
    assert find(grey, (0.0, 0.6, 0.0), 1.0) is None


def test_a_keyed_layer_lies_over_the_plate_without_its_screen() -> None:
    rgb, truth, _ = keyed_plate(5)
    pixels = np.ones((180, 240, 4), np.float32)
    pixels[..., :3] = rgb
    place = {"position": {"value": [32, 24]}, "scale": {"value": [64 / 240, 64 / 240]}}
    piece = {"kind": "chroma", "id": "k", "name": "key", "layer": "over"}
    document = shot([piece], place=place)
    document = document.model_copy(
        update={
            "footage": {**document.footage, "white": document.footage["white"].model_copy(update={"size": (240, 180)})}
        }
    )
    picture = Renderer(Stills(white=pixels), path, 1 << 24).frame(document, 0).fill(FRAME)  # type: ignore[arg-type]
    assert picture[2, 2, :3] == pytest.approx([0.18] * 3, abs=0.01)
    assert picture[24, 32, 0] == pytest.approx(0.3, abs=0.06)
    assert (picture[..., 1] - np.maximum(picture[..., 0], picture[..., 2])).max() < 0.02  # no green anywhere
    without = load_shot(
        document.model_dump(mode="json") | {**in_full(mattes={"m": {"id": "m", "name": "m", "pieces": []}})}
    )
    assert Renderer(Stills(white=pixels), path, 1 << 24).frame(without, 0).fill(FRAME)[2, 2, 1] > 0.2  # type: ignore[arg-type]


def test_a_layer_cut_outside_its_own_key_keeps_its_screen() -> None:
    rgb, _, _ = keyed_plate(5)
    pixels = np.ones((180, 240, 4), np.float32)
    pixels[..., :3] = rgb
    place = {"position": {"value": [32, 24]}, "scale": {"value": [64 / 240, 64 / 240]}}
    piece = {"kind": "chroma", "id": "k", "name": "key", "layer": "over"}
    document = shot([piece], place=place, cut=[{"matte": "m", "side": "outside"}])
    large = document.footage["white"].model_copy(update={"size": (240, 180)})
    document = document.model_copy(update={"footage": {**document.footage, "white": large}})
    picture = Renderer(Stills(white=pixels), path, 1 << 24).frame(document, 0).fill(FRAME)  # type: ignore[arg-type]
    assert picture[2, 2, 1] > 0.2 and picture[24, 32, :3] == pytest.approx([0.18] * 3, abs=0.01)


def test_a_piece_that_shows_nothing_covers_nothing() -> None:
    gone = {"kind": "luma", "id": "l", "name": "l", "layer": "plate", "how": "intersect"}
    document = shot([shape(), gone], cut=[])
    hidden = document.layers["plate"].model_copy(
        update={"time": TimeMap.model_validate({"end": "nothing", "start": 50})}
    )
    clip = document.footage["plate"].model_copy(update={"kind": "clip"})
    document = document.model_copy(
        update={"layers": {**document.layers, "plate": hidden}, "footage": {**document.footage, "plate": clip}}
    )
    assert coverage(document).max() == 0


def test_steps_keep_their_keys_until_a_piece_changes() -> None:
    key = lambda document: Planner(document, Stills(), path).plan(0).key
    assert key(shot([shape()])) == key(shot([shape()]))
    assert key(shot([shape()])) != key(shot([shape(grow={"value": 1})]))
    assert key(shot([shape()])) != key(shot([shape(how="subtract")]))


def test_views_of_a_matte() -> None:
    document = shot([shape()])
    renderer = Renderer(Stills(), path, 1 << 24)  # type: ignore[arg-type]
    made = renderer.matte(document, "m", 0)
    alone = renderer.frame(cut_alone(document, "m"), 0)
    assert display_matte(alone, made, "matte")[20, 20, 0] == 255
    assert display_matte(alone, made, "on-black")[5, 5].max() == 0
    assert display_matte(alone, made, "on-white")[5, 5].min() == 255
    tinted = display_matte(renderer.frame(document, 0), made, "matte-tint")
    assert int(tinted[20, 20, 0]) - int(tinted[20, 20, 1]) > 20 and tinted[5, 5, 0] == tinted[5, 5, 1]


def test_pictures_are_cut_and_mixed_where_they_lie() -> None:
    over = Picture(np.ones((10, 10, 4), np.float32), Window(20, 20, 30, 30))
    left = Coverage(np.zeros((48, 64), np.float32), FRAME)
    left.plane[:, :25] = 1
    assert cut(over, left).pixels[..., 3].sum() == 50
    mixed = mix_where(over, Picture(over.pixels * 0, over.window), left, 0.5)
    assert mixed.pixels[0, 0, 0] == 0.5 and mixed.pixels[0, 9, 0] == 1
    assert seen_from(left, translation(5, 0), Window(0, 0, 64, 48)).plane[0].sum() == pytest.approx(20, abs=0.01)


@pytest.mark.parametrize(
    ("pieces", "says"),
    [
        ([shape(outline((1, 1), (2, 2)))], "at least three points"),
        ([shape(), shape()], "exactly once"),
        ([shape() | {"outline": {"value": BOX, "keys": [{"frame": 0, "value": BOX}, {"frame": 4, "value": outline((0, 0), (1, 0), (1, 1))}]}}], "same number of points"),
        ([shape(ride={"track": "gone"})], "not in the shot"),
        ([{"kind": "chroma", "id": "k", "name": "k", "layer": "gone"}], "looks at a layer that is not in the shot"),
        ([{"kind": "face", "id": "f", "name": "f", "track": "t"}], "looks for a face in something that is not a face track"),
        ([{"kind": "layer", "id": "l", "name": "l", "layer": "over"}], "cut out of itself"),
        ([{"kind": "cutout", "id": "c", "name": "c", "layer": "over", "fine_within": [{"matte": "gone"}]}], "is cut by a matte that is not in the shot"),
        ([{"kind": "cutout", "id": "c", "name": "c", "layer": "over", "fine_within": [{"matte": "m"}]}], "cut out of itself"),
    ],
)  # fmt: skip
def test_mattes_that_do_not_hold_together_are_refused(pieces: list[dict[str, Any]], says: str) -> None:
    with pytest.raises(BadInput, match=says):
        shot(pieces)


def test_an_outline_that_crosses_itself_is_filled_and_one_far_outside_is_empty() -> None:
    eight = outline((10, 10), (40, 34), (40, 10), (10, 34))
    filled = coverage(shot([shape(eight)]))
    assert filled[22, 13] == 1 and filled[22, 37] == 1 and filled[12, 25] == 0
    assert coverage(shot([shape(outline((1e5, 0), (1e5 + 9, 0), (1e5, 9)))])).max() == 0


def state_of(document: Shot, shift: float, frame: int, lost: bool) -> str:
    angle = np.linspace(0, 2 * np.pi, 36, endpoint=False)

    def oval(samples: str, spot: str = "") -> Path:
        frames = np.arange(20.0)
        points = np.stack([32 + 12 * np.cos(angle), 24 + 15 * np.sin(angle)], 1)[None].repeat(20, 0)
        points[frame] += shift if samples[0] == "b" else 0
        good = np.ones(20, bool)
        good[frame] = not lost
        return Path(frames, points, good, "similarity")

    tracks = {t: FaceTrack(id=t, name=t, footage="plate", samples=t[0] * 32) for t in ("a", "b")}
    pieces = {i: p.model_copy(update={"track": "a"}) for i, p in document.mattes["m"].pieces.items()}
    document = document.model_copy(
        update={"tracks": tracks, "mattes": {"m": document.mattes["m"].model_copy(update={"pieces": pieces})}}
    )
    return guard(Renderer(Stills(), oval, 1 << 24), document, "m", "b", frame).state  # type: ignore[arg-type]


def face_shot(grow: float) -> Shot:
    document = shot([])
    piece = FacePiece(id="f", name="f", track="a", part="oval", grow=Animated(value=grow))
    return document.model_copy(
        update={
            "mattes": {"m": document.mattes["m"].model_copy(update={"pieces": {piece.id: piece}, "order": [piece.id]})}
        }
    )


@pytest.mark.parametrize(
    ("grow", "shift", "lost", "state"),
    [
        (4, 0, False, "hidden"),
        (0, 0, False, "shows"),
        (4, 6, False, "shows"),
        (6, 2, False, "hidden"),
        (4, 0, True, "unsure"),
    ],
)
def test_a_face_that_is_not_wholly_hidden_is_told(grow: float, shift: float, lost: bool, state: str) -> None:
    assert state_of(face_shot(grow), shift, 4, lost) == state


def test_mosaic_cells_are_even_and_do_not_crawl() -> None:
    rng = np.random.default_rng(0)
    picture = Picture(rng.random((48, 64, 4)).astype(np.float32), FRAME)
    whole = run("mosaic", picture, {"size": 8.0}, 1.0)
    assert np.ptp(whole.pixels[8:16, 16:24], axis=(0, 1)).max() < 1e-6
    assert whole.pixels[8, 16] == pytest.approx(picture.pixels[8:16, 16:24].mean((0, 1)), abs=1e-5)
    cropped = run("mosaic", picture.crop(Window(8, 8, 64, 48)), {"size": 8.0}, 1.0)
    assert cropped.pixels[0, 0] == pytest.approx(whole.pixels[8, 8], abs=1e-5)


def test_a_difference_key_keeps_what_is_new_and_lets_its_shadow_pass() -> None:
    rng = np.random.default_rng(2)
    empty = (0.1 + 0.5 * rng.random((60, 80, 1)) * np.float32([1, 0.8, 0.6])).astype(np.float32)
    now = empty + rng.normal(0, 0.004, empty.shape).astype(np.float32)
    now[10:30, 10:30] = [0.05, 0.1, 0.5]  # something blue
    now[40:55, 40:70] *= 0.7  # its shadow
    found = difference.coverage(now.astype(np.float32), empty, difference.Difference(0.12, 0.12, 0.4))
    assert found[13:27, 13:27].min() > 0.9
    assert found[43:52, 43:67].max() < 0.1 and found[:8].max() < 0.1
    harsh = difference.coverage(now.astype(np.float32), empty, difference.Difference(0.12, 0.12, 0.0))
    assert harsh[43:52, 43:67].mean() > 0.5


def test_a_difference_key_sees_the_layer_against_one_of_its_own_frames() -> None:
    piece = {"kind": "difference", "id": "d", "name": "d", "layer": "over"}
    pixels = np.full((SIZE[1], SIZE[0], 4), 0.5, np.float32)
    pixels[..., 3] = 1
    renderer = Renderer(Stills(white=pixels), path, 1 << 24)  # type: ignore[arg-type]
    assert renderer.matte(shot([piece]), "m", 0).plane.max() == 0  # a still is its own median
    assert renderer.matte(shot([piece | {"clean_frame": 0, "invert": True}]), "m", 0).plane.min() == 1


def test_only_a_matte_is_written_with_its_values_as_they_are(tmp_path: FilePath) -> None:
    soft = outline((10, 10), (40, 10), (40, 34), (10, 34), outer=8, inner=4)
    document = shot([shape(soft)])
    renderer = Renderer(Stills(), path, 1 << 24)  # type: ignore[arg-type]
    plane = renderer.matte(document, "m", 0).plane
    render_part(renderer, document, 0, 0, 1.0, "png", tmp_path / "m_%04d.png", matte="m")
    codes = cv2.imread(str(tmp_path / "m_0000.png"), cv2.IMREAD_UNCHANGED)
    assert codes.dtype == np.uint16 and np.abs(codes / 65535 - plane).max() < 1e-4
    render_part(renderer, document, 0, 0, 1.0, "exr", tmp_path / "m_%04d.exr", matte="m")
    linear = read_still(tmp_path / "m_0000.exr", WORKING)
    assert np.abs(linear[..., 0] - plane).max() < 2e-3 and (linear[..., 3] == 1).all()
    render_part(renderer, document, 0, 0, 1.0, "prores4444", tmp_path / "m.mov", matte="m")
    grey = av.open(str(tmp_path / "m.mov")).decode(video=0).__next__().to_ndarray(format="rgb24")[..., 1]
    assert np.abs(grey / 255 - plane).mean() < 0.01


def test_light_from_behind_wraps_round_an_edge_and_only_there() -> None:
    box = shape(outline((20, 10), (50, 10), (50, 40), (20, 40)))
    pixels = np.zeros((SIZE[1], SIZE[0], 4), np.float32)
    pixels[..., 3] = 1  # black before the grey plate
    plain, wrap = (
        Renderer(Stills(white=pixels), path, 1 << 24)  # type: ignore[arg-type]
        .frame(shot([box], wrap={"value": amount}, wrap_width={"value": 6}), 0)
        .fill(FRAME)[..., 0]
        for amount in (0.0, 1.0)
    )
    assert plain[25, 35] == 0 and wrap[25, 35] < 0.002  # the middle
    assert plain[25, 21] < 0.01 and 0.05 < wrap[25, 21] < 0.18  # just inside the edge
    assert wrap[25, 20] > wrap[25, 23] > wrap[25, 26]
    assert np.allclose(plain[:, :18], wrap[:, :18])  # the plate is as it was


def keyed_mix(subject: np.ndarray, alpha: np.ndarray, screen: np.ndarray) -> np.ndarray:
    """What the key makes of a mix over a smooth green screen."""
    mixed = alpha[..., None] * subject + (1 - alpha[..., None]) * screen
    found = find(mixed.astype(np.float32), None, 1.0)
    assert found is not None
    return chroma.coverage(mixed.astype(np.float32), found, chroma.Keying())


@settings(max_examples=15, deadline=None)
@example(dark=1.0, red=0.6875, green=0.3125, blue=0.25)  # the worst that was found: 0.10
@given(dark=st.floats(0.25, 1.0), red=st.floats(0.2, 0.7), green=st.floats(0.3, 0.75), blue=st.floats(0.05, 0.25))
def test_a_soft_edge_darker_than_its_subject_is_covered_rightly(
    dark: float, red: float, green: float, blue: float
) -> None:
    """Hair beside skin has its hue and another brightness: only the hue is carried to the edge."""
    screen = np.broadcast_to(np.float32([0.04, 0.35, 0.08]), (200, 240, 3))
    x = np.arange(240, dtype=np.float32)
    alpha = np.tile(np.clip((134 - x) / 14, 0, 1), (200, 1)).astype(np.float32)
    bright = np.where(x < 118, 1.0, dark)[None, :, None]
    got = keyed_mix(np.float32([red, green * red, blue]) * bright, alpha, screen)
    soft = (alpha > 0.1) & (alpha < 0.9)
    assert np.abs(got - alpha)[soft].mean() < 0.12
    assert got[:, 150:].max() < 0.01 and got[:, :100].min() > 0.99


def test_a_thin_hair_stays_and_the_grain_of_the_screen_goes() -> None:
    rng = np.random.default_rng(3)
    screen = np.broadcast_to(np.float32([0.04, 0.35, 0.08]), (160, 200, 3))
    alpha = np.zeros((160, 200), np.float32)
    alpha[:, :60] = 1
    cv2.line(alpha, (60, 80), (150, 40), 0.5, 1, cv2.LINE_AA)
    mixed = alpha[..., None] * np.float32([0.2, 0.12, 0.08]) + (1 - alpha[..., None]) * screen
    grainy = (mixed * (1 + 0.04 * rng.normal(size=mixed.shape))).astype(np.float32)
    found = find(grainy, None, 1.0)
    assert found is not None
    got = chroma.coverage(grainy, found, chroma.Keying())
    away = cv2.dilate(np.uint8(alpha > 0), np.ones((15, 15))) == 0
    assert got[away].mean() < 0.002
    hair = (alpha > 0.3) & (np.arange(200)[None] > 70)
    assert got[hair].mean() > 0.7 * alpha[hair].mean()
