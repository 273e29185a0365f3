"""Where an outline fits its picture worst."""

from __future__ import annotations

import numpy as np
import pytest

from tropein.core.checks.outline_fit import outline_fit, ribbon, shifts_across
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import NotFound
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING

SIZE = (320, 180)
ROUND = np.array([[160 + 40 * np.cos(a), 90 + 40 * np.sin(a)] for a in np.linspace(0, 2 * np.pi, 48, endpoint=False)])


def disc(x: float, noise: int = 0) -> np.ndarray:
    """A bright disc of 40 px about (x, 90) before a dark ground, grey levels."""
    v, u = np.mgrid[0:180, 0:320] + 0.5
    level = 60 + 120 * np.clip(40 - np.hypot(u - x, v - 90) + 0.5, 0, 1)
    return np.clip(level + np.random.default_rng(noise).normal(0, 2, level.shape), 0, 255).astype(np.uint8)


def test_shifts_across_are_those_of_the_edge() -> None:
    then, now = ribbon(disc(160), ROUND, True), ribbon(disc(166, 1), ROUND, True)
    shifts = shifts_across(then, now)
    turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
    told = ~np.isnan(shifts)
    assert told.mean() > 0.9
    # the outline goes round clockwise on screen: across it points inwards
    assert np.abs(np.abs(shifts) - np.abs(6 * np.cos(turn)))[told].mean() < 0.8


def test_a_plain_wall_tells_nothing() -> None:
    flat = np.full((180, 320), 90, np.uint8)
    assert np.isnan(shifts_across(ribbon(flat, ROUND, True), ribbon(flat, ROUND, True))).all()


class Moving:
    """A plate in which the disc goes right by a pixel a frame."""

    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        grey = (disc(160 + index, index).astype(np.float32) / 255) ** 2.2
        return Coded(np.dstack([grey, grey, grey, np.ones_like(grey)]), WORKING)


def shot(keys: list[tuple[int, float]]) -> Shot:
    """A disc's outline, keyed at frames with its middle at x."""
    points = lambda x: {"points": [{"at": (float(p[0] + x - 160), float(p[1]))} for p in ROUND[::4]]}
    outline = {
        "value": points(keys[0][1]),
        "keys": [{"frame": f, "value": points(x), "ease": "linear"} for f, x in keys],
    }
    piece = {"kind": "shape", "id": "s", "name": "disc", "outline": outline}
    return load_shot(
        {
            "schema_version": 2, "name": "fit", "size": SIZE, "rate": "24/1", "frames": 12, "trim": [0, 11],
            "footage": {"f": {"id": "f", "name": "f", "media": "0" * 32, "kind": "clip", "size": SIZE, "frames": 12, "rate": "24/1"}},
            "layers": {"p": {"kind": "footage", "id": "p", "name": "p", "footage": "f", "place": {"position": {"value": (160, 90)}}}},
            "stack": ["p"], "plate": "p", "mattes": {"m": {"id": "m", "name": "m", "pieces": [piece]}},
        }
    )  # fmt: skip


def test_the_hint_grows_away_from_a_key_and_is_low_where_keys_are_right() -> None:
    renderer = Renderer(Moving(), lambda samples, spot: None, 1 << 24)  # type: ignore[arg-type]
    one = shot([(0, 160)])
    off = [outline_fit(renderer, one, "m", "s", f).off_px for f in (0, 3, 6, 9)]
    assert off[0] == 0 and all(o is not None for o in off)
    assert off[1] < off[2] < off[3] and off[3] == pytest.approx(8, abs=2)  # type: ignore[operator]
    both = shot([(0, 160), (11, 171)])
    right = [outline_fit(renderer, both, "m", "s", f).off_px for f in (3, 6, 9)]
    assert all(o is not None and o <= 1 for o in right), right
    with pytest.raises(NotFound):
        outline_fit(renderer, both, "m", "nothing", 3)
