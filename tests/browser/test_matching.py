"""Whole jobs of matching, with the mouse on plates of our own: a new sky whose light the scene takes, an insert brought to its plate by pairs and by the
sit check, one that follows a lamp, a world of stills."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from demo.stock import night_sky
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, followed, lay_in, new_shot, on_screen
from tests.browser.test_edges import away, meet
from tests.browser.test_following import effect, veil
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import typed
from tests.browser.test_looks import document, keys_set
from tests.browser.test_make import made, picture
from tests.browser.test_motion import PLATES, SIZE, plate_pictures, stretch, truth
from tests.conftest import write_clip
from tropein.core.media.encode import write_picture
from tropein.core.raster.colour import decoded


def match_by(page: Page, way: str) -> None:
    """One of the ways to match colours that need no picking."""
    page.get_by_role("button", name="Match colours…").click()
    page.get_by_role("menuitem", name=re.compile(f"^{way}")).click()


def grain(picture: np.ndarray) -> float:
    """How strong what is finer than two pixels is, where it is flattest."""
    plane = picture.mean(-1)
    fine = cv2.GaussianBlur(plane, (0, 0), 0.7) - cv2.GaussianBlur(plane, (0, 0), 1.6)
    h, w = (n // 8 * 8 for n in fine.shape)
    return float(np.percentile(fine[:h, :w].reshape(h // 8, 8, w // 8, 8).swapaxes(1, 2).reshape(-1, 64).std(1), 25))


def test_a_new_sky_stands_behind_the_roofs_and_the_scene_takes_its_light(
    application: str, page: Page, tmp_path: Path
) -> None:
    """A sky behind what is not bright, the plate lit by it, one hue drained, all of it shaken. Keys by hand: none."""
    new_shot(page, application, stretch(tmp_path, "harbour", range(8)))
    plain = picture(page, 0)
    sky = cv2.imread(str(PLATES / "harbour.sky_0000.png"), cv2.IMREAD_UNCHANGED).astype(float) / 65535
    made_of = night_sky(tmp_path)[0].rename(tmp_path / f"n{tmp_path.name}.png")
    lay_in(page, made_of)
    typed(page, "Scale", "64")
    typed(page, "Position y", "230")
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="what is bright in the plate").click()
    typed(page, "From", "0.66")
    # bright things below the roofs stay out of it
    at, _ = on_screen(page, SIZE)
    page.keyboard.press("m")
    for corner in ((-15, -15), (975, -15), (975, 268), (700, 216), (520, 226), (380, 226), (240, 264), (-15, 290)):
        page.mouse.click(*at(*corner))
    page.keyboard.press("Enter")
    page.get_by_test_id("piece-1").get_by_role("button", name="adds", exact=True).click()
    page.get_by_role("menuitem", name=re.compile("^keeps only")).click()
    away(page)
    page.locator("[data-pane]").first.click()
    laid = picture(page, 0)
    open_sky = cv2.erode((sky > 0.99).astype(np.uint8), np.ones((9, 9))).astype(bool)
    open_sky[200:] = False
    houses = np.zeros(SIZE[::-1], bool)
    houses[330:500] = True
    assert laid[open_sky].mean() < 0.4 * plain[open_sky].mean() and np.abs(laid - plain)[houses].mean() < 3
    match_by(page, "give its light to the plate")
    expect(page.get_by_role("button", name=re.compile("^Undo: light the scene by"))).to_be_visible()
    expect(page.get_by_text("stops darker and cooler than what it covers")).to_be_visible()
    lit = picture(page, 0)
    assert lit[houses].mean() < 0.75 * plain[houses].mean()
    warmth = [(p[houses][:, 0].mean() + 1) / (p[houses][:, 2].mean() + 1) for p in (plain, lit)]
    assert warmth[1] < 0.9 * warmth[0]
    assert np.abs(lit - laid)[open_sky].mean() < 4  # the sky stays what it is
    # the reds are drained, and no other hue
    page.locator("[data-pane]").last.click()
    effect(page, "Hues")
    for name in ("Red", "Orange"):
        mark = page.get_by_role("slider", name=f"{name}, in the strip")
        mark.scroll_into_view_if_needed()
        box = mark.bounding_box()
        assert box
        middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        drag(page, middle, (middle[0], middle[1] + 40))
        expect(page.get_by_role("button", name=re.compile(f"^Undo: set {name.lower()} of"))).to_be_visible()
    drained = picture(page, 0)
    chroma = [p.max(-1) - p.min(-1) for p in (lit, drained)]
    red = houses & (lit[..., 0] > lit[..., 2] + 14) & (lit[..., 0] > lit[..., 1] + 14)
    blue = houses & (lit[..., 2] > lit[..., 0] + 14)
    assert red.sum() > 2000 and chroma[1][red].mean() < 0.72 * chroma[0][red].mean()
    assert chroma[1][blue].mean() > 0.8 * chroma[0][blue].mean()
    veil(page)
    effect(page, "Shake")
    frames = [picture(page, f) for f in (0, 3)]
    flow = cv2.phaseCorrelate(*(f.mean(-1)[300:500] for f in frames))[0]
    still = np.array(truth("harbour")[3]["homography"]).reshape(3, 3)[:2, 2]
    assert np.abs(np.array(flow) - still).max() > 0.25
    assert keys_set(page) == 0


def test_an_insert_is_brought_to_its_plate_by_pairs_and_by_the_sit_check(
    application: str, page: Page, tmp_path: Path
) -> None:
    """A piece of the plate's own world in other colours, without its grain: three pairs bring the colours back, the sit check the grain. Keys: none."""
    frames = plate_pictures(tmp_path, "quay", range(8))
    rng = np.random.default_rng(2)
    grained = [np.clip(f + rng.normal(0, 5, f.shape[:2] + (1,)), 0, 255).astype(np.uint8) for f in frames]
    new_shot(page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", grained))
    # the shelf and the books of the plate, as some other camera would have had them
    x, y, w, h = 640, 60, 260, 200
    piece = cv2.medianBlur(frames[0], 3)[y : y + h, x : x + w].astype(np.float32) / 255
    other = np.clip((piece * [0.82, 1.0, 1.2] + [0.03, 0.0, -0.02]), 0, 1) ** 1.15
    light = decoded(np.ascontiguousarray(other, np.float32))
    still = tmp_path / f"p{tmp_path.name}.png"
    write_picture(still, np.dstack([light, np.ones((h, w), np.float32)]), "png")
    lay_in(page, still)
    typed(page, "Position x", str(x + w / 2))
    typed(page, "Position y", str(y + h / 2))
    at, _ = on_screen(page, SIZE)
    inside = np.zeros(SIZE[::-1], bool)
    inside[y + 6 : y + h - 6, x + 6 : x + w - 6] = True
    truth_ = cv2.GaussianBlur(np.asarray(frames[0], float), (0, 0), 3)

    def off() -> float:
        return float(np.abs(cv2.GaussianBlur(picture(page, 0), (0, 0), 3) - truth_)[inside].mean())

    before = off()
    page.get_by_role("button", name="Pick pairs").click()
    # what is under the insert is the very same thing: pairs are a place, and the same place behind it
    for place in ((680, 130), (850, 210), (750, 90), (660, 240), (870, 120), (745, 205)):
        page.mouse.click(*at(*place))
        expect(page.get_by_role("button", name="Now in the plate…")).to_be_visible()
        page.mouse.click(*at(*place))
        expect(page.get_by_role("button", name="First in the insert…")).to_be_visible()
    expect(page.get_by_text("Matched by 6 pairs")).to_be_visible(timeout=30_000)
    page.keyboard.press("Escape")
    after = off()
    assert after < 0.35 * before, (before, after)
    grade = list(document(page)["layers"][document(page)["stack"][0]]["effects"].values())
    assert [e["kind"] for e in grade] == ["grade"]
    # a pair that is dropped counts no more
    page.get_by_role("list", name="Pairs").get_by_role("listitem").nth(5).hover()
    page.get_by_role("button", name="Drop pair 6").click()
    expect(page.get_by_text("Matched by 5 pairs")).to_be_visible(timeout=30_000)
    # they stand in the shot: they can be taken back, and are there for whoever opens it
    page.keyboard.press("Control+z")
    expect(page.get_by_role("list", name="Pairs").get_by_role("listitem")).to_have_count(6)
    page.keyboard.press("Control+Shift+z")
    page.reload()
    expect(page.get_by_role("list", name="Pairs").get_by_role("listitem")).to_have_count(5)
    assert [p["own"] for p in document(page)["layers"][document(page)["stack"][0]]["pairs"]][1] == pytest.approx(
        [850, 210], abs=1.5
    )
    # the sit check finds the grain that is missing, and lays it on
    smooth, plate = (grain(picture(page, 0)[part]) for part in (np.s_[66:254, 646:894], np.s_[:, :600]))
    assert smooth < 0.6 * plate
    page.get_by_role("button", name="Sit check", exact=True).click()
    check = page.get_by_role("region", name="Sit check")
    row = check.get_by_role("group", name="Grain", exact=True)
    expect(row).to_have_attribute("data-visible", "true", timeout=120_000)
    expect(check.get_by_role("progressbar")).to_have_count(0, timeout=120_000)
    row.get_by_role("button", name="Match the grain").click()
    expect(row).to_have_attribute("data-visible", "false", timeout=60_000)
    assert 0.7 < grain(picture(page, 0)[66:254, 646:894]) / plate < 1.4
    # it is the plate's own, as measured, until somebody sets it by hand
    expect(page.get_by_role("group", name="Measured on the plate")).to_be_visible()
    expect(page.get_by_role("slider", name="Size")).to_have_count(0)
    page.get_by_role("button", name="By hand").click()
    expect(page.get_by_role("slider", name="Size")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("group", name="Measured on the plate")).to_be_visible()
    assert 0.7 < grain(picture(page, 0)[66:254, 646:894]) / plate < 1.4
    kinds = [m["kind"] for m in document(page)["layers"][document(page)["stack"][0]]["meets"].values()]
    assert kinds == ["grain"]
    page.keyboard.press("Shift+I")
    expect(check).to_have_count(0)
    assert keys_set(page) == 0


def test_a_drawn_pupil_takes_the_grain_of_its_plate(application: str, page: Page, tmp_path: Path) -> None:
    """A disc too small to be measured by itself, drawn without grain over the pupil of a grainy plate. Keys: none."""
    frames = plate_pictures(tmp_path, "pilot", range(8))
    rng = np.random.default_rng(4)
    grained = [np.clip(f + rng.normal(0, 6, f.shape[:2] + (1,)), 0, 255).astype(np.uint8) for f in frames]
    new_shot(page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", grained))
    at, _ = on_screen(page, SIZE)
    x, y = (int(v) for v in truth("pilot")[0]["iris_px_viewer_left_right"][0])
    made(page, "Fill")
    for part in ("red", "green", "blue"):
        typed(page, f"Colour {part}", "0.15")
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(x - 16, y - 16), at(x + 16, y + 16))
    page.keyboard.press("Escape")
    page.locator("[data-pane]").first.click()
    inner = np.s_[y - 9 : y + 10, x - 9 : x + 10]

    def fine(p: np.ndarray) -> np.ndarray:
        return np.asarray((cv2.GaussianBlur(p, (0, 0), 0.7) - cv2.GaussianBlur(p, (0, 0), 1.6)).mean(-1))

    plain = picture(page, 0).astype(np.float32)
    assert fine(plain)[inner].std() < 0.4 * grain(plain)  # what a JPEG adds
    page.get_by_role("button", name="Match the grain").click()
    expect(page.get_by_role("group", name="Measured on the plate")).to_be_visible(timeout=60_000)
    seen = [fine(picture(page, f).astype(np.float32)) for f in (0, 3)]
    assert 0.6 < seen[0][inner].std() / grain(plain) < 1.7
    assert abs(float(np.corrcoef(seen[0][inner].ravel(), seen[1][inner].ravel())[0, 1])) < 0.3  # new in every frame
    assert keys_set(page) == 0

    made(page, "Title")  # its letters are thinner than what grain can be read from
    clean = [picture(page, f).astype(np.float32) for f in (0, 3)]
    letters = np.minimum(*(p.min(-1) for p in clean)) > 200
    assert letters.sum() > 300
    page.get_by_role("button", name="Match the grain").click()
    expect(page.get_by_role("group", name="Measured on the plate")).to_be_visible(timeout=60_000)
    laid_on = [picture(page, f).astype(np.float32) for f in (0, 3)]
    off, stood = (float(np.abs(b - a)[letters].mean()) for a, b in (laid_on, clean))
    assert off > 1.5 * stood and off > 0.3 * grain(plain), (off, stood)


def test_what_is_laid_in_follows_a_lamp_that_gutters(application: str, page: Page, tmp_path: Path) -> None:
    """The plate dims and comes back; a fill that was right at the first frame goes with it, by keys that were measured."""
    pictures = plate_pictures(tmp_path, "quay", range(10))
    gains = [2 ** (-0.9 * np.sin(i / 9 * np.pi)) for i in range(10)]
    lit = [np.clip(255 * ((p / 255.0) ** 2.2 * g) ** (1 / 2.2), 0, 255).astype(np.uint8) for p, g in zip(pictures, gains, strict=True)]  # fmt: skip
    new_shot(page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", lit))
    made(page, "Fill")
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    at, _ = on_screen(page, SIZE)
    drag(page, at(380, 200), at(580, 400))
    away(page)
    page.locator("[data-pane]").first.click()
    spot = np.s_[270:330, 450:510]
    first = picture(page, 0)[spot].mean()
    match_by(page, "follow the plate's light")
    expect(page.get_by_role("button", name=re.compile("^Undo: let Fill follow"))).to_be_visible(timeout=60_000)
    for frame in (3, 5, 8):
        wanted = 255 * ((first / 255) ** 2.2 * gains[frame] / gains[0]) ** (1 / 2.2)
        assert abs(picture(page, frame)[spot].mean() - wanted) < 5, (
            frame,
            picture(page, frame)[spot].mean(),
            wanted,
            first,
        )
    follow = list(document(page)["layers"][document(page)["stack"][0]]["effects"].values())
    assert len(follow) == 1 and 4 <= len(follow[0]["exposure"]["keys"]) <= 10
    page.keyboard.press("Control+z")
    expect(page.get_by_text("1 in the chain")).to_have_count(0)


def hill(folder: Path, name: str, colour: tuple[float, float, float], top: float) -> Path:
    """A soft hill with alpha, 960x540."""
    y, x = np.mgrid[0:540, 0:960].astype(np.float32)
    alpha = np.clip((y - top - 40 * np.sin(x / 130 + top)) / 2 + 0.5, 0, 1)
    path = folder / f"{name}.png"
    rgb = np.float32(colour) * (0.8 + 0.2 * np.sin(y / 9)[..., None])
    write_picture(path, np.dstack([rgb * alpha[..., None], alpha]).astype(np.float32), "png")
    return path


def test_a_world_is_made_of_stills_a_person_and_sparks(application: str, page: Page, tmp_path: Path) -> None:
    """Stills in depth, a person keyed and shadowed before them, sparks between, the whole graded. Keys by hand: none."""
    (tmp_path / "caster").mkdir()
    new_shot(page, application, stretch(tmp_path, "harbour", range(10)))
    plain = picture(page, 5)
    far, near = hill(tmp_path, f"far{tmp_path.name}", (0.10, 0.2, 0.35), 300), hill(tmp_path, f"near{tmp_path.name}", (0.2, 0.12, 0.03), 430)  # fmt: skip
    for still, deep in ((far, "500"), (near, "0")):
        lay_in(page, still)
        page.get_by_role("button", name="Put in depth").click()
        typed(page, "Place z", deep)
        away(page)
    stills = picture(page, 5)
    assert np.abs(stills - plain)[:200].mean() < 3
    blue, brown = (stills[rows, 100:860].mean((0, 1)) for rows in (slice(385, 400), slice(510, 530)))
    assert blue[2] > blue[0] + 15 and brown[0] > brown[2] + 15  # the near one before the far one
    caster = stretch(tmp_path / "caster", "caster", range(10)).rename(tmp_path / f"w{tmp_path.name}.mp4")
    lay_in(page, caster)
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="the screen behind it").click()
    expect(page.get_by_test_id("sentence")).to_contain_text(f"cuts {caster.stem}")
    expect(page.get_by_label("The colour that was found")).to_be_visible()
    away(page)
    page.locator("[data-pane]").first.click()
    keyed = picture(page, 5)
    alpha = cv2.imread(str(PLATES / "caster.alpha_0005.png"), cv2.IMREAD_UNCHANGED) / 65535
    clear = cv2.erode((alpha < 0.01).astype(np.uint8), np.ones((25, 25))).astype(bool)
    assert np.abs(keyed - stills)[clear].mean() < 3
    # its colours towards the world's, and a shadow of it on that
    match_by(page, "to what is around it")
    expect(page.get_by_text("A start only")).to_be_visible(timeout=30_000)
    meet(page, "Shadow")
    typed(page, "Aside x", "26")
    typed(page, "Softness", "6")
    shadowed = picture(page, 5)
    beside = np.roll(alpha > 0.5, 22, axis=1) & clear  # to its right
    assert beside.sum() > 300
    assert shadowed[beside].mean() < keyed[beside].mean() - 3
    # sparks between the person and the hills
    made(page, "Sparks")
    expect(page.get_by_test_id("sentence")).to_contain_text("made here")
    go_to(page, 5)
    sparks = picture(page, 5)
    assert np.abs(sparks - shadowed).max() > 30
    page.locator("[data-pane]").first.hover()
    source = page.locator("[data-pane]").first.bounding_box()
    target = page.locator("[data-pane]").nth(1).bounding_box()
    assert source and target
    page.mouse.move(source["x"] + 50, source["y"] + 30)
    page.mouse.down()
    page.mouse.move(target["x"] + target["width"] + 4, target["y"] + 30, steps=12)
    page.mouse.up()
    expect(page.locator("[data-pane]").first).to_contain_text(caster.stem[:6])
    behind = picture(page, 5)
    solid = cv2.erode((alpha > 0.99).astype(np.uint8), np.ones((15, 15))).astype(bool)
    assert np.abs(behind - shadowed)[solid].mean() < 0.35 * max(np.abs(sparks - shadowed)[solid].mean(), 2.0)
    # over all: the light warmed by its chip, corners darkened
    page.locator("[data-pane]").first.click()
    veil(page)
    effect(page, "Dark, middle, light")
    page.get_by_role("slider", name="Light chip").scroll_into_view_if_needed()
    chip = page.get_by_role("slider", name="Light chip").bounding_box()
    assert chip
    drag(page, (chip["x"] + 31, chip["y"] + 31), (chip["x"] + 8, chip["y"] + 31))
    expect(page.get_by_role("button", name=re.compile("^Undo: set light of"))).to_be_visible()
    warmed = picture(page, 5)
    bright = behind.mean(-1) > 190
    assert bright.sum() > 3000
    ratio = [(p[bright][:, 0].mean()) / p[bright][:, 2].mean() for p in (behind, warmed)]
    assert ratio[1] > 1.08 * ratio[0]
    effect(page, "Vignette")
    done = picture(page, 5)
    assert done[:40, :60].mean() < 0.9 * warmed[:40, :60].mean()
    assert abs(done[240:300, 440:520].mean() - warmed[240:300, 440:520].mean()) < 4
    assert keys_set(page) == 0


def test_spots_keep_values_in_view_and_a_still_stands_beside(application: str, page: Page, tmp_path: Path) -> None:
    """A spot rides on what is followed and shows its colour wherever it goes; one that does not shows what comes by; a still stays as it was held."""
    rng = np.random.default_rng(7)
    wall = cv2.GaussianBlur(rng.normal(0, 1, (540, 960)), (0, 0), 5)
    wall = np.clip(120 + 28 * wall / wall.std(), 60, 180)[..., None].repeat(3, 2).astype(np.uint8)
    places = [(200 + 8 * i, 220 + 2 * i) for i in range(10)]

    def disc(i: int) -> np.ndarray:
        out = wall.copy()
        cv2.circle(out, places[i], 30, (220, 60, 160), -1, cv2.LINE_AA)
        for x, y, size, colour in ((-6, -4, 6, (250, 240, 90)), (5, -9, 4, (30, 20, 60)), (-3, 8, 5, (20, 60, 40))):
            cv2.circle(out, (places[i][0] + x, places[i][1] + y), size, colour, -1, cv2.LINE_AA)
        return out

    new_shot(page, application, write_clip(tmp_path / "disc.mp4", [disc(i) for i in range(10)]))
    at, _ = on_screen(page, SIZE)
    page.keyboard.press("t")
    page.mouse.click(*at(*places[0]))
    page.get_by_role("button", name="Both ways").click()
    followed(page, 10)
    page.keyboard.press("Escape")
    go_to(page, 0)
    page.locator("[data-pane]").first.click()
    page.keyboard.press("Shift+U")
    for aside in ((13, 13), (-18, -16)):
        page.mouse.click(*at(places[0][0] + aside[0], places[0][1] + aside[1]))
    rows = page.get_by_test_id("spot")
    expect(rows).to_have_count(2)
    page.get_by_role("button", name="Hold a spot", exact=True).click()  # the tool is put away
    rows.first.get_by_role("button", name="Spot 1 rides on").click()
    page.get_by_role("button", name="rides on nothing yet").last.click()
    page.get_by_role("menuitem", name=re.compile("^Point 1")).click()
    away(page)

    def values(i: int) -> np.ndarray:
        text = rows.nth(i).get_by_title("What the display shows: red, green, blue")
        expect(text).to_be_visible()
        return np.array([int(v) for v in text.inner_text().split()])

    assert np.abs(values(0) - [220, 60, 160]).max() < 12 and np.abs(values(1) - values(0)).max() < 3
    go_to(page, 9)
    expect(page.get_by_test_id("mark-Spot 1")).to_be_visible()
    for _ in range(40):
        if np.ptp(values(1)) < 12 and np.ptp(values(0)) > 100:
            break
        page.wait_for_timeout(100)
    assert np.ptp(values(1)) < 12 and np.abs(values(0) - [220, 60, 160]).max() < 14  # the wall; and what it rides on
    # a still of now, and then the plate is made brighter: the still is not, the values are
    page.keyboard.press("Shift+J")
    still = page.get_by_role("img", name="disc, frame 9")
    expect(still).to_be_visible()
    dark, before = values(1), still.get_attribute("src")
    effect(page, "Grade")
    typed(page, "Exposure", "0.7")
    for _ in range(40):
        if (values(1) > dark + 15).all():
            break
        page.wait_for_timeout(100)
    assert (values(1) > dark + 15).all() and still.get_attribute("src") == before
    box = still.bounding_box()
    assert box and box["width"] > 200
    page.get_by_role("button", name="Put the still away").click()
    expect(still).to_have_count(0)
    rows.first.get_by_role("button", name="Let go of Spot 1").click()
    expect(rows).to_have_count(1)
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(2)
