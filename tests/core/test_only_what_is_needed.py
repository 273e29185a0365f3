"""What is left out because nothing of it is seen, or read off where it need not be worked out: the same pictures all the same."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tests.core.test_compose import paths, renderer, shot_with_spot
from tropein.core.compose import runs
from tropein.core.compose.render import Renderer
from tropein.core.compose.shutter import within_shutter
from tropein.core.compose.step import step
from tropein.core.document.upgrade import load_shot
from tropein.core.effects import run as run_effect
from tropein.core.matte import closed_form
from tropein.core.matte.foreground import RADII_PX, cleaned
from tropein.core.raster import coverage as cov
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Move, apply, product, rotation, scaling, translation, warp
from tropein.core.raster.wrap import wrapped

RNG = np.random.default_rng(3)
FRAME = Window(0, 0, 200, 150)


def disc(window: Window, radius: float) -> Coverage:
    y, x = np.mgrid[window.y0 : window.y1, window.x0 : window.x1] + 0.5
    away = np.hypot(x - (window.x0 + window.x1) / 2, y - (window.y0 + window.y1) / 2)
    return Coverage(np.clip(radius - away + 0.5, 0, 1).astype(np.float32), window)


def textured(window: Window, alpha: float = 1.0) -> Picture:
    pixels = cv2.GaussianBlur(RNG.random((window.height, window.width, 4)).astype(np.float32), (0, 0), 2)
    pixels[..., 3] = 1
    return Picture(pixels * np.float32(alpha), window)


def counted(step_of: Any) -> tuple[Any, list[int]]:
    """A step that counts how often it is made."""
    made: list[int] = []

    def make(*inputs: Any) -> Any:
        made.append(1)
        return step_of(*inputs)

    return make, made


def test_a_render_keeps_what_is_made_again_and_what_lasts() -> None:
    spot = textured(Window(0, 0, 8, 8))
    in_order = Renderer(None, paths, 1 << 20, in_order=True)  # type: ignore[arg-type]
    for lasting, expected in ((False, 2), (True, 1)):
        make, made = counted(lambda: spot)
        once = step("once", str(lasting), (), make)
        once = once.lasts if lasting else once
        for frame in range(4):
            in_order.run(step("frame", (lasting, frame), (once,), lambda p: p))
        assert len(made) == expected
    make, made = counted(lambda: spot)
    for frame in range(4):
        in_order.run(step("alone", frame, (), make))
    assert (
        len(made) == 4 and in_order.cache.nbytes <= 2 * spot.nbytes
    )  # each of them was made once: nothing of it is kept


def test_of_what_is_cut_no_more_is_sampled_than_is_left(monkeypatch: pytest.MonkeyPatch) -> None:
    d = shot_with_spot(rotation={"value": 20}, scale={"value": [3, 3]})
    box = [[95, 75], [105, 75], [105, 85], [95, 85]]
    points = [{"at": p, "before": [0, 0], "after": [0, 0]} for p in box]
    piece = {"kind": "shape", "id": "p", "name": "p", "outline": {"value": {"points": points}}}
    d["mattes"] = {"m": {"id": "m", "name": "m", "pieces": [piece]}}
    d["layers"]["top"]["cut"] = [{"matte": "m"}]
    shot, seen = load_shot(d), []
    perform = runs.perform
    monkeypatch.setattr(runs, "perform", lambda ops, region: (seen.extend(ops), perform(ops, region))[1])
    made = renderer().frame(shot, 0)
    sampled = next(op for op in seen if op.kernel.name == "sample")
    assert sampled.spans is not None
    assert np.maximum(sampled.spans[:, 1] - sampled.spans[:, 0], 0).sum() < 300  # of some 14 000 of the turned spot
    whole = Renderer(renderer().sources, paths, 1 << 24, by_rows=False).frame(shot, 0)
    assert np.abs(made.fill(FRAME) - whole.fill(FRAME)).max() < 0.02


def test_an_even_motion_is_told_by_three_moments_and_a_turning_one_by_more() -> None:
    def moves_of(**place: Any) -> tuple[list[Move], Any, Any, float]:
        shot = load_shot(shot_with_spot(**place))
        shot.layers["top"].place.motion_blur = True
        places, top = renderer().planner(shot).places, shot.layers["top"]
        still = places.move(top, 5.0)
        assert still is not None
        return within_shutter(places, top, 5.0, still, 1.0, "final"), places, top, shot.shutter_deg / 720

    def keys(*values: Any) -> dict[str, Any]:
        return {"keys": [{"frame": f, "value": v, "ease": "linear"} for f, v in values], "value": values[0][1]}

    for place in (
        {"position": keys((0, [20, 20]), (10, [180, 90]))},
        {"rotation": keys((0, 0), (10, 900))},
        {"rotation": keys((0, 0), (5, 300), (10, 310))},  # which turns at the frame itself
    ):
        moves, places, top, half = moves_of(**place)
        times = 5.0 + half * (2 * (np.arange(len(moves)) + 0.5) / len(moves) - 1)
        corners = np.array([[0, 0], [40, 0], [40, 40], [0, 40.0]])
        assert len(moves) > 3
        for move, time in zip(moves, times, strict=True):
            exact = places.move(top, float(time))
            assert np.abs(apply(move.matrix, corners) - apply(exact.matrix, corners)).max() < 0.06


def test_blurs_look_only_about_what_they_are_limited_to() -> None:
    picture, where = textured(FRAME), disc(FRAME, 12)
    for kind, values, reach in (
        ("blur", {"radius": 5.0}, 17.0),
        ("glow", {"threshold": 0.3, "radius": 8.0, "amount": 1.0, "tint": (1, 1, 1), "scales": 2}, 26.0),
    ):
        part = cov.near(picture, where, reach)
        assert part.window != FRAME and part.window.meet(FRAME) == part.window
        few, all_ = (cov.mix_where(picture, run_effect(kind, p, values, 1.0), where) for p in (part, picture))
        assert np.abs(few.fill(FRAME) - all_.fill(FRAME)).max() < 1e-4
    assert cov.near(picture, Coverage(np.zeros((150, 200), np.float32), FRAME), 9.0).window.empty
    assert cov.near(picture, cov.full(FRAME), 9.0) is picture


def test_coverage_goes_where_its_picture_goes() -> None:
    own = disc(Window(0, 0, 80, 60), 20)
    grey = Picture(cv2.merge([own.plane] * 4), own.window)
    for matrix in (translation(30, 20), product(translation(60, 30), rotation(25), scaling(1.3, 0.8))):
        placed = cov.placed(own, [Move(matrix)], FRAME, "final", "nothing")
        assert np.abs(placed.plane - warp(grey, matrix, FRAME).fill(FRAME)[..., 3]).max() < 1e-5
    assert cov.placed(own, [Move(translation(0, 0))], own.window, "final", "nothing").plane is own.plane
    both = cov.placed(own, [Move(translation(10, 0)), Move(translation(30, 0))], FRAME, "final", "nothing")
    assert abs(both.plane.sum() - own.plane.sum()) < 1


def test_wrapped_light_lies_at_the_edge_alone() -> None:
    plane = disc(FRAME, 40).plane
    card = Picture(np.dstack([np.zeros((150, 200, 3), np.float32), plane]), FRAME)
    light = Picture(np.ones((150, 200, 4), np.float32), FRAME)
    made = wrapped(card, light, 0.5, 8.0).pixels
    assert made[75, 100, 0] < 0.01  # deep inside
    assert 0.15 < made[75, 100 + 38, 0] < 0.5  # at the edge, of what covers there
    assert np.array_equal(made[..., 3], plane) and not made[plane == 0].any()


def test_only_soft_edges_are_cleaned_and_wherever_they_lie() -> None:
    alpha = cv2.GaussianBlur((disc(FRAME, 30).plane > 0.5).astype(np.float32), (0, 0), 1.5)
    rgb = alpha[..., None] * np.float32([0.6, 0.3, 0.1]) + (1 - alpha[..., None]) * np.float32([0.0, 0.5, 0.0])
    soft = (alpha > 0.05) & (alpha < 0.95)
    made = cleaned(rgb, alpha, 1.0, 0.3)
    assert (
        np.abs(made[soft] - np.float32([0.6, 0.3, 0.1])).mean()
        < 0.25 * np.abs(rgb[soft] - np.float32([0.6, 0.3, 0.1])).mean()
    )
    assert np.array_equal(made[(alpha == 0) | (alpha == 1)], rgb[(alpha == 0) | (alpha == 1)])
    far = round(max(RADII_PX) * 0.3) + 5  # nothing beyond what is looked at changes a thing
    wide = np.pad(rgb, ((far, far), (far, far), (0, 0)), mode="edge")
    again = cleaned(wide, np.pad(alpha, far), 1.0, 0.3)[far:-far, far:-far]
    assert np.abs(again - made).max() < 1e-4


def test_what_is_open_is_solved_as_the_whole_system_is() -> None:
    from pymatting import cf_laplacian
    from scipy.sparse import diags
    from scipy.sparse.linalg import spsolve

    picture = np.clip(cv2.GaussianBlur(RNG.random((40, 50, 3)), (0, 0), 2) * 900 - 320, 0, 255).astype(np.uint8)
    y, x = np.mgrid[:40, :50]
    edge = np.clip((x - 20 - 4 * np.sin(y / 5)) / 4, 0, 1).astype(np.float32)
    open_ = np.abs(x - 22) < 8
    drawn = np.full((40, 50), 0.01, np.float32)
    found = closed_form.solved(picture, edge > 0.5, open_, drawn, edge, 1e-6)
    laplacian = cf_laplacian(picture / 255.0, 1e-6, 1, ~open_).tocsr()
    unknown, known = np.flatnonzero(open_), np.flatnonzero(~open_)
    rows = laplacian[unknown]
    wanted = 0.01 * edge.ravel()[unknown] - rows[:, known] @ (edge > 0.5).ravel()[known].astype(float)
    exact = spsolve((rows[:, unknown] + diags(np.full(len(unknown), 0.01))).tocsc(), wanted)
    assert np.abs(found - exact).max() < 0.01 and np.abs(found - exact).mean() < 1e-3
