"""Effects that look beside their own picture: at a matte, at another layer, at frames around; against layers, geometry and planted grain."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tests.core.test_edges import Stills, path
from tests.core.test_effects import apply
from tropein.core.compose.artefacts import Artefacts, stored_with
from tropein.core.compose.render import Renderer, of_artefacts
from tropein.core.document.effect import EFFECTS
from tropein.core.document.upgrade import load_shot
from tropein.core.effects import run, sampled
from tropein.core.errors import BadInput
from tropein.core.interchange.cube import read_cube
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING, encoded
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.lookup import looked_up_in
from tropein.core.raster.picture import Picture, Pixels, Window

W, H = 320, 180
FRAME = Window(0, 0, W, H)
Y, X = np.mgrid[0:H, 0:W] + 0.5


class Frames(Stills):
    """Still pictures by media, and "clip": a list of them, one a frame."""

    def __init__(self, clip: list[Pixels], **named: Pixels) -> None:
        super().__init__(**named)
        self.clip = clip

    def read(self, media: str, index: int, level: int) -> Coded:
        return Coded(self.clip[index], WORKING) if media == "c" * 32 else super().read(media, index, level)


def soft_noise(seed: int, sigma: float) -> Pixels:
    noise = cv2.GaussianBlur(np.random.default_rng(seed).random((H, W, 3)).astype(np.float32), (0, 0), sigma)
    return np.asarray(np.clip((noise - 0.5) * 4 * sigma / 3 + 0.4, 0.02, 1), np.float32)


def opaque(rgb: Any) -> Pixels:
    return np.dstack([np.broadcast_to(np.asarray(rgb, np.float32), (H, W, 3)), np.ones((H, W), np.float32)])


def shot(effect: dict[str, Any], mattes: dict[str, Any] | None = None, layers: dict[str, Any] | None = None, frames: int = 5) -> Any:  # fmt: skip
    plate = {
        "id": "plate", "name": "Plate", "content": {"kind": "footage", "footage": "clip"}, "place": {"position": {"value": [W / 2, H / 2]}},
        "effects": {"e": {"id": "e", **effect}}, "chain": ["e"],
    }  # fmt: skip
    more = layers or {}
    clip = {
        "id": "clip",
        "name": "Clip",
        "kind": "clip",
        "media": "c" * 32,
        "size": [W, H],
        "rate": "24/1",
        "frames": frames,
    }
    return load_shot(
        {
            "schema_version": 4, "name": "Test", "size": [W, H], "rate": "24/1", "frames": frames, "trim": [0, frames - 1], "footage": {"clip": clip},
            "layers": {"plate": plate, **more}, "stack": [*more, "plate"], "plate": "plate", "mattes": mattes or {},
        }
    )  # fmt: skip


def drawn(clip: list[Pixels], document: Any, frame: int = 0) -> Pixels:
    renderer = Renderer(Frames(clip), path, 1 << 26)  # type: ignore[arg-type]
    return renderer.run(renderer.planner(document, 1.0).plan(frame)).fill(FRAME)


def disc_matte(radius: float) -> dict[str, Any]:
    points = [
        {"at": [W / 2 + radius * np.cos(a), H / 2 + radius * np.sin(a)]}
        for a in np.linspace(0, 2 * np.pi, 48, endpoint=False)
    ]
    shape = {"kind": "shape", "id": "s", "name": "S", "outline": {"value": {"points": points}}}
    return {"subject": {"id": "subject", "name": "Subject", "pieces": {"s": shape}, "order": ["s"]}}


@pytest.mark.parametrize("reads", ["subject", "near"])
def test_a_sharp_subject_keeps_its_edge_and_no_halo(reads: str) -> None:
    cover = np.clip(50.5 - np.hypot(Y - H / 2, X - W / 2), 0, 1).astype(np.float32)[..., None]
    front, behind = np.array([0.8, 0.2, 0.1], np.float32) + 0.2 * soft_noise(1, 2), soft_noise(2, 3) * 0.6
    values = {"radius": 9.0, "bloom": 0.0}
    soft = apply("defocus", Picture(opaque(behind), FRAME), **values).pixels[..., :3]
    wanted = front * cover + soft * (1 - cover)  # made of layers
    keyed = {k: {"value": v} for k, v in values.items()}
    document = shot({"kind": "defocus", **keyed, "by": "subject", "reads": reads}, disc_matte(50))
    clip = [opaque(front * cover + behind * (1 - cover))] * 5
    out = drawn(clip, document)[..., :3]
    band = np.abs(np.hypot(Y - H / 2, X - W / 2) - 50) < 12
    without = drawn(clip, shot({"kind": "defocus", **keyed}))[..., :3]
    assert np.abs(out - wanted)[band].mean() < 0.012 < 0.35 * np.abs(without - wanted)[band].mean()
    assert np.abs(out - wanted)[~band].mean() < 0.008


def test_what_is_at_the_sharp_distance_stays_and_what_is_near_spreads_over_it() -> None:
    rgb = soft_noise(3, 1.0)
    near = np.zeros((H, W), np.float32)
    near[:, :100] = 1
    rgb[:, :100] = [0.9, 0.1, 0.1]
    values = sampled(EFFECTS.of("defocus").model_validate({"kind": "defocus", "id": "e"}), 0)
    values |= {"radius": 8.0, "bloom": 0.0, "reads": "near", "focus": 1.0, "given": [Coverage(near, FRAME), None]}
    out = run("defocus", Picture(opaque(rgb), FRAME), values, 1.0).pixels
    assert np.abs(out[:, 112:, :3] - rgb[:, 112:]).max() < 0.02  # sharp beyond its reach
    assert (out[20:-20, 101:104, 0] - rgb[20:-20, 101:104, 0]).mean() > 0.05  # the soft one lies over the sharp one
    assert np.abs(out[..., 3] - 1).max() < 1e-3


def test_a_layer_displaces_by_how_bright_it_is() -> None:
    ramp = opaque(np.repeat((X / W).astype(np.float32)[..., None], 3, 2))
    fill = {"id": "map", "name": "Map", "content": {"kind": "fill", "colour": {"value": [1.0, 1.0, 1.0]}}, "place": {"position": {"value": [W / 2, H / 2]}}, "visible": False}  # fmt: skip
    effect = {"kind": "displace", "far": {"value": [16.0, 0.0]}, "contrast": {"value": 1.0}, "layer": "map"}
    out = drawn([ramp] * 5, shot(effect, layers={"map": fill}))
    assert np.abs(out[:, 20:-20, 0] - (X + 16)[:, 20:-20] / W).max() < 1e-3
    fill["content"]["colour"] = {"value": [0.2140, 0.2140, 0.2140]}  # half, as a display shows it
    assert np.abs(drawn([ramp] * 5, shot(effect, layers={"map": fill})) - ramp).max() < 1e-3
    with pytest.raises((BadInput, ValueError)):  # not by itself
        shot({**effect, "layer": "plate"})


def test_a_moving_square_is_smeared_along_its_way_and_the_rest_is_not() -> None:
    wall = soft_noise(4, 4) * 0.3
    clip = []
    for i in range(5):
        rgb = wall.copy()
        texture = soft_noise(9, 1.5)[60:120, 0:60]
        rgb[60:120, 80 + 8 * i : 140 + 8 * i] = np.clip(texture + 0.4, 0, 1)
        clip.append(opaque(rgb))
    keyed = {"shutter": {"value": 360.0}}
    out = drawn(clip, shot({"kind": "motion-smear", **keyed}), 2)
    # truth: the square at 33 moments of the shutter
    wanted = np.zeros((H, W, 3), np.float32)
    for t in np.linspace(-0.5, 0.5, 33):
        x = 96 + 8 * t
        whole = int(np.floor(x))
        rgb, part = wall.copy(), np.clip(texture + 0.4, 0, 1)
        for at, k in ((whole, 1 - (x - whole)), (whole + 1, x - whole)):
            rgb[60:120, at : at + 60] += k * (part - wall[60:120, at : at + 60])
        wanted += rgb / 33
    inside = slice(64, 116), slice(84, 172)
    before = np.abs(clip[2][..., :3] - wanted)[inside].mean()
    assert np.abs(out[..., :3] - wanted)[inside].mean() < 0.4 * before
    assert np.abs(out[..., :3] - clip[2][..., :3])[:40].max() < 1e-3
    assert np.array_equal(drawn(clip, shot({"kind": "motion-smear", "shutter": {"value": 0.0}}), 2), clip[2])


def test_grain_is_taken_out_and_detail_that_moves_stays() -> None:
    rng = np.random.default_rng(5)
    wide = cv2.resize(soft_noise(6, 1.2), (W + 40, H), interpolation=cv2.INTER_CUBIC)
    clean = [np.clip(wide[:, 3 * i : 3 * i + W], 0, 1) for i in range(5)]
    clean[1] = clean[1].copy()
    clean[1][50:90, 100:160] = 0.9  # a flash of one frame, which must not come into the one looked at
    clip = [opaque(np.clip(c + rng.normal(0, 0.02, c.shape).astype(np.float32), 0.001, 1)) for c in clean]
    out = drawn(clip, shot({"kind": "degrain"}), 2)[..., :3]
    inside = slice(8, -8), slice(16, -16)

    def off(picture: Pixels) -> float:
        return float((encoded(picture) - encoded(np.ascontiguousarray(clean[2])))[inside].std())

    assert off(np.ascontiguousarray(out)) < 0.62 * off(clip[2][..., :3].copy())
    flash = (out - clean[2])[55:85, 105:155]
    assert abs(flash.mean()) < 0.01
    blurred = cv2.GaussianBlur(clip[2][..., :3], (0, 0), 1.0)
    assert off(np.ascontiguousarray(out)) < off(blurred)


def test_a_lens_moves_the_corner_by_its_share_and_straightens_what_it_bent() -> None:
    rgb = soft_noise(7, 6)
    picture = Picture(opaque(rgb), FRAME)
    lens = EFFECTS.of("lens")
    values = {way: sampled(lens.model_validate({"kind": "lens", "id": "e", "way": way, "bend": {"value": -8.0}}), 0) for way in ("bend", "straighten")}  # fmt: skip
    bent = run("lens", picture, values["bend"], 1.0)
    back = run("lens", bent, values["straighten"], 1.0).pixels
    assert (
        np.abs(back - picture.pixels)[30:-30, 40:-40].mean() < 0.004 < 0.3 * np.abs(bent.pixels - picture.pixels).mean()
    )
    spot = opaque(np.zeros(3))
    spot[70:74, 300:304, :3] = 1
    seen = run("lens", Picture(spot, FRAME), values["bend"], 1.0).pixels[..., 0]
    out = (np.arange(W) + 0.5) @ seen.sum(0) / seen.sum()
    reach = float(np.hypot(W, H)) / 2
    r = float(np.hypot(302 - W / 2, 72 - H / 2))
    # by its formula, whose corner is seen 8 % too far in
    k = -0.08 / (reach / 0.92) ** 2
    assert out == pytest.approx(W / 2 + (302 - W / 2) * (1 + k * r * r), abs=0.1)


def cube(table: np.ndarray, *lines: str) -> bytes:
    side = len(table)
    rows = "\n".join(" ".join(f"{v:.6f}" for v in row) for row in table.reshape(-1, 3))
    return "\n".join(['TITLE "Test"', "# made here", f"LUT_3D_SIZE {side}", *lines, rows, ""]).encode()


def unit(side: int) -> np.ndarray:
    at = np.linspace(0, 1, side)
    b, g, r = np.meshgrid(at, at, at, indexing="ij")
    return np.stack([r, g, b], -1)


def test_a_table_of_colours_is_read_and_laid_on_what_the_display_shows(tmp_path: Any) -> None:
    rng = np.random.default_rng(1)
    display = rng.random((40, 50, 3)).astype(np.float32)
    assert np.abs(looked_up_in(display, read_cube(cube(unit(9)), "a.cube")) - display).max() < 1e-6
    # tetrahedra are exact for what is linear, and near for what is not
    mix = unit(17) @ np.array([[0.7, 0.2, 0.1], [0.1, 0.8, 0.1], [0.0, 0.3, 0.7]]).T
    assert np.abs(looked_up_in(display, read_cube(cube(mix), "a.cube")) - display @ np.array([[0.7, 0.2, 0.1], [0.1, 0.8, 0.1], [0.0, 0.3, 0.7]]).T.astype(np.float32)).max() < 1e-5  # fmt: skip
    bent = looked_up_in(display, read_cube(cube(unit(33) ** 1.5), "a.cube"))
    assert np.abs(bent - display**1.5).max() < 2e-3
    assert looked_up_in(np.full((1, 1, 3), 1.25, np.float32), read_cube(cube(unit(5) * 0.5), "a.cube"))[0, 0, 0] == pytest.approx(0.75)  # fmt: skip
    curve = b"LUT_1D_SIZE 3\n0 0 0\n0.25 0.5 0.75\n1 1 1\n"
    assert looked_up_in(np.full((1, 1, 3), 0.5, np.float32), read_cube(curve, "c.cube"))[0, 0] == pytest.approx([0.25, 0.5, 0.75], abs=1e-3)  # fmt: skip
    wide = read_cube(cube(unit(5), "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 2 2 2"), "w.cube")
    assert looked_up_in(np.full((1, 1, 3), 0.5, np.float32), wide)[0, 0] == pytest.approx([0.25] * 3, abs=1e-5)

    beside = Artefacts(tmp_path)
    name = beside.put_table(read_cube(cube(unit(17) ** 2), "Dusk.cube"))
    document = shot({"kind": "lookup", "table": {"stored": name, "name": "Dusk.cube"}})
    assert (name, ".table") in set(stored_with(document))
    clip = [opaque(soft_noise(1, 3))] * 5
    drawn_with = of_artefacts(Frames(clip), beside, 1 << 26)  # type: ignore[arg-type]
    out = drawn_with.run(drawn_with.planner(document).plan(0)).fill(FRAME)[..., :3]
    wanted = encoded(clip[0][..., :3].copy()) ** 2
    assert np.abs(encoded(np.ascontiguousarray(out)) - wanted).max() < 4e-3
    missing = of_artefacts(Frames(clip), Artefacts(tmp_path / "none"), 1 << 26)  # type: ignore[arg-type]
    assert np.array_equal(missing.run(missing.planner(document).plan(0)).fill(FRAME), clip[0])


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"\x89PNG\xff\xfe", "not text"), (b"", "LUT_3D_SIZE"), (b"LUT_3D_SIZE 1\n0 0 0\n", "from 2"), (b"LUT_3D_SIZE 900\n", "from 2 to 129"), (b"LUT_3D_SIZE 2\n0 0 0\n", "must be 8"),
        (b"LUT_1D_SIZE 2\n0 0 0\nnan 1 1\n", "no numbers"), (b"LUT_1D_SIZE 2\n0 0\n1 1\n", "three numbers"), (b"LUT_1D_SIZE 2\nDOMAIN_MAX 0 0 0\n0 0 0\n1 1 1\n", "domain is empty"),
        (b"LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n", "two tables"), (b"LUT_1D_SIZE 2\n0 0 0\n1 1 inf\n", "no numbers"), (b"LUT_1D_SIZE two\n", "whole number"),
    ],
)  # fmt: skip
def test_what_is_no_table_of_colours_says_why(data: bytes, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        read_cube(data, "a.cube")
