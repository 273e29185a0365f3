"""Grades found from colours and from light that changes, against what was planted; and the files they go in and out by."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tests.core.test_asking import cube, unit
from tests.core.test_edges import Stills, path, scene
from tests.core.test_effects import apply
from tests.core.test_match import SIZE, mended, with_effects
from tropein.core.compose.render import Renderer
from tropein.core.document.effect import EFFECTS
from tropein.core.effects.grade import balance, balanced_by
from tropein.core.errors import BadInput, NotFound
from tropein.core.interchange.cube import read_cube, written_cube
from tropein.core.interchange.looks import as_cdl, as_cube
from tropein.core.match.cdl import Cdl, read_cdl
from tropein.core.match.colours import Asked, Pair, graded, match
from tropein.core.match.fit import difference, from_clouds, from_pairs, monge_kantorovich
from tropein.core.match.follow import follow
from tropein.core.match.light import changed, followed, soft
from tropein.core.match.measure import insert_of
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING, decoded, encoded
from tropein.core.raster.lookup import looked_up_in
from tropein.core.raster.picture import Picture, Pixels, Window

WARM = Cdl((1.15, 1.0, 0.82), (-0.02, 0.0, 0.03), (1.1, 1.0, 0.95), 0.8)


def test_the_difference_of_colours_is_the_standards() -> None:
    # pairs of Sharma, Wu and Dalal, table 1, brought to display values where they have such
    def rgb(l: float, a: float, b: float) -> Any:
        fy = (l + 16) / 116
        xyz = [0.95047, 1.0, 1.08883] * np.array(
            [t**3 if t > 6 / 29 else (t - 16 / 116) / 7.787037 for t in (fy + a / 500, fy, fy - b / 200)]
        )
        light = (
            np.linalg.inv(
                [
                    [0.4124564, 0.3575761, 0.1804375],
                    [0.2126729, 0.7151522, 0.0721750],
                    [0.0193339, 0.1191920, 0.9503041],
                ]
            )
            @ xyz
        )
        return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)

    for a, b, wanted in (
        ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ((63.0109, -31.0961, -5.8663), (62.8187, -29.7946, -4.0864), 1.2630),
    ):
        assert difference(rgb(*a), rgb(*b)) == pytest.approx(wanted, abs=2e-3)
    assert difference(np.full(3, 0.4), np.full(3, 0.4)) == 0


def things(seed: int, count: int) -> Any:
    rng = np.random.default_rng(seed)
    c = rng.uniform(0.1, 0.85, (count, 3))
    return c.mean(1, keepdims=True) + 0.6 * (c - c.mean(1, keepdims=True))


def test_six_pairs_tell_a_grade_and_one_that_contradicts_them_does_not_spoil_it() -> None:
    own, everything = things(1, 6), things(2, 400)
    wanted = WARM(own)
    plain = from_pairs(own, wanted)
    assert plain.helps and difference(plain.grade(everything), WARM(everything)).mean() < 1.2
    spoilt = wanted.copy()
    spoilt[3] = [0.9, 0.1, 0.9]
    assert difference(from_pairs(own, spoilt).grade(everything), WARM(everything)).mean() < 3.0
    same = from_pairs(own, own)
    assert not same.helps and same.grade == Cdl()
    ones = [from_pairs(own[i : i + 1], wanted[i : i + 1]) for i in range(6)]
    assert all(one.after < 1 for one in ones)
    with pytest.raises(BadInput):
        from_pairs(np.zeros((0, 3)), np.zeros((0, 3)))


def test_clouds_of_the_same_things_in_other_numbers_tell_a_grade_better_than_moments() -> None:
    rng, kinds = np.random.default_rng(3), things(4, 6)

    def cloud(shares: Any) -> Any:
        of = rng.choice(6, 3000, p=shares)
        return np.clip(kinds[of] * (1 + rng.normal(0, 0.15, (3000, 1))) + rng.normal(0, 0.015, (3000, 3)), 0.01, 0.99)

    own, wanted = cloud([0.3, 0.3, 0.2, 0.1, 0.05, 0.05]), WARM(cloud([0.1, 0.1, 0.2, 0.2, 0.2, 0.2]))
    found, moments = from_clouds(own, wanted), monge_kantorovich(own, wanted)
    off, by_moments = (float(difference(np.clip(v, 0, 1), WARM(own)).mean()) for v in (found.grade(own), moments(own)))
    assert found.helps and off < 0.8 * by_moments
    nothing = from_clouds(own, own)
    assert not nothing.helps
    with pytest.raises(BadInput):
        from_clouds(own[:5], wanted)


def test_a_plate_of_one_colour_is_borne() -> None:
    found = from_clouds(things(1, 300), np.full((300, 3), 0.4))
    made = found.grade(things(1, 300))
    assert np.isfinite(made).all()


def test_grades_go_out_and_come_back_and_what_is_none_says_why() -> None:
    back = read_cdl(WARM.written("Warm").encode(), "warm.cdl")
    assert back == WARM
    display = np.random.default_rng(1).random((20, 20, 3))
    table = read_cube(written_cube(WARM, "Warm").encode(), "warm.cube")
    assert np.abs(looked_up_in(display.astype(np.float32), table) - WARM(display)).max() < 6e-3
    assert np.abs(WARM.partly(0)(display) - display).max() < 1e-9
    for data, says in (
        (b"no", "not XML"),
        (b"<a/>", "no slope"),
        (b"<!DOCTYPE a><a/>", "declares"),
        (WARM.written("w").replace("0.820000", "x").encode(), "Slope must be 3"),
        (WARM.written("w").replace("1.100000", "-1").encode(), "above"),
    ):
        with pytest.raises(BadInput, match=says):
            read_cdl(data, "a.cdl")


def test_gains_are_exposure_temperature_and_tint() -> None:
    gains = np.array([1.3, 0.9, 0.7])
    exposure, temperature, tint = balanced_by(gains)
    assert balance(temperature, tint) * 2**exposure == pytest.approx(gains, rel=1e-9)


def wall(seed: int = 1) -> Pixels:
    rng = np.random.default_rng(seed)
    p = np.full((260, 420, 3), 0.3, np.float32)
    for _ in range(150):
        c = rng.uniform(0.05, 0.8, 3)
        cv2.fillPoly(
            p,
            [(rng.uniform((0, 0), (420, 260)) + rng.uniform(-40, 40, (5, 2))).astype(int)],
            (c.mean() + 0.5 * (c - c.mean())).tolist(),
        )
    return np.asarray(cv2.GaussianBlur(p, (0, 0), 1) ** 1.5, np.float32)


WALL = wall()


def filmed(frame: int, gain: Any, offset: Any, hand: bool = False) -> Pixels:
    """The wall by a camera that sways, in other light, with grain, in bytes; half of it behind a hand."""
    x, y = 40 + 5 * np.sin(frame / 2), 30 + 4 * np.cos(frame / 3)
    light = cv2.warpAffine(WALL, np.array([[1, 0, -x], [0, 1, -y]], np.float32), (320, 200)) * np.float32(
        gain
    ) + np.float32(offset)
    if hand and frame:
        light[:, 40:220] = [0.3, 0.15, 0.1]
    display = encoded(np.ascontiguousarray(light)) + np.random.default_rng(frame).normal(0, 0.008, light.shape).astype(
        np.float32
    )
    return decoded(np.ascontiguousarray(np.round(np.clip(display, 0, 1) * 255) / 255, np.float32))


LIGHTS = {
    "still": lambda f: (np.ones(3), np.zeros(3)),
    "dims": lambda f: (np.full(3, 2 ** (-f / 8)), np.zeros(3)),
    "flickers": lambda f: (np.full(3, 2 ** (0.5 * np.sin(f * 2.1))), np.zeros(3)),
    "warms": lambda f: (np.array([1 + 0.03 * f, 1, 1 - 0.03 * f]), np.zeros(3)),
    "veiled": lambda f: (np.full(3, 0.85), np.array([0.04, 0.045, 0.05]) * f / 10),
}


@pytest.mark.parametrize("hand", [False, True])
@pytest.mark.parametrize("light", LIGHTS)
def test_the_light_on_a_plate_is_followed(light: str, hand: bool) -> None:
    test = np.random.default_rng(5).uniform(0.03, 0.6, (1, 100, 3)).astype(np.float32)
    gain0, offset0 = (np.float32(v) for v in LIGHTS[light](0))
    before = test * gain0 + offset0
    off, stood = [], []
    for frame, change in followed(lambda f: filmed(f, *LIGHTS[light](f), hand), range(10), 0):
        gain, offset = (np.float32(v) for v in LIGHTS[light](frame))
        truth = encoded(np.ascontiguousarray(test * gain + offset))
        off.append(difference(encoded(change(before)), truth).mean())
        stood.append(difference(encoded(np.ascontiguousarray(before)), truth).mean())
        assert change.sure
        assert np.abs(change.undone(change(before)) - before).max() < 2e-3
    assert np.mean(off) < max(0.2 * np.mean(stood), 0.35)


def test_pictures_of_other_things_are_not_compared() -> None:
    one, other = soft(wall(1)), soft(wall(9))
    assert not changed(one, other).sure or changed(one, other).cells < 0.25 * changed(one, one).cells
    assert not changed(np.zeros_like(one), one).sure


class Lit(Stills):
    """ "plate" is a wall in light that dims; the rest are stills."""

    def read(self, media: str, index: int, level: int) -> Coded:
        if media == "a" * 32:
            return Coded(
                np.dstack([cv2.resize(WALL, SIZE) * np.float32(2 ** (-index / 12)), np.ones(SIZE[::-1], np.float32)]),
                WORKING,
            )
        return super().read(media, index, level)


def two(colour: Any) -> tuple[Renderer, Any]:
    """A square of one colour with lighter and darker parts, over the wall."""
    _, document = scene(1.0)
    insert = np.ones((SIZE[1], SIZE[0], 4), np.float32)
    insert[..., :3] = np.float32(colour)
    insert[:, ::2, :3] *= 0.6
    renderer = Renderer(
        Stills(plate=np.dstack([cv2.resize(WALL, SIZE), np.ones(SIZE[::-1], np.float32)]), white=insert), path, 1 << 26
    )  # type: ignore[arg-type]
    return renderer, document


def test_an_insert_is_matched_by_pairs_by_a_region_and_by_itself() -> None:
    renderer, document = two([0.2, 0.3, 0.6])
    seen = insert_of(renderer, document, "over")
    pair = Pair(own=(160, 120), plate=(40, 200), own_frame=0, plate_frame=0)
    found = match(seen, Asked(by="pairs", pairs=[pair]))
    assert (
        found.fix is not None
        and found.pairs[0].before > 5 > 1.5 > found.pairs[0].after
        and "Three or more" in found.words
    )
    after = mended(document, found.fix.patch)
    grade = after.layers["over"].looks[-1]
    assert grade.id.startswith("match-") and grade.kind == "grade"
    assert after.layers["over"].pairs == [pair]  # kept with the insert
    # once more replaces it, and measures without it
    again = match(insert_of(renderer, after, "over"), Asked(by="pairs", pairs=[pair]))
    assert again.fix is not None and len(mended(after, again.fix.patch).layers["over"].chain) == len(
        after.layers["over"].chain
    )
    assert again.pairs[0].before == pytest.approx(found.pairs[0].before, abs=0.01)
    region = match(seen, Asked(by="regions", plate=(0, 0, 100, 240)))
    assert region.fix is not None and region.after < region.before
    by_itself = match(seen, Asked(by="itself"))
    assert "A start only" in by_itself.words
    # grain stays last
    grained = with_effects(document, "over", grain={"amount": 0.02})
    patch = match(insert_of(renderer, grained, "over"), Asked(by="pairs", pairs=[pair])).fix.patch  # type: ignore[union-attr]
    assert [e.kind for e in mended(grained, patch).layers["over"].looks][-1] == "grain"


def test_what_cannot_be_matched_says_why() -> None:
    renderer, document = two([0.2, 0.3, 0.6])
    seen = insert_of(renderer, document, "over")
    for asked, says in (
        (Asked(by="pairs"), "Pick a place"),
        (Asked(by="pairs", pairs=[Pair(own=(2, 2), plate=(9, 9), own_frame=0, plate_frame=0)]), "shows nothing where"),
        (Asked(by="pairs", pairs=[Pair(own=(160, 120), plate=(5000, 9), own_frame=0, plate_frame=0)]), "outside"),
        (Asked(by="regions", plate=(0, 0, 2, 2)), "too small"),
        (Asked(by="regions", own=(0, 0, 20, 20)), "too little"),
    ):
        with pytest.raises(BadInput, match=says):
            match(seen, asked)
    with pytest.raises(NotFound):
        insert_of(renderer, document, "plate")


def test_an_insert_follows_the_plate_by_keys_of_a_grade() -> None:
    _, document = scene(1.0)
    plain = document.model_dump(mode="json")
    for footage in plain["footage"].values():
        if footage["id"] == plain["layers"]["plate"]["content"]["footage"]:
            footage |= {"media": "a" * 32, "kind": "clip", "frames": 12, "rate": "24/1"}
    moving = type(document).model_validate(plain)
    insert = np.full((SIZE[1], SIZE[0], 4), 0.3, np.float32)
    insert[..., 3] = 1
    renderer = Renderer(Lit(white=insert, plate=insert), path, 1 << 26)  # type: ignore[arg-type]
    done: list[int] = []
    found = follow(insert_of(renderer, moving, "over"), range(0, 12), 0, done.append)
    assert done[-1] == 12 and found.fix is not None and not found.unsure
    grade = mended(moving, found.fix.patch).layers["over"].looks[-1]
    keys = grade.exposure.keys
    assert grade.id.startswith("follow-") and len(keys) < 6  # a straight way needs few
    assert keys[-1].value == pytest.approx(-11 / 12, abs=0.05)
    assert "stops" in found.words


def test_a_table_written_is_read() -> None:
    assert read_cube(cube(unit(5)), "a.cube").shape == (5, 5, 5, 3)


def test_bands_change_their_own_tones_and_leave_the_others() -> None:
    ramp = np.ones((8, 256, 4), np.float32)
    ramp[..., :3] = decoded(np.tile(np.linspace(0, 1, 256, dtype=np.float32), (8, 1)))[..., None]
    picture = Picture(ramp, Window(0, 0, 256, 8))
    out = apply("bands", picture, dark=(0.0, 0.0, 1.0), low=0.3, high=0.7, overlap=0.2).pixels / np.maximum(ramp, 1e-6)
    assert out[0, 5:50, 1] == pytest.approx(np.full(45, 2.0), rel=1e-3)  # a stop lighter
    assert out[0, 110:, 1] == pytest.approx(np.ones(146), rel=1e-3)
    assert (np.diff(out[0, 52:102, 1]) <= 1e-4).all()
    warm = apply("bands", picture, light=(3.0, 0.0, 0.0)).pixels
    assert warm[0, 250, 0] > warm[0, 250, 2] and warm[0, 250, :3] @ [0.2126, 0.7152, 0.0722] == pytest.approx(
        ramp[0, 250, 0], rel=1e-3
    )


def test_hues_are_pulled_and_turned_apart() -> None:
    colours = np.ones((1, 4, 4), np.float32)
    colours[0, :, :3] = [[0.5, 0.05, 0.05], [0.05, 0.4, 0.08], [0.05, 0.08, 0.5], [0.2, 0.2, 0.2]]
    picture = Picture(colours, Window(0, 0, 4, 1))
    assert np.abs(apply("hues", picture).pixels - colours).max() < 1e-4
    drained = apply("hues", picture, red=(0.0, 0.0), orange=(0.0, 0.0), magenta=(0.0, 0.0)).pixels[0]
    assert np.ptp(drained[0, :3]) < 0.02 and np.abs(drained[1:] - colours[0, 1:]).max() < 1e-3
    turned = apply("hues", picture, green=(1.0, 45.0), yellow=(1.0, 45.0), teal=(1.0, 45.0)).pixels[0]
    assert turned[1, 2] > 2 * colours[0, 1, 2] and np.abs(turned[0] - colours[0, 0]).max() < 0.05


def test_black_grey_and_white_are_what_was_picked() -> None:
    picks = {"black": (0.02, 0.03, 0.05), "grey": (0.3, 0.2, 0.15), "white": (0.9, 0.8, 0.6)}
    colours = np.ones((1, 3, 4), np.float32)
    colours[0, :, :3] = list(picks.values())
    out = apply("picks", Picture(colours, Window(0, 0, 3, 1)), **picks).pixels[0]
    assert np.abs(out[0, :3]).max() < 1e-4 and out[2, :3] == pytest.approx(np.ones(3), abs=1e-3)
    assert np.ptp(out[1, :3]) < 1e-3
    flat = apply("picks", Picture(colours, Window(0, 0, 3, 1)), black=(0.5, 0.5, 0.5), white=(0.5, 0.5, 0.5)).pixels
    assert np.isfinite(flat).all()


def test_looks_are_written_as_tables_and_plain_grades_as_such() -> None:
    bands = EFFECTS.of("bands").model_validate(
        {"kind": "bands", "id": "e", "dark": {"value": (1.0, 0.5, 0.4)}, "mix": {"value": 0.5}}
    )
    display = np.random.default_rng(2).random((12, 12, 3)).astype(np.float32)
    pixels = np.ones((12, 12, 4), np.float32)
    pixels[..., :3] = decoded(display)
    done = apply("bands", Picture(pixels, Window(0, 0, 12, 12)), dark=(1.0, 0.5, 0.4)).pixels[..., :3]
    wanted = encoded(np.ascontiguousarray((pixels[..., :3] + done) / 2))
    table = read_cube(as_cube(bands, 0, "Look").encode(), "look.cube")
    assert np.abs(looked_up_in(display, table) - wanted).max() < 6e-3
    grade = graded(WARM, "g")
    assert as_cdl(grade, 0) == Cdl(
        *(tuple(round(v, 5) for v in t) for t in (WARM.slope, WARM.offset, WARM.power)), WARM.saturation
    )  # type: ignore[arg-type]
    lifted = grade.model_copy(update={"exposure": grade.exposure.model_copy(update={"value": 1.0})})
    with pytest.raises(BadInput, match="exposure"):
        as_cdl(lifted, 0)
    with pytest.raises(BadInput, match="each colour by itself"):
        as_cube(EFFECTS.of("blur").model_validate({"kind": "blur", "id": "e"}), 0, "Blur")
