"""Fonts that people bring: letters of known shapes, letters they lack, files that are none."""

from __future__ import annotations

import io
import random
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen

from tests.core.test_generated import shot_of
from tropein.core.compose.artefacts import Artefacts, stored_with
from tropein.core.compose.render import of_artefacts
from tropein.core.document import Shot
from tropein.core.errors import BadInput, TropeinError
from tropein.core.interchange.bundle import Bundle, write_bundle
from tropein.core.interchange.fonts import Limits, looked_into, read_font
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources


@cache  # the file says when it was made
def squares() -> bytes:
    """A font whose only letter, A, is a square as high as the font is."""
    build = FontBuilder(1000, isTTF=True)
    build.setupGlyphOrder([".notdef", "A"])
    build.setupCharacterMap({0x41: "A"})
    pens = {".notdef": TTGlyphPen(None), "A": TTGlyphPen(None)}
    for corner, at in enumerate([(0, 0), (0, 1000), (1000, 1000), (1000, 0)]):
        (pens["A"].lineTo if corner else pens["A"].moveTo)(at)
    pens["A"].closePath()
    build.setupGlyf({n: p.glyph() for n, p in pens.items()})
    build.setupHorizontalMetrics({".notdef": (500, 0), "A": (1000, 0)})
    build.setupHorizontalHeader(ascent=1000, descent=0)
    build.setupNameTable({"familyName": "Squares", "styleName": "Regular", "fullName": "Squares of ours"})
    build.setupOS2()
    build.setupPost()
    out = io.BytesIO()
    build.save(out)
    return out.getvalue()


def alpha(shot: Shot, beside: Artefacts, folder: Path) -> np.ndarray:
    renderer = of_artefacts(Sources(MediaStore(folder), final=True), beside, 64 << 20)
    planner = renderer.planner(shot)
    return renderer.run(planner.plan(0)).fill(planner.frame_window)[..., 3]


def test_text_in_a_font_that_was_brought_has_its_shapes_and_borrows_what_it_lacks(tmp_path: Path) -> None:
    data, beside = squares(), Artefacts(tmp_path / "beside")
    assert read_font(data, "squares.ttf") == "Squares of ours"
    font = {"stored": beside.put_font(data), "name": "Squares of ours"}
    words = {"height": 60.0, "at": (160.0, 90.0), "align": "left", "spacing": 0.5}

    def text(letters: str, own: object) -> np.ndarray:
        shot = shot_of("text", text=letters, **words)
        layer = shot.model_dump(mode="json")
        layer["layers"]["it"]["content"]["font"] = own
        shot = Shot.model_validate(layer)
        assert len(set(stored_with(shot))) == (own is not None)
        return alpha(shot, beside, tmp_path)

    seen = text("AA", font)
    y, x = np.nonzero(seen > 0.5)
    assert abs(seen.sum() - 2 * 3600) < 40  # two squares of 60 px, 30 px apart
    assert x.min() == 160 and abs(x.max() - 309) <= 1 and abs(np.ptp(y) - 59) <= 1
    assert seen[:, 222:248].max() < 0.02
    # letters it lacks are the plain face's, in their places
    mixed, plain = text("AO", font), text("OO", None)
    assert mixed[:, 160:220].sum() == pytest.approx(3600, abs=40)
    assert mixed[:, 250:].sum() == pytest.approx(plain.sum() / 2, rel=0.03)
    # one that is missing is said nothing of and drawn in the face
    gone = {"stored": "0" * 32, "name": "gone"}
    assert np.array_equal(text("OO", gone), plain)


def test_what_is_no_font_says_so_in_one_line(tmp_path: Path) -> None:
    data, rng = squares(), random.Random(3)
    for bad, name in ((b"", "a.ttf"), (b"GIF89a" * 40, "a.otf"), (data[:200], "a.ttf"), (data, "a.pdf")):
        with pytest.raises(BadInput, match="a\\.") as error:
            read_font(bad, name)
        assert "\n" not in str(error.value)
    with pytest.raises(TropeinError, match="memory"):
        read_font(data, "a.ttf", Limits(memory_bytes=16 << 20, quiet_s=5, total_s=5))
    for _ in range(120):
        broken = bytearray(data)
        for _ in range(rng.choice([1, 4, 40])):
            broken[rng.randrange(len(broken))] ^= 1 << rng.randrange(8)
        (tmp_path / "font").write_bytes(broken)
        try:
            assert looked_into(lambda said: None, str(tmp_path / "font"), "b.ttf")
        except BadInput as error:
            assert "b.ttf" in str(error)


def test_a_font_goes_along_in_a_bundle_and_another_one_does_not_pass_for_it(tmp_path: Path) -> None:
    beside, store = Artefacts(tmp_path / "beside"), MediaStore(tmp_path / "media")
    stored = beside.put_font(squares())
    made = shot_of("text", text="A").model_dump(mode="json")
    made["layers"]["it"]["content"]["font"] = {"stored": stored, "name": "Squares"}
    write_bundle(Shot.model_validate(made), store, beside, tmp_path / "shot.zip")
    there = Artefacts(tmp_path / "there")
    bundle = Bundle(tmp_path / "shot.zip")
    bundle.unpack_bulk(there)
    bundle.close()
    found = there.font(stored)
    assert found is not None and found.read_bytes() == squares()
    beside.font_file(stored).write_bytes(squares()[:300])
    write_bundle(Shot.model_validate(made), store, beside, tmp_path / "broken.zip")
    broken, none = Bundle(tmp_path / "broken.zip"), Artefacts(tmp_path / "none")
    with pytest.raises(BadInput):
        broken.unpack_bulk(none)
    broken.close()
    assert none.font(stored) is None
