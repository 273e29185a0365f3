"""What an insert has of grain, blacks and whites, against what lies behind; and that the fix mends what was planted."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.test_edges import Stills, facets, path, scene
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.held import Held
from tropein.core.errors import BadInput
from tropein.core.match.measure import read

SIZE = (320, 240)


def with_effects(document: Shot, layer: str, **effects: dict[str, Any]) -> Shot:
    plain = document.model_dump(mode="json")
    for kind, values in effects.items():
        effect = {"kind": kind, "id": f"{kind}-x", **{k: {"value": v} for k, v in values.items()}}
        plain["layers"][layer]["effects"][effect["id"]] = effect
        plain["layers"][layer]["chain"].append(effect["id"])
    return Shot.model_validate(plain)


def pictures(insert: float, low: float = 0.1, high: float = 0.6) -> Renderer:
    """An even insert over soft facets between two greys."""
    w, h = SIZE
    plate = np.ones((h, w, 4), np.float32)
    plate[..., :3] = (low + (high - low) * np.clip(facets(SIZE, 6.0, 0.0), 0, 1))[..., None]
    white = np.ones((h, w, 4), np.float32)
    white[..., :3] = insert
    return Renderer(Stills(plate=plate, white=white), path, 1 << 26)  # type: ignore[arg-type]


def mended(document: Shot, patch: list[dict[str, Any]]) -> Shot:
    return Held(document.model_dump(mode="json"), document).edit(patch)[0].shot


@pytest.mark.parametrize(("amount", "size"), [(0.01, 0.5), (0.025, 0.5), (0.02, 1.0), (0.02, 0.0)])
def test_missing_grain_is_found_and_laid_on(amount: float, size: float) -> None:
    _, document = scene(1.0)
    renderer = pictures(0.25)
    plate = with_effects(document, "plate", grain={"amount": amount, "size": size, "tones": 0.0, "seed": 4.0})
    found = read(renderer, plate, "over", "grain", 0)
    assert found.visible and found.off < -1 and found.fix is not None
    after = read(renderer, mended(plate, found.fix.patch), "over", "grain", 0)
    assert not after.visible, after.words
    laid_on = found.fix.patch[0]["value"]
    assert laid_on["amount"]["value"] == pytest.approx(amount, rel=0.25)
    assert laid_on["size"]["value"] == pytest.approx(size, abs=0.15)


def test_too_much_grain_is_found_and_none_is_none() -> None:
    _, document = scene(1.0)
    renderer = pictures(0.25)
    plate = with_effects(document, "plate", grain={"amount": 0.01, "size": 0.5, "tones": 0.0, "seed": 4.0})
    both = with_effects(plate, "over", grain={"amount": 0.03, "size": 0.5, "tones": 0.0})
    found = read(renderer, both, "over", "grain", 0)
    assert found.visible and found.off > 1 and found.fix is not None
    after = read(renderer, mended(both, found.fix.patch), "over", "grain", 0)
    assert not after.visible, after.words
    clean = read(renderer, document, "over", "grain", 0)
    assert clean.off == 0 and not clean.visible and clean.fix is None
    alike = with_effects(plate, "over", grain={"amount": 0.01, "size": 0.5, "tones": 0.0})
    assert not read(renderer, alike, "over", "grain", 0).visible


@pytest.mark.parametrize(("insert", "sign"), [(0.0, -1), (0.95, 1), (0.3, 0)])
def test_blacker_or_whiter_than_the_plate_is_found_and_brought_back(insert: float, sign: int) -> None:
    _, document = scene(1.0)
    renderer = pictures(insert)
    found = read(renderer, document, "over", "levels", 0)
    assert np.sign(found.off) == sign and found.visible == bool(sign)
    if sign:
        assert found.fix is not None
        after = read(renderer, mended(document, found.fix.patch), "over", "levels", 0)
        assert not after.visible, (found.words, after.words)
    else:
        assert found.fix is None


def test_what_covers_too_little_is_said() -> None:
    _, document = scene(1.0)
    tiny = document.model_dump(mode="json")
    tiny["layers"]["over"]["place"]["scale"]["value"] = [0.004, 0.004]
    for measure in ("grain", "levels"):
        with pytest.raises(BadInput, match="nothing at frame|too little|too small|covers nothing"):
            read(pictures(0.3), Shot.model_validate(tiny), "over", measure, 0)
