"""What grows through a matte, and what is dimmed by one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.core.test_generated import SIZE, drawn, shot_of
from tropein.core.document import Shot
from tropein.core.document.references import found_in
from tropein.core.raster.growth import pieces, tree


def disc(radius: float, at: tuple[float, float] = (120.0, 80.0)) -> np.ndarray:
    y, x = np.mgrid[0:160, 0:240] + 0.5
    return (np.hypot(x - at[0], y - at[1]) < radius).astype(np.float32)


def test_a_tree_fills_its_area_from_the_root_and_keeps_within() -> None:
    plane = disc(70)
    grown = tree(plane, (120.0, 149.0), 8.0, 3)
    x, y = grown.at.T
    assert np.hypot(x - 120, y - 80).max() < 76 and len(grown.at) > 120
    # no place of the area is farther from a line than a few times their distance
    ys, xs = np.nonzero(disc(64))
    away = np.min([np.hypot(xs - a, ys - b) for a, b in grown.at[::2]], 0)
    assert np.percentile(away, 99) < 16
    assert grown.before[0] == -1 and (grown.before[1:] < np.arange(1, len(grown.at))).all()
    assert (grown.order[1:] > grown.order[grown.before[1:]]).all() and grown.order.max() == 1
    assert grown.thick[0] == 1 and (grown.thick[1:] <= grown.thick[grown.before[1:]] + 1e-9).all()
    again = tree(plane, (120.0, 149.0), 8.0, 3)
    assert np.array_equal(again.at, grown.at)
    parts = [len(pieces(grown, grown.at, 2.0, g, 0.5)) for g in (0.0, 0.3, 1.0)]
    assert parts[0] == 0 and 0 < parts[1] < parts[2] == len(grown.at) - 1


def test_nothing_to_fill_and_a_root_far_away_are_borne() -> None:
    assert len(tree(np.zeros((40, 60), np.float32), (5.0, 5.0), 6.0, 1).at) == 1
    far = tree(disc(30), (-200.0, -200.0), 8.0, 1)
    assert len(far.at) > 60 and np.isfinite(far.at).all()
    assert len(tree(np.ones((1000, 1000), np.float32), (5.0, 5.0), 0.01, 1).at) <= 6000


def with_matte(shot: Shot, x: float, y: float, w: float, h: float, **ids: str) -> Shot:
    document = shot.model_dump(mode="json")
    corners = [{"at": [x, y]}, {"at": [x + w, y]}, {"at": [x + w, y + h]}, {"at": [x, y + h]}]
    piece = {"kind": "shape", "id": "s", "name": "S", "outline": {"value": {"points": corners}}}
    document["mattes"] = {"m": {"id": "m", "name": "M", "pieces": {"s": piece}, "order": ["s"]}}
    document["layers"]["it"]["content"] |= ids
    return Shot.model_validate(document)


def test_arcs_grow_through_a_matte_the_same_at_any_size(tmp_path: Path) -> None:
    plain = {"start": (60.0, 90.0), "width": 1.5, "light": 1.0, "glow": 0.0, "flicker": 0.0, "close": 12.0}
    whole = with_matte(shot_of("arcs", "Ember veins", **plain), 50, 40, 200, 100, through="m")
    seen, half = (drawn(whole, 0, tmp_path, scale) for scale in (1.0, 0.5))
    lit = seen[..., 0] > 0.1
    assert lit[45:135, 55:245].mean() > 0.06 and not lit[:30].any() and not lit[:, :40].any() and not lit[:, 262:].any()
    reduced = seen[..., 0].reshape(90, 2, 160, 2).mean((1, 3))
    assert np.abs(reduced - half[..., 0]).mean() < 0.012
    part = drawn(
        with_matte(shot_of("arcs", "Ember veins", **plain, grown=0.4), 50, 40, 200, 100, through="m"), 0, tmp_path
    )
    assert (
        0.1 < (part[..., 0] > 0.1).sum() / lit.sum() < 0.8 and part[..., 0][:, 200:].max() < part[..., 0][:, :120].max()
    )
    assert any(f.value == "m" for f in found_in(whole.layers["it"]))


@pytest.mark.parametrize(("left", "open_"), [(0.0, 0.0), (160.0, 0.5), (200.0, 1.0)])
def test_a_flare_goes_as_a_matte_covers_its_source(left: float, open_: float, tmp_path: Path) -> None:
    shot = shot_of("flare", centre=(160.0, 90.0), ghosts=0.0)
    free = drawn(shot, 0, tmp_path)[..., :3].sum()
    dimmed = drawn(with_matte(shot, left, 0, *SIZE, dimmed_by="m"), 0, tmp_path)[..., :3].sum()
    assert dimmed / free == pytest.approx(open_, abs=0.06)


def test_beams_go_away_from_the_light_through_what_lets_it_through(tmp_path: Path) -> None:
    plain = {
        "source": (160.0, -60.0),
        "opening": (160.0, 30.0),
        "wide": (40.0, 20.0),
        "shafts": 0.0,
        "edge": 0.0,
        "length": 0.6,
        "decay": 0.5,
        "light": 1.0,
    }
    seen = drawn(shot_of("beams", **plain), 0, tmp_path)
    light = seen[..., 0]
    assert seen[..., 3].max() == 0 and light[:18].max() < 0.02  # none towards the light
    # at twice the way from the light it is twice as wide
    across = [np.ptp(np.flatnonzero(light[y] > 0.3 * light[y].max())) for y in (30, 120)]
    assert across[1] == pytest.approx(40 * (120 + 60) / (30 + 60), rel=0.2) and across[0] == pytest.approx(40, rel=0.2)
    assert light[40, 160] > light[80, 160] > light[120, 160] > 0
    other = drawn(with_matte(shot_of("beams", **plain), 240, 20, 40, 20, through="m"), 0, tmp_path)[..., 0]
    assert other[30, 260] > 0.05 and other[30, 160] < 0.01 and other[100, 290:].max() > other[100, :250].max()


@pytest.mark.parametrize("where", ["area", "edge"])
def test_particles_are_born_in_a_matte_wherever_it_is(where: str, tmp_path: Path) -> None:
    plain = {
        "rate": 400.0, "life": 0.5, "life_varies": 0.0, "speed": 0.0, "fall": 0.0, "turbulence": 0.0, "drag": 0.0, "radius": 1.5, "radius_varies": 0.0, "breakup": 0.0,
        "opacity": 1.0, "fading": {"points": [(0.0, 1.0), (1.0, 1.0)]}, "growth": {"points": [(0.0, 1.0), (1.0, 1.0)]},
    }  # fmt: skip
    there = with_matte(shot_of("particles", **plain), 100, 60, 120, 80, within="m", where=where)
    seen = drawn(there, 20, tmp_path)[..., 3]
    inside = np.zeros(seen.shape, bool)
    inside[60:140, 100:220] = True
    middle = np.zeros(seen.shape, bool)
    middle[66:134, 106:214] = True
    assert seen[inside].sum() > 0.9 * seen.sum() * (1 if where == "area" else 0.5) > 0
    share = seen[middle].sum() / seen.sum()
    assert (share == pytest.approx(68 * 108 / (80 * 120), abs=0.08)) if where == "area" else share < 0.05
    # the same as drawn after others, and none where the matte holds nothing
    assert np.array_equal(drawn(there, 20, tmp_path)[..., 3], seen)
    outside = with_matte(shot_of("particles", **plain), -300, -300, 20, 20, within="m", where=where)
    assert not drawn(outside, 20, tmp_path).any()
