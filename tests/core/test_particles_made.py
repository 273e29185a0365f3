"""Particles that are pictures of another layer, and the light within a cloud of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from tests.core.test_generated import drawn, shot_of
from tropein.core.document import Shot
from tropein.core.errors import BadInput
from tropein.core.raster.shading import shaded
from tropein.core.raster.specks import SPECK
from tropein.core.raster.sprites import sprinkled, sprites


def row(**values: float) -> np.ndarray:
    known = {"x": 50.0, "y": 40.0, "radius": 16.0, "opacity": 1.0, "red": 1.0, "green": 1.0, "blue": 1.0, "cover": 1.0}
    return np.array([[(known | values).get(n, 0.0) for n in SPECK]], np.float32)


def card() -> np.ndarray:
    """(20, 40, 4): red to the left, blue to the right, opaque."""
    out = np.zeros((20, 40, 4), np.float32)
    out[:, :20, 0], out[:, 20:, 2], out[..., 3] = 1, 1, 1
    return out


def one(kind: np.ndarray, **values: float) -> np.ndarray:
    return sprinkled(row(**values), np.zeros(1, np.int64), sprites([kind]), 80, 100)


def test_a_picture_lies_where_and_as_it_should() -> None:
    plain = one(card())
    # 32 px wide by the radius, half as high; its pixels grown a little by a pixel's own spread, and as much fainter
    assert plain[..., 3].sum() == pytest.approx(32 * 16, rel=0.01)
    assert plain[40, 40, 0] > 0.98 and plain[40, 60, 2] > 0.98 and plain[40, 40, 2] < 0.01 and plain[:30].max() == 0
    turned = one(card(), turn=np.pi / 2)
    assert (
        turned[30, 50, 0] > 0.98 and turned[50, 50, 2] > 0.98 and turned[..., 3].sum() == pytest.approx(512, rel=0.01)
    )
    faint = one(card(), opacity=0.25, cover=0.0, red=2.0)
    assert faint[40, 40, 0] == pytest.approx(0.5, rel=0.02) and faint[..., 3].max() == 0
    smeared = one(card(), dx=30.0)
    assert smeared.sum() == pytest.approx(plain.sum(), rel=0.01) and smeared[40, 26, 3] > 0.05
    # as large, a half and tiny copies are the whole one reduced
    for scale in (0.5, 0.1, 0.03):
        small = one(card(), radius=16 * scale)
        assert small[..., 3].sum() == pytest.approx(512 * scale**2, rel=0.03)


def made_of(fill: dict[str, Any], **values: Any) -> Shot:
    shot = shot_of("particles", "Smoke", (320, 180), **values).model_dump(mode="json")
    shot["layers"]["look"] = {"id": "look", "name": "Look", "visible": False, "content": {"kind": "fill", **fill}}
    shot["layers"]["it"]["content"] |= {"made_of": "look", "stands": "upright"}
    shot["stack"] = ["look", "it"]
    return Shot.model_validate(shot)


STILL = {
    "source": (160.0, 90.0), "area": (0.0, 0.0), "speed": 0.0, "fall": 0.0, "wind": (0.0, 0.0), "turbulence": 0.0, "opacity": 1.0, "life": 2.0, "life_varies": 0.0,
    "rate": 24.0, "colour": (1.0, 1.0, 1.0), "colour_end": (1.0, 1.0, 1.0), "opening": 0.0, "shading": 0.0, "radius": 10.0, "radius_varies": 0.0,
}  # fmt: skip


def test_each_shows_the_layer_from_its_own_birth_on(tmp_path: Path) -> None:
    keyed = {
        "colour": {
            "value": [1, 0, 0],
            "keys": [
                {"frame": 0, "value": [1, 0, 0]},
                {"frame": 23, "value": [1, 0, 0]},
                {"frame": 24, "value": [0, 0, 1]},
            ],
        }
    }
    shot = made_of(keyed, **STILL | {"speed": 40.0, "direction": 0.0, "fan": 0.0, "drag": 0.0, "speed_varies": 0.0})
    seen = drawn(shot, 400, tmp_path)[90]
    young, old = seen[172:188], seen[212:230]  # after 0.3 to 0.7 s, and 1.3 to 1.75
    assert young[:, 0].min() > 0.1 and young[:, 2].max() < 0.02
    assert old[:, 2].max() > 0.05 and old[:, 0].max() < 0.02
    again = shot.model_dump(mode="json")
    again["layers"]["it"]["content"]["begins"] = "anywhere"
    mixed = drawn(Shot.model_validate(again), 400, tmp_path)[90]
    assert mixed[160:240, 0].max() > 0.1 and mixed[160:240, 2].max() > 0.1
    assert np.array_equal(drawn(Shot.model_validate(again), 400, tmp_path)[90], mixed)


def test_half_a_preview_is_the_final_picture_reduced_and_a_layer_of_itself_is_refused(tmp_path: Path) -> None:
    shot = made_of({"colour": {"value": [0.5, 0.4, 0.1]}}, **STILL | {"speed": 60.0, "fan": 360.0, "spin": 200.0})
    whole, half = (drawn(shot, 100, tmp_path, scale) for scale in (1.0, 0.5))
    small = cv2.resize(whole, (160, 90), interpolation=cv2.INTER_AREA)
    assert np.abs(half - small).mean() < 1e-3 and half.sum() * 4 == pytest.approx(whole.sum(), rel=0.01)
    loop = shot.model_dump(mode="json")
    loop["layers"]["it"]["content"]["made_of"] = "it"
    with pytest.raises((BadInput, ValueError)):
        Shot.model_validate(loop)


def test_what_lies_before_others_to_the_light_keeps_it_from_them(tmp_path: Path) -> None:
    places = np.array([[0.0, -10.0 * k, 0.0] for k in range(12)])
    radius, opacity = np.full(12, 10.0), np.full(12, 0.5)
    up = shaded(places, radius, opacity, np.array([0.0, -1.0, 0.0]), 6.0)
    assert (np.diff(up) > 0).all() and up[-1] > 1.05 and up[0] < 0.6
    assert shaded(places, radius, opacity, np.array([0.0, 1.0, 0.0]), 6.0)[0] > 1.05
    aside = shaded(places, radius, opacity, np.array([1.0, 0.0, 0.0]), 6.0)
    assert aside.min() > 1.0
    # one far aside changes none of them, and it does not matter where in the lattice they lie
    more = shaded(
        np.vstack([places, [[200.0, 0.0, 0.0]]]), np.full(13, 10.0), np.full(13, 0.5), np.array([0.0, -1.0, 0.0]), 6.0
    )
    assert np.abs(more[:12] - up).max() < 1e-9
    moved = shaded(places + 4.0, radius, opacity, np.array([0.0, -1.0, 0.0]), 6.0)
    assert np.abs(moved - up).max() < 0.1
    # a plume is brighter where the light comes from, and as bright all over without the shading
    bright = {"opacity": 0.5, "colour": (0.6, 0.6, 0.6), "colour_end": (0.6, 0.6, 0.6), "lit_before": 0.0}
    along = []
    for given in ({"shading": 0.0}, {"lit_from": 0.0}, {"lit_from": 180.0}):
        p = drawn(shot_of("particles", "Pale smoke", (960, 540), **{"shading": 1.0, **bright, **given}), 120, tmp_path)
        y, x = np.nonzero(p[..., 3] > 0.8)
        of = p[y, x, 1] / p[y, x, 3]
        level = np.polyfit(x / np.ptp(x), of, 1)[0] / of.mean()
        along.append(level)
    assert abs(along[0]) < 0.02 and along[1] > 0.15 and along[2] < -0.15, along
