"""Edges of inserts and what they are laid over: softness measured and matched, colour set right, veils that blend, empty places of
other clips."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_mattes import FRAME, SIZE, Stills, coverage, drawn, outline, path, shape, shot
from tropein.core.checks.screen_seen import screen_seen
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.held import Held
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.match.edge import widths
from tropein.core.match.measure import Seen, read
from tropein.core.raster.blend import within
from tropein.core.raster.edge import Edging, edged
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.sharpness import edge_sigma

WIDE = outline((20, 12), (46, 12), (46, 38), (20, 38))


def facets(size: tuple[int, int], sigma: float, noise: float, seed: int = 0) -> np.ndarray:
    """Sharp-edged areas of many greys, blurred, with grain."""
    rng = np.random.default_rng(seed)
    w, h = size
    plane = np.zeros((h, w), np.float32)
    for _ in range(40):
        corners = rng.uniform((0, 0), (w, h)) + rng.uniform(-w / 8, w / 8, (5, 2))
        cv2.fillPoly(plane, [corners.astype(np.int32)], float(rng.uniform()))
    return (cv2.GaussianBlur(plane, (0, 0), sigma) + rng.normal(0, noise, plane.shape)).astype(np.float32)


@pytest.mark.parametrize("sigma", [1.0, 1.5, 2.0, 3.0, 4.0])
@pytest.mark.parametrize("noise", [0.0, 0.005, 0.02])
def test_the_blur_of_edges_is_read_through_grain(sigma: float, noise: float) -> None:
    assert edge_sigma(facets((640, 480), sigma, noise)) == pytest.approx(sigma, rel=0.16)


def test_a_picture_without_edges_has_no_width_of_edges() -> None:
    y, x = np.mgrid[0:60, 0:80].astype(np.float32)
    assert edge_sigma(np.full((60, 80), 0.4, np.float32)) is None
    assert edge_sigma(np.zeros((4, 4), np.float32)) is None
    assert edge_sigma(facets((320, 240), 1.0, 0.0), np.zeros((240, 320), bool)) is None


def insert(alpha: np.ndarray, colour: tuple[float, float, float]) -> Picture:
    pixels = np.dstack([np.float32(colour) * alpha[..., None], alpha]).astype(np.float32)
    return Picture(np.ascontiguousarray(pixels), Window(0, 0, alpha.shape[1], alpha.shape[0]))


@settings(max_examples=25, deadline=None)
@given(soften=st.floats(0.3, 4), width=st.floats(1, 12))
def test_a_softened_edge_leaves_the_inside_and_keeps_its_colour(soften: float, width: float) -> None:
    alpha = np.zeros((80, 100), np.float32)
    alpha[:, 30:] = 1  # touches three sides of the frame
    frame = Window(0, 0, 100, 80)
    made = edged(insert(alpha, (0.8, 0.4, 0.2)), Edging(soften, width), frame)
    got = made.fill(frame)
    deep = 30 + int(np.ceil(max(width, 3 * soften))) + 1
    assert got[:, deep:] == pytest.approx(
        insert(alpha, (0.8, 0.4, 0.2)).pixels[:, deep:], abs=1e-5
    )  # no edge at the frame
    assert np.ptp(got[:, :, 3], axis=0).max() < 1e-4
    row = got[40]
    assert (np.diff(row[:, 3]) > -1e-5).all() and 0 < row[29, 3] < 0.6
    seen = row[:, 3] > 0.01
    assert row[seen, :3] / row[seen, 3:] == pytest.approx(np.tile([0.8, 0.4, 0.2], (seen.sum(), 1)), abs=1e-3)


def test_the_edge_alone_is_darkened_and_drained() -> None:
    alpha = np.zeros((60, 60), np.float32)
    alpha[15:45, 15:45] = 1
    frame = Window(0, 0, 60, 60)
    made = edged(insert(alpha, (0.8, 0.4, 0.2)), Edging(0, 6, exposure=-1, saturation=0), frame).fill(frame)
    assert (made[..., 3] == alpha).all()
    assert made[30, 30, :3] == pytest.approx([0.8, 0.4, 0.2], abs=1e-6)
    edge = made[30, 15, :3]
    assert np.ptp(edge) < 1e-5 and edge[0] == pytest.approx((0.2126 * 0.8 + 0.7152 * 0.4 + 0.0722 * 0.2) / 2, rel=0.01)


def scene(around: float, frame_size: tuple[int, int] = (320, 240)) -> tuple[Renderer, Shot]:
    """A white still cut by a sharp shape, over facets blurred by `around`."""
    w, h = frame_size
    plate = np.repeat(facets(frame_size, around, 0.003)[..., None], 4, 2)
    plate[..., 3] = 1
    white = np.ones((h, w, 4), np.float32)
    box = shape(outline((90, 70), (230, 60), (240, 190), (80, 180)))
    document = shot([box]).model_dump(mode="json")
    document["size"] = frame_size
    for footage in document["footage"].values():
        footage["size"] = frame_size
    for layer in document["layers"].values():
        layer["place"]["position"]["value"] = [w / 2, h / 2]
    stills = Stills(plate=np.ascontiguousarray(plate, np.float32), white=white)
    return Renderer(stills, path, 1 << 26), load_shot(document)  # type: ignore[arg-type]


@pytest.mark.parametrize("around", [1.5, 3.0])
def test_an_edge_is_matched_to_what_lies_behind(around: float) -> None:
    renderer, document = scene(around)
    found = read(renderer, document, "over", "edge", 0)
    own, there = widths(Seen(renderer, document, document.layers["over"]), 0)
    assert there == pytest.approx(around, rel=0.2) and own < 0.5 and found.visible and found.fix is not None
    softened = Held(document.model_dump(mode="json"), document).edit(found.fix.patch)[0].shot
    shown = renderer.frame(softened, 0).fill(Window(0, 0, 320, 240))[..., 0]
    edge = np.zeros(shown.shape, bool)
    edge[75:175, 65:105] = True
    assert edge_sigma(np.ascontiguousarray(shown), edge) == pytest.approx(around, rel=0.25)
    again = read(renderer, softened, "over", "edge", 0)
    assert not again.visible and again.fix is not None
    once_more = Held(softened.model_dump(mode="json"), softened).edit(again.fix.patch)[0].shot
    assert once_more == softened


def test_an_edge_that_cannot_be_matched_says_why() -> None:
    renderer, document = scene(1.5)
    flat = Renderer(Stills(white=np.ones((240, 320, 4), np.float32), plate=np.full((240, 320, 4), 0.3, np.float32)), path, 1 << 26)  # type: ignore[arg-type]  # fmt: skip
    with pytest.raises(BadInput, match="no edges to compare"):
        read(flat, document, "over", "edge", 0)
    everywhere = document.model_copy(
        update={"layers": {**document.layers, "over": document.layers["over"].model_copy(update={"cuts": {}})}}
    )
    with pytest.raises(BadInput, match="has no edge"):
        read(renderer, everywhere, "over", "edge", 0)


def veiled(blend: str, opacity: float = 1.0, colour: tuple[float, float, float] = (0.5, 0.5, 0.5)) -> Shot:
    document = shot([shape(WIDE)]).model_dump(mode="json")
    fill = {"kind": "fill", "id": "e", "colour": {"value": colour}}
    document["layers"]["over"] = {
        "content": {"kind": "beneath"}, "id": "over", "name": "over", "cuts": {"c": {"id": "c", "matte": "m"}}, "effects": {"e": fill},
        "chain": ["e"], "blend": blend, "opacity": {"value": opacity},
    }  # fmt: skip
    document["blend_in"] = "linear"
    return load_shot(document)


def test_a_veil_is_laid_in_with_its_blend() -> None:
    """Plate 0.18, a fill of 0.5."""
    assert drawn(veiled("normal"))[25, 30] == pytest.approx(0.5, abs=1e-5)
    assert drawn(veiled("multiply"))[25, 30] == pytest.approx(0.09, abs=1e-5)
    assert drawn(veiled("darken"))[25, 30] == pytest.approx(0.18, abs=1e-5)
    assert drawn(veiled("darken", colour=(0.1, 0.1, 0.1)))[25, 30] == pytest.approx(0.1, abs=1e-5)
    assert drawn(veiled("screen", opacity=0.5))[25, 30] == pytest.approx(0.18 + 0.5 * (0.5 - 0.09), abs=1e-5)
    assert drawn(veiled("multiply"))[5, 5] == pytest.approx(0.18, abs=1e-6)  # outside of the matte


@settings(max_examples=20, deadline=None)
@given(mode=st.sampled_from(["multiply", "screen", "darken", "overlay", "luminosity"]), alpha=st.floats(0.05, 1))
def test_blending_within_a_picture_keeps_its_coverage(mode: str, alpha: float) -> None:
    under = Picture(np.full((4, 4, 4), 0.4 * alpha, np.float32), Window(0, 0, 4, 4))
    over = Picture(np.full((4, 4, 4), 0.7 * alpha, np.float32), Window(0, 0, 4, 4))
    for p in (under, over):
        p.pixels[..., 3] = alpha
    got, whole = within(under, over, mode, False), None
    solid = [Picture(np.concatenate([p.pixels[..., :3] / alpha, np.ones((4, 4, 1), np.float32)], -1), p.window) for p in (under, over)]  # fmt: skip
    whole = within(*solid, mode, False)
    assert (got.pixels[..., 3] == np.float32(alpha)).all()
    assert got.pixels[..., :3] == pytest.approx(whole.pixels[..., :3] * alpha, abs=1e-5)


def with_empty(piece: dict[str, Any], footage: str = "plate") -> Shot:
    return shot([piece | {"layer": "over", "clean_footage": footage, "id": "p", "name": "p"}])


def test_a_difference_is_taken_against_another_clip() -> None:
    """The plate's still shows the place empty; the layer's has something in it."""
    rng = np.random.default_rng(1)
    empty = np.ones((SIZE[1], SIZE[0], 4), np.float32)
    empty[..., :3] = 0.1 + 0.3 * rng.random((SIZE[1], SIZE[0], 1))
    filled = empty.copy()
    filled[15:35, 20:45, :3] = [0.7, 0.2, 0.1]
    got = coverage(with_empty({"kind": "difference"}), stills=Stills(white=filled, plate=empty))
    assert got[18:32, 23:42].min() > 0.9 and got[:10].max() < 0.05 and got[:, :15].max() < 0.05
    larger = cv2.resize(empty, (128, 96), interpolation=cv2.INTER_NEAREST)
    same = coverage(with_empty({"kind": "difference"}), stills=Stills(white=filled, plate=larger))
    assert same == pytest.approx(got, abs=0.02)


def test_a_screen_is_read_from_another_clip() -> None:
    """A screen whose light a polynomial cannot follow: a band of shadow across it."""
    y, _ = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
    band = np.where((y > 30) & (y < 40), 0.45, 1.0)[..., None]
    screen = np.dstack([np.float32([0.03, 0.3, 0.06]) * band, np.ones(band.shape)]).astype(np.float32)
    seen = screen.copy()
    seen[5:43, 24:40, :3] = [0.5, 0.35, 0.3]
    stills = Stills(white=seen, plate=screen)
    got = coverage(with_empty({"kind": "chroma"}), stills=stills)
    assert got[10:40, 28:36].min() > 0.99 and got[34:37, 4:18].max() < 0.05


def test_a_key_says_which_screen_it_sees_or_that_there_is_none() -> None:
    document = shot([{"kind": "chroma", "id": "k", "name": "k", "layer": "over"}])
    blue = np.ones((SIZE[1], SIZE[0], 4), np.float32)
    blue[..., :3] = [0.02, 0.08, 0.6]
    blue[10:40, 20:40, :3] = [0.4, 0.3, 0.2]
    seen = screen_seen(Renderer(Stills(white=blue), path, 1 << 24), document, "m", "k", 0)  # type: ignore[arg-type]
    assert seen.colour == pytest.approx((0.02, 0.08, 0.6), rel=0.05)
    grey = screen_seen(Renderer(Stills(), path, 1 << 24), document, "m", "k", 0)  # type: ignore[arg-type]
    assert grey.colour is None
    with pytest.raises(NotFound):
        screen_seen(Renderer(Stills(), path, 1 << 24), document, "m", "nothing", 0)  # type: ignore[arg-type]


def test_an_empty_place_must_be_there_and_have_the_same_shape() -> None:
    with pytest.raises(BadInput, match="not in the shot"):
        with_empty({"kind": "difference"}, "nowhere")
    document = with_empty({"kind": "chroma"}).model_dump(mode="json")
    document["footage"]["plate"]["size"] = [64, 64]
    with pytest.raises(BadInput, match="another shape"):
        load_shot(document)
    assert FRAME.width == SIZE[0]
