"""Pictures made row by row against the same made step by step, over stacks drawn at random."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import cv2
import numba
import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from tests.core.test_compose import MEDIA, paths
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.media.coded import Coded
from tropein.core.raster import warp
from tropein.core.raster.blend import MODES
from tropein.core.raster.colour import DISPLAY, WORKING, to_display
from tropein.core.raster.yuv import Planes
from tropein.core.rows import samples

W, H = 96, 64
# the others jump from black to white where what is laid, or what it is laid on, is next to either
STEADY = [m for m in MODES if m not in ("colour-dodge", "colour-burn")]
RNG = np.random.default_rng(5)


def smooth(h: int, w: int, n: int) -> np.ndarray:
    """(h, w, n) bytes that look like something."""
    y, x = np.mgrid[0:h, 0:w]
    waves = [127 + 90 * np.sin(x / (5 + i) + y / (9 - i)) + RNG.normal(0, 3, (h, w)) for i in range(n)]
    return np.clip(np.stack(waves, 2), 0, 255).astype(np.uint8)


def coded_between(coded: Coded, low: float, high: float) -> Coded:
    """The same picture in the middle of its range, as codes of RGB."""
    pixels = coded.picture().pixels
    shown = to_display(pixels) / 255 * (high - low) + low
    return Coded(np.dstack([np.rint(shown * 255), np.rint(pixels[..., 3:] * 255)]).astype(np.uint8), DISPLAY)


def cover(h: int, w: int) -> np.ndarray:
    y, x = np.mgrid[0:h, 0:w]
    return np.clip(1.4 - np.hypot((x - w / 2) / (w / 2), (y - h / 2) / (h / 2)) * 1.6, 0, 1)


def planes(h: int, w: int, cells: tuple[int, int], bits: int, alpha: bool, siting: str) -> Planes:
    top = (1 << bits) - 1
    kind = np.uint8 if bits == 8 else np.uint16
    ch, cw = -(-h // cells[1]), -(-w // cells[0])
    y, c = smooth(h, w, 1)[..., 0] / 255, smooth(ch, cw, 2) / 255
    code = lambda v: np.ascontiguousarray(v * top).astype(kind)  # noqa: E731
    return Planes(
        code(y), code(c[..., 0]), code(c[..., 1]), code(cover(h, w)) if alpha else None, bits, siting=siting, full_range=bits == 12
    )  # fmt: skip


FOOTAGE: dict[str, Coded] = {
    MEDIA: Coded(planes(H, W, (2, 2), 8, False, "left"), DISPLAY),
    "1" * 32: Coded(np.dstack([smooth(40, 51, 3), np.rint(cover(40, 51) * 255).astype(np.uint8)]), DISPLAY),
    "2" * 32: Coded(planes(37, 53, (2, 1), 10, True, "center"), DISPLAY),
    "3" * 32: Coded(planes(33, 47, (1, 1), 12, True, "left"), "Gamma 2.2 Rec.709 - Texture"),
    "4" * 32: Coded(np.dstack([smooth(30, 30, 3) / 255, np.ones((30, 30, 1))]).astype(np.float32), WORKING),
    "5" * 32: Coded(planes(H + 1, W + 1, (2, 2), 8, False, "topleft"), WORKING),
}
SIZES = {m: c.window for m, c in FOOTAGE.items()}


class Shelf:
    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        return FOOTAGE[media]


def renderer(by_rows: bool, cache: int = 1 << 26) -> Renderer:
    return Renderer(Shelf(), paths, cache, by_rows=by_rows)  # type: ignore[arg-type]


number = lambda low, high: st.floats(low, high).map(lambda v: round(v, 3))  # noqa: E731
still = lambda v: {"value": v}  # noqa: E731


@st.composite
def effects(draw: Any) -> dict[str, Any]:
    kinds: dict[str, dict[str, Any]] = {
        "grade": {"exposure": draw(number(-2, 2)), "gamma": draw(number(0.5, 2)), "saturation": draw(number(0, 2)),
                  "black": draw(number(-0.1, 0.2)), "offset": [0.01, 0.0, 0.02]},
        "curves": {"luma": {"points": [[0, 0], [0.4, draw(number(0.2, 0.6))], [1, 1]]}},
        "fill": {"colour": [0.2, 0.5, 0.1]},
        "vignette": {"stops": draw(number(-1, 3)), "round": draw(number(0, 1))},
        "light": {"centre": [40, 30], "outer": draw(number(5, 90)), "inner": 4, "cone": draw(st.sampled_from([360, 90]))},
        "noise": {"amount": draw(number(0, 1)), "size": draw(number(2, 90)), "detail": draw(st.integers(1, 5))},
        "grain": {"amount": draw(number(0, 0.1)), "size": draw(number(0, 2))},
        "levels": {"black": draw(number(0, 0.3)), "white": draw(number(0.6, 1.2)), "middle": draw(number(0.5, 2)), "black_out": draw(number(0, 0.2))},
        "two-tones": {"dark": [0.02, 0.03, 0.1], "bright": [0.8, 0.7, 0.5], "keep": draw(number(0, 1))},
        "hue-band": {"hue": draw(number(0, 360)), "width": draw(number(10, 200)), "turn": draw(number(-90, 90)), "rest": draw(number(0, 1))},
        "scan-lines": {"every": draw(number(3, 20)), "dark": draw(number(0, 1)), "roll": draw(number(-2, 2))},
        "white-balance": {"kelvin": draw(number(2000, 12000)), "tint": draw(number(-6, 6)), "grey": [0.4, 0.5, 0.6]},
        "saturation": {"dark": draw(number(0, 2)), "light": draw(number(0, 2)), "pale": draw(number(-1, 1))},
        "threshold": {"level": draw(number(0, 1)), "soft": draw(number(0.2, 0.6))},
        "channels": {"red": [0.2, 0.7, draw(number(0, 0.5))], "invert": draw(number(0, 1))},
        "bands": {"dark": [draw(number(-4, 4)), 1.0, draw(number(-2, 2))], "light": [1.0, draw(number(-4, 4)), 0.3], "overlap": draw(number(0.1, 1))},
        "hues": {"red": [draw(number(0, 2)), draw(number(-60, 60))], "blue": [draw(number(0, 2)), 10.0], "green": [0.2, draw(number(-40, 40))]},
        "picks": {"black": [draw(number(0, 0.1)), 0.01, 0.0], "grey": [draw(number(0.15, 0.4)), 0.2, 0.25], "white": [0.9, draw(number(0.7, 1.2)), 0.8]},
        "haze": {"all": draw(number(0, 1)), "angle": draw(number(-180, 180)), "begin": draw(number(-60, 60)), "over": draw(number(20, 90))},
        "blur": {"radius": draw(number(0, 4))},
        "glow": {"radius": draw(number(1, 12))},
    }  # fmt: skip
    kind = draw(st.sampled_from(sorted(kinds)))
    given_ = {name: still(value) for name, value in kinds[kind].items()}
    cuts = draw(
        st.sampled_from(
            [{}, {}, {"c": {"id": "c", "matte": "m", "side": draw(st.sampled_from(["inside", "outside"]))}}]
        )
    )
    return {"kind": kind, "mix": still(draw(st.sampled_from([1.0, 1.0, 0.4]))), "cuts": cuts, **given_}


GRAIN = {"id": "g", "kind": "grain", "amount": still(0.04), "size": still(0.8), "tones": still(0.6)}
LIKE = {"tones": [0.4, 1.2, 0.7], "bands": [1.0 / (i + 1) for i in range(14)], "mix": [1.05, 0.7, 0.75, 0.6, 0.3, 1.2]}


@st.composite
def layers(draw: Any, i: int) -> dict[str, Any]:
    media = draw(st.sampled_from(sorted(FOOTAGE)))
    whole = draw(st.booleans())
    place: dict[str, Any] = {
        "position": still([draw(number(0, W)), draw(number(0, H))]),
        "rotation": still(draw(st.sampled_from([0, 17, 90]))),
    }
    place["scale"] = still([draw(st.sampled_from([1.0, 0.3, 1.7]))] * 2)
    if whole:
        box = SIZES[media]
        place = {"position": still([box.width / 2 + draw(st.integers(-9, 9)), box.height / 2])}
    elif draw(st.booleans()):
        place = {"corners": still([[10, 8], [80, 3], [90, 60], [-5, 50]])}
    if draw(st.integers(0, 3)) == 0:
        x, y = place.get("position", still([40.0, 30.0]))["value"]
        ends = [{"frame": 0, "value": [x, y]}, {"frame": 8, "value": [x + 40, y + 9]}]
        place |= {"position": {"value": [x, y], "keys": ends}, "motion_blur": True}
    kind = draw(st.sampled_from(["footage", "footage", "footage", "veil", "fill"]))
    look = draw(st.lists(effects(), max_size=2 if kind != "veil" else 3))
    content = {
        "footage": {"kind": "footage", "footage": media[0]},
        "veil": {"kind": "beneath"},
        "fill": {"kind": "fill"},
    }[kind]
    cuts = draw(st.sampled_from([{}, {"c": {"id": "c", "matte": "m"}}]))
    meets = {} if kind == "veil" else draw(st.sampled_from([{}, {}, {"g": GRAIN}, {"g": {**GRAIN, "like": LIKE}}]))
    return {
        "id": f"l{i}", "name": f"l{i}", "content": content, "blend": draw(st.sampled_from(STEADY)), "opacity": still(draw(st.sampled_from([1.0, 0.6]))),
        "effects": {f"e{k}": {**e, "id": f"e{k}"} for k, e in enumerate(look)}, "chain": [f"e{k}" for k in range(len(look))],
        **({} if kind == "veil" else {"place": place}), "cuts": cuts, "meets": meets, "meeting": list(meets),
    }  # fmt: skip


@st.composite
def shots(draw: Any) -> Shot:
    count = draw(st.integers(1, 5))
    stack = [draw(layers(i)) for i in range(count)]
    if draw(st.booleans()):  # over a plate that covers everything
        stack.append(
            {
                "id": "plate",
                "name": "plate",
                "content": {"kind": "footage", "footage": MEDIA[0]},
                "place": {"position": still([W / 2, H / 2])},
            }
        )
    return shot_of(stack, draw(st.sampled_from(["display", "linear"])))


def shot_of(stack: list[dict[str, Any]], blend_in: str = "display") -> Shot:
    outline = {"points": [{"at": p} for p in ([20, 10], [70, 14], [60, 52], [25, 40])]}
    piece = {"kind": "shape", "id": "s", "name": "s", "outline": still(outline), "soften": still(1.0)}
    footage = {
        m[0]: {"id": m[0], "name": m[0], "kind": "still", "media": m, "size": [w.width, w.height], "alpha": True} for m, w in SIZES.items()
    }  # fmt: skip
    return load_shot({
        "schema_version": 4, "name": "random", "size": [W, H], "rate": "24/1", "frames": 9, "trim": [0, 8], "blend_in": blend_in, "footage": footage,
        "layers": {one["id"]: one for one in stack}, "stack": [one["id"] for one in stack],
        "mattes": {"m": {"id": "m", "name": "m", "pieces": {"s": piece}, "order": ["s"]}},
    })  # fmt: skip


def codes(made: Renderer, shot: Shot, frame: float, scale: float) -> np.ndarray:
    planner = made.planner(shot, scale)
    return made.shown(planner.plan(frame), planner.frame_window)


def seen_exactly(
    pixels: np.ndarray, matrix: np.ndarray, size: tuple[int, int], flags: int, borderMode: int
) -> np.ndarray:  # noqa: N803
    """What OpenCV's warps do, with places rounded to as fine parts of a pixel as rows do it."""
    back = np.linalg.inv(np.vstack([matrix, [0, 0, 1]]) if len(matrix) == 2 else matrix)
    x, y = np.meshgrid(np.arange(size[0], dtype=float), np.arange(size[1], dtype=float))
    u, v, z = (row[0] * x + row[1] * y + row[2] for row in back)
    z = np.where(z > 1e-9, z, np.nan)
    u, v = (np.nan_to_num(np.clip(c / z, -999, 9999), nan=-999.0) for c in (u, v))
    iu, iv = np.floor(u).astype(int), np.floor(v).astype(int)
    weights = samples.weights(samples.PARTS)[1]
    if flags == cv2.INTER_LINEAR:
        weights, t = np.zeros_like(weights), np.linspace(0, 1, samples.PARTS + 1)
        weights[:, 1], weights[:, 2] = 1 - t, t
    wu, wv = (weights[np.floor((c - np.floor(c)) * samples.PARTS + 0.5).astype(int)] for c in (u, v))
    h, w = pixels.shape[:2]
    out = np.zeros((size[1], size[0], 4))
    for j in range(4):
        for i in range(4):
            col, row = iu + i - 1, iv + j - 1
            there = (col >= 0) & (col < w) & (row >= 0) & (row < h)
            taps = pixels[np.clip(row, 0, h - 1), np.clip(col, 0, w - 1)] * there[..., None]
            out += taps * (wu[..., i] * wv[..., j])[..., None]
    return out.astype(np.float32)


@pytest.fixture(autouse=True, scope="module")
def _as_fine_as_rows() -> Iterator[None]:
    """OpenCV rounds places to 32 parts of a pixel, which shows at hard edges."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(
            warp, "cv2", SimpleNamespace(**{**vars(cv2), "warpAffine": seen_exactly, "warpPerspective": seen_exactly})
        )
        yield


# no shrinking: an example tells enough, and making it smaller takes minutes
RANDOM = settings(deadline=None, phases=[Phase.explicit, Phase.generate])


@settings(RANDOM, max_examples=120)
@given(shots(), st.integers(0, 8), st.sampled_from([1.0, 0.5, 0.37]))
def test_row_by_row_is_as_step_by_step(shot: Shot, frame: int, scale: float) -> None:
    one, other = renderer(False), renderer(True)
    planner = one.planner(shot, scale)
    expected = one.run(planner.plan(frame)).fill(planner.frame_window)
    wanted = to_display(expected).astype(int)
    for again in range(3):  # the second time things are kept, the third time they are there
        gap = np.abs(codes(other, shot, frame, scale).astype(int) - wanted)
        # single pixels may differ where a place lies between two parts of a pixel, or a mode jumps from black to white
        assert np.percentile(gap, 99) <= 1 and np.mean(gap > 4) < 0.002, again
    picture = renderer(True).frame(shot, frame, scale).fill(planner.frame_window)
    assert np.abs(picture[..., 3] - expected[..., 3]).max() < 0.02
    assert np.percentile(np.abs(picture - expected), 99) < 0.01


@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("display", [True, False])
@pytest.mark.parametrize("plate", [True, False])
def test_every_mode(mode: str, display: bool, plate: bool) -> None:
    over = {"id": "o", "name": "o", "content": {"kind": "footage", "footage": "1"}, "blend": mode, "opacity": still(0.7),
            "place": {"position": still([30.5, 25])}}  # fmt: skip
    under = {"id": "u", "name": "u", "content": {"kind": "footage", "footage": "0" if plate else "1"},
             "place": {"position": still([48, 32] if plate else [41.5, 31])}}  # fmt: skip
    mid = {name: coded_between(FOOTAGE[name], 0.2, 0.8) for name in (MEDIA, "1" * 32)}
    shot = shot_of([over, under], "display" if display else "linear")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Shelf, "read", lambda self, media, index, level: mid[media])
        gap = np.abs(codes(renderer(False), shot, 0, 1.0).astype(int) - codes(renderer(True), shot, 0, 1.0))
    assert gap.max() <= 1


@settings(RANDOM, max_examples=25)
@given(shots(), st.integers(0, 8))
def test_the_number_of_threads_changes_no_bit(shot: Shot, frame: int) -> None:
    made = []
    for threads in (1, 2):
        numba.set_num_threads(min(threads, numba.config.NUMBA_NUM_THREADS))
        made.append(renderer(True).frame(shot, frame).pixels)
    assert np.array_equal(made[0], made[1])


def test_an_edit_near_the_lens_makes_nothing_below_again(monkeypatch: pytest.MonkeyPatch) -> None:
    from tropein.core.compose import runs

    def layer(i: int, opacity: float) -> dict[str, Any]:
        return {"id": f"l{i}", "name": "l", "content": {"kind": "footage", "footage": "1"}, "opacity": still(opacity),
                "place": {"position": still([20.5 + 9 * i, 30]), "rotation": still(20)}}  # fmt: skip

    def shot(opacity: float) -> Shot:
        return shot_of([layer(0, opacity), *(layer(i, 1.0) for i in range(1, 5))])

    counted: list[int] = []
    perform = runs.perform
    monkeypatch.setattr(runs, "perform", lambda ops, region: (counted.append(len(ops)), perform(ops, region))[1])
    made = renderer(True)
    for opacity in (1.0, 0.9, 0.8, 0.7):
        counted.clear()
        drawn = codes(made, shot(opacity), 0, 1.0)
        assert np.abs(drawn.astype(int) - codes(renderer(False), shot(opacity), 0, 1.0)).max() <= 3
        if opacity == 1.0:
            assert sum(counted) >= 10  # five layers are seen through their places, and laid
    assert sum(counted) <= 6  # the four below and the one above are there: both come in, one is laid, and it goes out
