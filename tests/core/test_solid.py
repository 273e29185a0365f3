"""Holes in the solid and crumbs in the clear: found, shown, closed and dropped; and the colour of what is kept beside a key."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_mattes import FRAME, Stills, coverage, keyed_plate, outline, path, shape, shot
from tropein.core.checks.faults_seen import faults_seen
from tropein.core.compose.render import Renderer
from tropein.core.compose.view import CRUMB, HOLE, display_matte
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import NotFound
from tropein.core.matte.solid import faults, mended
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Window, nothing


def body(holes: list[tuple[int, int, int]], crumbs: list[tuple[int, int, int]]) -> np.ndarray:
    """A soft disc in 160 x 120 with square holes and crumbs: (x, y, side)."""
    y, x = np.mgrid[0:120, 0:160]
    plane = np.clip((45 - np.hypot(x - 80, y - 60)) / 4 + 0.5, 0, 1).astype(np.float32)
    for hx, hy, side in holes:
        plane[hy : hy + side, hx : hx + side] = 0.4
    for cx, cy, side in crumbs:
        plane[cy : cy + side, cx : cx + side] = 0.3
    return plane


def test_only_what_is_small_enough_is_mended_and_edges_stay() -> None:
    clean = body([], [])
    plane = body([(70, 50, 3), (85, 62, 9)], [(10, 10, 2), (140, 100, 8)])
    assert (mended(plane, 0, 0) == plane).all()
    assert (mended(plane, 20, 20) == clean).all()
    small = mended(plane, 4, 3)
    assert (small == body([(85, 62, 9)], [(140, 100, 8)])).all()
    found = faults(plane, 20, 20)
    assert sorted(found.hole_sizes) == [3, 9] and sorted(found.crumb_sizes) == [2, 8]


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.floats(0, 12), st.floats(0, 12))
def test_mending_twice_changes_nothing_more_of_holes_and_it_only_moves_the_right_way(
    seed: int, holes: float, crumbs: float
) -> None:
    plane = np.clip(
        cv2.GaussianBlur(np.random.default_rng(seed).random((60, 80)).astype(np.float32), (0, 0), 2) * 12 - 5.5, 0, 1
    )
    found, out = faults(plane, holes, crumbs), mended(plane, holes, crumbs)
    assert (out[found.holes] == 1).all() and (out[found.crumbs & ~found.holes] == 0).all()
    rest = ~found.holes & ~found.crumbs
    assert (out[rest] == plane[rest]).all()
    assert not faults(mended(plane, holes, 0), holes, 0).holes.any()
    assert not faults(mended(plane, 0, crumbs), 0, crumbs).crumbs.any()


def test_what_reaches_the_border_is_no_hole() -> None:
    plane = np.ones((40, 40), np.float32)
    plane[:5, 10:15] = 0
    assert not faults(plane, 20, 20).holes.any()
    assert (mended(np.zeros((40, 40), np.float32), 20, 20) == 0).all()


def holed_shot(mend_px: float = 0) -> Shot:
    """A box drawn by hand with a small hole in it, and a crumb: pieces that take away and add."""
    square = [(8, 8), (40, 8), (40, 40), (8, 40)]
    hole, crumb = [(20, 20), (23, 20), (23, 23), (20, 23)], [(52, 30), (54, 30), (54, 32), (52, 32)]
    document = shot([
        shape(outline(*square), id="a"), shape(outline(*hole), id="b", how="subtract"), shape(outline(*crumb), id="c"),
    ]).model_dump(mode="json")  # fmt: skip
    document["mattes"]["m"] |= {"holes": {"value": mend_px}, "crumbs": {"value": mend_px}}
    return load_shot(document)


@pytest.mark.parametrize("scale", [1.0, 0.5])
def test_a_matte_closes_and_drops_at_any_scale(scale: float) -> None:
    plain, done = (coverage(holed_shot(px), 0, scale=scale) for px in (0, 6))
    hole, crumb, inside, outside = (
        (int(y * scale), int(x * scale)) for x, y in ((21.5, 21.5), (53, 31), (12, 12), (2, 2))
    )
    assert plain[hole] < 0.7 and plain[crumb] > 0.3
    assert done[hole] == 1 and done[crumb] == 0
    assert done[inside] == 1 and done[outside] == 0


def test_faults_are_counted_and_shown() -> None:
    renderer = Renderer(Stills(), path, 1 << 24)  # type: ignore[arg-type]
    seen = faults_seen(renderer, holed_shot(), "m", 0)
    assert (seen.holes, seen.crumbs) == (1, 1)
    assert seen.largest_hole_px == pytest.approx(3, abs=1.5) and seen.largest_crumb_px == pytest.approx(2, abs=1.5)
    with pytest.raises(NotFound):
        faults_seen(renderer, holed_shot(), "x", 0)
    plane = body([(70, 50, 4)], [(12, 12, 3)])
    codes = display_matte(nothing(), Coverage(plane, Window(0, 0, 160, 120)), "matte-faults")
    assert tuple(codes[52, 72]) == HOLE and tuple(codes[13, 13]) == CRUMB
    assert tuple(codes[60, 100]) == (130, 130, 130) and tuple(codes[100, 10]) == (20, 20, 20)


def test_what_a_drawn_piece_keeps_beside_a_key_keeps_its_colour() -> None:
    """A badge in the screen's own green on the subject: kept by a shape, it is green and solid, and the edge stays clean."""
    rgb, truth, _ = keyed_plate(5)
    inside = np.argwhere(truth > 0.999)
    cy, cx = (int(v) for v in np.median(inside, 0))
    green = rgb[2, 2].copy()
    rgb[cy - 6 : cy + 6, cx - 6 : cx + 6] = green
    pixels = np.ones((180, 240, 4), np.float32)
    pixels[..., :3] = rgb
    place = {"position": {"value": [32, 24]}, "scale": {"value": [64 / 240, 64 / 240]}}
    key = {"kind": "chroma", "id": "k", "name": "key", "layer": "over", "core": {"value": 0}}
    k = 64 / 240
    corners = [(cx - 8, cy - 8), (cx + 8, cy - 8), (cx + 8, cy + 8), (cx - 8, cy + 8)]
    keep = shape({"points": [{"at": [x * k, y * k]} for x, y in corners]}, id="keep")

    def seen(pieces: list[dict[str, object]]) -> np.ndarray:
        document = shot(pieces, place=place)
        large = document.footage["white"].model_copy(update={"size": (240, 180)})
        document = document.model_copy(update={"footage": {**document.footage, "white": large}})
        return Renderer(Stills(white=pixels), path, 1 << 24).frame(document, 0).fill(FRAME)  # type: ignore[arg-type]

    at = (int(cy * k), int(cx * k))
    alone, kept = seen([key]), seen([key, keep])
    assert alone[at][:3] == pytest.approx([0.18] * 3, abs=0.06)  # the plate shows through
    assert kept[at][:3] == pytest.approx(green, abs=0.03)
    far = np.ones(kept.shape[:2], bool)
    far[at[0] - 4 : at[0] + 5, at[1] - 4 : at[1] + 5] = False
    assert np.abs(kept - alone)[far].max() < 0.01
