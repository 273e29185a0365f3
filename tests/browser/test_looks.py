"""Whole jobs with pictures that are made here, with the mouse on plates of our own; how many keys are set by hand is counted and held."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from demo.stock import gull
from playwright.sync_api import Page, expect

from tests.browser.helpers import At, drag, followed, new_shot, on_screen, sent
from tests.browser.test_edges import away, blend, meet, piece_menu
from tests.browser.test_following import effect, middle
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import typed
from tests.browser.test_make import handle, made, picture
from tests.browser.test_motion import SIZE, stretch, truth


def document(page: Page) -> dict[str, Any]:
    sent(page)
    base, shot = page.url.split("/shot/")
    return dict(page.request.get(f"{base}/api/shots/{shot}").json()["document"])


def keys_set(page: Page) -> int:
    """How many keys the shot holds; tracks hold none."""
    count, left = 0, [document(page)]
    while left:
        thing = left.pop()
        if isinstance(thing, dict):
            count += len(thing["keys"]) if isinstance(thing.get("keys"), list) else 0
            left.extend(thing.values())
        elif isinstance(thing, list):
            left.extend(thing)
    return count


def rides(page: Page, what: str, track: str, spot: str | None = None) -> None:
    """A point of what is selected tied to a track, or to a part of a face."""
    page.get_by_role("button", name=f"{what} rides on", exact=True).click()
    page.get_by_role("button", name="rides on nothing yet").last.click()
    page.get_by_role("menuitem", name=track).click()
    if spot:
        page.get_by_role("button", name="head", exact=True).click()
        page.get_by_role("menuitem", name=spot, exact=True).click()
    away(page)


def face(page: Page, frames: range) -> list[np.ndarray]:
    """The pilot's face followed; where the irises are, frame by frame."""
    at, _ = on_screen(page, SIZE)
    irises = [np.array(f["iris_px_viewer_left_right"]) for f in truth("pilot")[frames.start : frames.stop]]
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*irises[0].mean(0)))
    followed(page, len(frames), at_least=len(frames) - 1)
    go_to(page, 0)
    return irises


def catch_light(page: Page, at: At, where: np.ndarray, level: str) -> None:
    """A small round light laid over the left iris, that rides on it."""
    made(page, "Fill")
    for part in ("red", "green", "blue"):
        typed(page, f"Colour {part}", level)
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(*(where - 3)), at(*(where + 3)))
    piece_menu(page, 0, "rides on nothing", "Face 1")
    page.get_by_test_id("piece-0").get_by_role("button", name="head", exact=True).click()
    page.get_by_role("menuitem", name="left iris", exact=True).click()
    away(page)


def test_a_glowing_wound_sticks_to_a_finger(application: str, page: Page, tmp_path: Path) -> None:
    """Noise, raised in contrast and made hot, added within a soft shape; it and its shape ride together. Keys by hand: none."""
    new_shot(page, application, stretch(tmp_path, "swipe", range(14)))
    at, _ = on_screen(page, SIZE)
    page.get_by_role("button", name="Tracks", exact=True).click()
    page.get_by_role("button", name="Follow a part of a body").click()
    page.get_by_role("menuitem", name="right index fingertip").click()
    followed(page, 14, at_least=12)
    away(page)
    file = page.request.get(
        f"{application}/api/artefacts/{next(iter(document(page)['tracks'].values()))['samples']}/track"
    ).json()
    finger = {f["frame"]: np.array(f["points"][0][:2]) for f in file["frames"] if f["points"]}
    plain = {f: picture(page, f) for f in (1, 11)}
    go_to(page, 1)
    made(page, "Clouds")
    for name, value in (("Size", "16"), ("Contrast", "4"), ("Level", "0"), ("Boil", "0")):
        typed(page, name, value)
    effect(page, "Map dark and bright")
    for part, value in (("red", "1"), ("green", "0.22"), ("blue", "0.03")):
        typed(page, f"Bright becomes {part}", value)
    blend(page, "add")
    page.get_by_role("button", name="rides on nothing yet").first.click()
    page.get_by_role("menuitem", name="Right index fingertip").click()
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(*(finger[1] - 34)), at(*(finger[1] + 34)))
    piece_menu(page, 0, "rides on nothing", "Right index fingertip")
    typed(page, "Soften", "8")
    page.locator("[data-pane]").first.click()
    effect(page, "Glow")
    hot = {f: (picture(page, f) - plain[f])[..., 0] - (picture(page, f) - plain[f])[..., 2] for f in (1, 11)}
    moved = finger[11] - finger[1]
    for frame in (1, 11):
        assert np.linalg.norm(middle(hot[frame] > 60) - finger[frame]) < 22, frame
        x, y = finger[frame].astype(int)
        outside = hot[frame].copy()
        outside[max(y - 90, 0) : y + 90, max(x - 90, 0) : x + 90] = 0
        assert np.percentile(np.abs(outside), 99.5) < 14, frame
    # the pattern goes where the finger goes
    along = cv2.warpAffine(hot[1], np.float32([[1, 0, moved[0]], [0, 1, moved[1]]]), SIZE)
    x, y = finger[11].astype(int)
    there = np.s_[y - 26 : y + 26, x - 26 : x + 26]
    assert np.linalg.norm(moved) > 60 and np.corrcoef(along[there].ravel(), hot[11][there].ravel())[0, 1] > 0.4
    assert keys_set(page) == 0


def test_a_spectral_gull_flies_with_what_it_was_behind_it(application: str, page: Page, tmp_path: Path) -> None:
    """A cycle flown on the spot is made to travel, tinted, smeared, bent, added, with decaying copies. Keys by hand: 2."""
    last = 14
    new_shot(page, application, stretch(tmp_path, "harbour", range(16)))
    plain = picture(page, last)
    page.get_by_role("button", name="Shelf", exact=True).click()
    frames = gull(tmp_path, frames=16)
    page.get_by_role("region", name="Shelf").locator("input[type=file]").set_input_files([str(f) for f in frames])
    card = page.get_by_role("listitem").filter(has_text="gull")
    expect(card.first).to_be_visible(timeout=60_000)
    card.first.hover()
    page.get_by_role("region", name="Shelf").get_by_role("button", name=re.compile("^Lay in gull")).first.click()
    expect(page.get_by_test_id("sentence")).to_contain_text("gull, from the shelf")
    away(page)
    typed(page, "Scale", "50")
    typed(page, "Position y", "400")  # before the houses: light added to a bright sky is not seen
    typed(page, "Position x", "160")
    page.get_by_role("button", name="Key Position").click()
    go_to(page, last)
    typed(page, "Position x", "720")
    blend(page, "add")
    for name in ("Map dark and bright", "Turbulence", "Smear"):
        effect(page, name)
    meet(page, "Trails")
    typed(page, "Pictures", "6")
    typed(page, "Adds light", "100")
    gain = (picture(page, last) - plain).mean(-1)
    body = middle(gain > 40)
    assert 560 < body[0] < 780 and 340 < body[1] < 460
    # copies, ever fainter, two frames and 80 px apart; where it has not been nothing is
    behind = [float(np.percentile(gain[320:480, x - 40 : x + 40], 98)) for x in (640, 480, 320)]
    assert behind[0] > 1.2 * behind[1] > 1.2 * behind[2] > 3, behind
    assert np.abs(gain[:, 900:]).max() < 8 and np.abs(gain[:200]).max() < 8
    assert keys_set(page) == 2


def test_a_projected_picture_comes_up_with_light_and_waves(application: str, page: Page, tmp_path: Path) -> None:
    """Grown from its base, its opacity a little later, blurred at first; stepped waves, light drawn out of it, a halo. Keys by hand: 6."""
    new_shot(page, application, stretch(tmp_path, "spinner", range(16)))
    plain = {f: picture(page, f) for f in (0, 6, 12, 13)}
    made(page, "Label")
    page.get_by_label("Words").fill("HOLD FAST\nTHE LINE")
    page.get_by_label("Words").blur()
    typed(page, "Size", "64")
    typed(page, "Place x", "280")
    effect(page, "Waves")
    typed(page, "Height", "6")
    typed(page, "Steps", "3")
    effect(page, "Blur")
    for name, first, then, frames in (
        ("Scale", "5", "100", (0, 8)),
        ("Opacity", "0", "100", (2, 10)),
        ("Radius", "14", "0.5", (0, 12)),
    ):
        control = page.get_by_role("slider", name=name, exact=True).last
        go_to(page, frames[0])
        page.get_by_role("button", name=f"Key {name}", exact=True).last.click()
        for frame, value in zip(frames, (first, then), strict=True):
            go_to(page, frame)
            control.dblclick()
            page.keyboard.type(value)
            page.keyboard.press("Enter")
    effect(page, "Draw out light")
    effect(page, "Halo")
    seen = {f: picture(page, f) - plain[f] for f in plain}
    assert np.abs(seen[0]).max() < 12  # nothing is there yet
    assert 0.05 < seen[6].mean() < seen[12].mean() and seen[12].max() > 100
    words = seen[12].mean(-1) > 90
    assert words.sum() > 2500
    around = cv2.dilate(words.astype(np.uint8), np.ones((25, 25))).astype(bool) & ~cv2.dilate(
        words.astype(np.uint8), np.ones((9, 9))
    ).astype(bool)
    assert seen[12].mean(-1)[around].mean() > 6  # its halo
    assert np.abs(seen[13] - seen[12]).max() > 60  # the waves run on
    assert keys_set(page) == 6


def test_a_pupil_opens_under_a_catch_light(application: str, page: Page, tmp_path: Path) -> None:
    """What is about the pupil swells, riding on the iris; a catch-light is laid over it and rides too. Keys by hand: 2."""
    last = 12
    frames = range(0, 14)
    new_shot(page, application, stretch(tmp_path, "pilot", frames))
    at, _ = on_screen(page, SIZE)
    irises = face(page, frames)
    plain = {f: picture(page, f) for f in (0, last)}
    x, y = irises[0][0]
    page.locator("[data-pane]").last.click()
    effect(page, "Bulge")
    for name, value in (("Centre x", x), ("Centre y", y), ("Radius", 17)):
        typed(page, name, f"{value:.1f}")
    rides(page, "Centre", "Face 1", "left iris")
    typed(page, "Amount", "0")
    page.get_by_role("button", name="Key Amount", exact=True).click()
    go_to(page, last)
    typed(page, "Amount", "0.85")
    go_to(page, 0)
    catch_light(page, at, irises[0][0] + [4, -4], "1")

    def dark(p: np.ndarray, frame: int) -> int:
        cx, cy = irises[frame][0].astype(int)
        return int((p[cy - 14 : cy + 15, cx - 14 : cx + 15].mean(-1) < 40).sum())

    first, then = picture(page, 0), picture(page, last)
    assert dark(then, last) > 1.6 * dark(plain[last], last) > 0 and abs(dark(first, 0) - dark(plain[0], 0)) < 30
    for frame, p in ((0, first), (last, then)):
        gx, gy = (irises[frame][0] + [4, -4]).astype(int)
        assert p[gy - 3 : gy + 4, gx - 3 : gx + 4].mean(-1).max() > 215, frame
    assert keys_set(page) == 2


def test_veins_of_ember_grow_over_a_cheek_and_ride_there(application: str, page: Page, tmp_path: Path) -> None:
    """Branching lines between two places that ride, their growth keyed, broken by moving noise, in shimmering air. Keys by hand: 2."""
    last = 12
    frames = range(26, 40)
    new_shot(page, application, stretch(tmp_path, "pilot", frames))
    at, _ = on_screen(page, SIZE)
    irises = face(page, frames)
    plain = {f: picture(page, f) for f in (0, 6, last)}
    made(page, "Ember veins")
    eyes = irises[0].mean(0)
    for name, place in (("start", eyes + [-70, 40]), ("end", eyes + [-20, 150])):
        drag(page, handle(page, name), at(*place))
    rides(page, "From", "Face 1")
    rides(page, "To", "Face 1")
    typed(page, "Grown", "0")
    page.get_by_role("button", name="Key Grown", exact=True).click()
    go_to(page, last)
    typed(page, "Grown", "100")
    effect(page, "Wear")
    typed(page, "Boil", "2")
    lit = {f: (picture(page, f) - plain[f])[..., 0] for f in plain}
    assert lit[0].max() < 12
    areas = [int((lit[f] > 30).sum()) for f in (6, last)]
    assert 30 < areas[0] < 0.9 * areas[1], areas
    moved = irises[last].mean(0) - irises[0].mean(0)
    assert np.linalg.norm(moved) > 20
    wanted = eyes + [-45, 95] + moved
    assert np.linalg.norm(middle(lit[last] > 30) - wanted) < 45
    assert keys_set(page) == 2


def test_breath_hangs_in_the_solved_scene(application: str, page: Page, tmp_path: Path) -> None:
    """The camera is solved, so the emitter is placed once: what was born stays where it was while the camera goes on. Keys by hand: none."""
    last = 28
    new_shot(page, application, stretch(tmp_path, "quay", range(30)))
    page.keyboard.press("2")
    page.get_by_role("button", name="Solve the camera").click()
    followed(page, 30)
    go_to(page, 0)
    plain = {f: picture(page, f) for f in (12, last)}
    made(page, "Breath")
    page.get_by_role("button", name="Put in depth").click()
    page.get_by_role("button", name="a still camera").click()
    page.get_by_role("menuitem", name="Camera 1").click()
    dots = page.get_by_test_id("scene-points").locator("g")
    expect(dots.first).to_be_visible()
    quads = [np.array(f["sign_corners_px_tl_tr_br_bl"]) for f in truth("quay")]
    at, scale = on_screen(page, SIZE)
    boxes = dots.evaluate_all(
        "all => all.map(g => { const r = g.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })"
    )
    places = (np.array(boxes) - at(0, 0)) / scale
    low, high = quads[0].min(0) + 25, quads[0].max(0) - [60, 80]
    on_sign = [i for i, p in enumerate(places) if (p > low).all() and (p < high).all()]
    chosen = on_sign[len(on_sign) // 2]
    page.mouse.click(*boxes[chosen])
    expect(page.get_by_role("button", name=re.compile("^Undo: place Breath in the scene"))).to_be_visible()
    for name, value in (
        ("Speed", "0"),
        ("Turbulence", "0"),
        ("Falls", "0"),
        ("Size", "12"),
        ("Area x", "4"),
        ("Area y", "4"),
    ):
        slider = page.get_by_role("region", name="Particles").get_by_role("slider", name=name, exact=True)
        slider.dblclick()
        expect(
            page.get_by_role("textbox", name=name, exact=True)
        ).to_be_focused()  # the sheet is drawn anew after a click
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        expect(slider).to_have_attribute("aria-valuenow", value)
    seen = {f: np.abs(picture(page, f) - plain[f]).mean(-1) for f in plain}
    for frame in plain:
        h = cv2.getPerspectiveTransform(np.float32(quads[0]), np.float32(quads[frame]))
        expected = cv2.perspectiveTransform(np.float32(places[chosen])[None, None], h)[0, 0]
        strong = seen[frame] > 0.6 * seen[frame].max()
        assert seen[frame].max() > 15 and np.linalg.norm(middle(strong) - expected) < 14, (
            frame,
            middle(strong),
            expected,
        )
    assert keys_set(page) == 0
