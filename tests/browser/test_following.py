"""Whole jobs in which things follow other things: fire pinned to a head, graphics and their lights before a face, a sign that keeps its
place while the world behind it moves, a still brought alive."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, followed, lay_in, magenta_mask, new_shot, on_screen, spot_still
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import shown, typed
from tests.browser.test_motion import SIZE, head_px, stretch, truth
from tests.conftest import texture
from tropein.core.media.encode import write_picture


def effect(page: Page, name: str) -> None:
    """An effect added to what is selected."""
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name=name, exact=True).click()
    expect(page.get_by_role("button", name=re.compile(f"^Undo: add {name.lower()}"))).to_be_visible()


def veil(page: Page) -> None:
    page.keyboard.press("Shift+V")
    expect(page.get_by_test_id("sentence")).to_contain_text("shows nothing of its own")


def middle(mask: np.ndarray) -> np.ndarray:
    rows, columns = np.nonzero(mask)
    assert len(rows) > 150
    return np.array([columns.mean(), rows.mean()])


def test_fire_is_pinned_to_a_head_and_lights_the_clothes(application: str, page: Page, tmp_path: Path) -> None:
    last = 20
    new_shot(page, application, stretch(tmp_path, "pilot", range(24)))
    at, scale = on_screen(page, SIZE)
    heads = [head_px(frame) for frame in range(24)]
    x, y = heads[0] - [0, 25]
    page.keyboard.press("Shift+T")
    drag(page, at(x - 150, y - 190), at(x + 150, y + 190))
    page.get_by_role("button", name="Both ways").click()
    followed(page, 24)
    plain = {}
    for frame in (0, last):
        go_to(page, frame)
        plain[frame] = shown(page)
    go_to(page, 0)
    # day for night, over all
    veil(page)
    effect(page, "Grade")
    typed(page, "Exposure", "-1.5")
    assert shown(page).mean() < 0.75 * plain[0].mean()
    # what burns: pinned, then moved and sized by hand on top of the ride, and made to glow twice
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").first.click()
    page.get_by_role("menuitem", name="Object 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("position, rotation, scale")
    shown(page)
    drag(page, at(492, 282), at(*(heads[0] - [0, 120] + 12)))  # its middle is the pivot's handle
    expect(page.get_by_role("button", name="Undo: move spot")).to_be_visible()
    typed(page, "Scale", "150")
    effect(page, "Glow")
    effect(page, "Glow")
    places = {}
    for frame in (0, last):
        go_to(page, frame)
        places[frame] = middle(magenta_mask(shown(page)))
    went, wanted = places[last] - places[0], heads[last] - heads[0]
    assert np.hypot(*(places[0] - (heads[0] - [0, 120]))) < 6, places  # where the hand put it
    # it lies 120 px above the middle it rides on, so that some degrees of roll show; what does not ride is 47 px off
    assert np.hypot(*wanted) > 45 and np.hypot(*(went - wanted)) < 40, (went, wanted)
    # warm light on the clothes, on the same track
    go_to(page, 0)
    page.keyboard.press("Escape")
    page.mouse.move(640, 5)
    dark = {0: shown(page)}
    go_to(page, last)
    dark[last] = shown(page)
    go_to(page, 0)
    veil(page)
    effect(page, "Pool of light")
    typed(page, "Strength", "3")
    typed(page, "Gone beyond", "200")
    page.get_by_role("button", name="Centre rides on").click()
    page.get_by_role("button", name="rides on nothing yet").last.click()
    page.get_by_role("menuitem", name="Object 1").click()
    page.keyboard.press("Escape")
    page.mouse.move(640, 5)
    lit = {}
    for frame in (0, last):
        go_to(page, frame)
        gain = cv2.GaussianBlur((shown(page) - dark[frame]).mean(-1), (0, 0), 12)
        rows, columns = np.nonzero(gain > 0.3 * gain.max())
        assert gain.max() > 15
        lit[frame] = np.array([columns.mean(), rows.mean()])
    assert np.hypot(*(lit[last] - lit[0] - wanted)) < 60 and np.hypot(*(lit[last] - lit[0])) > 20, (lit, wanted)


def test_a_display_and_its_lights_float_before_a_face(application: str, page: Page, tmp_path: Path) -> None:
    last = 15
    new_shot(page, application, stretch(tmp_path, "pilot", range(56, 72)))
    at, _ = on_screen(page, SIZE)
    eyes = [np.mean(f["iris_px_viewer_left_right"], 0) for f in truth("pilot")[56:72]]
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*eyes[0]))
    followed(page, 16, at_least=15)
    # the uneven dark behind is crushed, the face drained
    page.locator("[data-pane]").last.click()
    effect(page, "Grade")
    typed(page, "Saturation", "0.3")
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").first.click()
    page.get_by_role("menuitem", name="Face 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("rides on Face 1")
    shown(page)
    drag(page, at(492, 282), at(*(eyes[0] + [-138, 52])))
    places = {}
    for frame in (0, last):
        go_to(page, frame)
        places[frame] = middle(magenta_mask(shown(page)))
    went, wanted = places[last] - places[0], eyes[last] - eyes[0]
    assert np.hypot(*wanted) > 4 and np.hypot(*(went - wanted)) < max(4, 0.5 * np.hypot(*wanted)), (went, wanted)
    # two coloured lights as if from it, each riding the face
    go_to(page, 0)
    page.keyboard.press("Escape")
    page.mouse.move(640, 5)
    before = shown(page)
    veil(page)
    for _ in range(2):
        effect(page, "Pool of light")
    for k in range(2):
        page.get_by_role("button", name="Centre rides on").nth(k).click()
        page.get_by_role("button", name="rides on nothing yet").last.click()
        page.get_by_role("menuitem", name="Face 1").click()
        page.keyboard.press("Escape")
    page.mouse.move(640, 5)
    gain = (shown(page) - before).mean(-1)
    assert gain[200:340, 400:560].mean() > 4 and abs(gain[:, :60]).mean() < 2
    expect(page.get_by_role("button", name="Undo: ")).to_be_visible()


def test_a_sign_keeps_its_place_and_size_while_the_world_moves(application: str, page: Page, tmp_path: Path) -> None:
    last = 28
    new_shot(page, application, stretch(tmp_path, "quay", range(30)))
    at, _ = on_screen(page, SIZE)
    corners = [np.array(f["sign_corners_px_tl_tr_br_bl"]) for f in truth("quay")]
    page.keyboard.press("p")
    # set by eye, drawn to the edges
    for corner in corners[0] + [[2, -2], [-2, 1], [2, 2], [-1, -2]]:
        page.mouse.click(*at(*corner))
    expect(page.get_by_test_id("sentence")).to_contain_text("Plane 1, a plane in")
    page.get_by_role("button", name="Snap to edges").click()
    expect(page.get_by_role("button", name="Undo: move the corners of Plane 1")).to_be_visible()
    page.get_by_role("button", name="Both ways").click()
    followed(page, 30)
    page.locator("[data-pane]").last.click()
    page.get_by_role("button", name="holds nothing still yet").click()
    page.get_by_role("menuitem", name="Plane 1").click()
    page.get_by_role("button", name="zoom in until none shows").click()
    page.get_by_role("menuitem", name="show nothing").click()
    seen = {}
    for frame in (0, last):
        go_to(page, frame)
        seen[frame] = cv2.cvtColor(shown(page), cv2.COLOR_RGB2GRAY)
    # the sign alone, straightened by where its corners were at first: it lies there still, as large as it was
    x0, y0 = (corners[0].min(0) + 12).astype(int)
    x1, y1 = (corners[0].max(0) - 12).astype(int)
    part = (slice(y0, y1 - 60), slice(x0, x1 - 90))
    a, b = seen[0][part], seen[last][part]
    points = cv2.goodFeaturesToTrack(np.uint8(np.clip(a, 0, 255)), 80, 0.02, 8)
    moved, ok, _ = cv2.calcOpticalFlowPyrLK(*(np.uint8(np.clip(p, 0, 255)) for p in (a, b)), points, None)
    m, inside = cv2.estimateAffinePartial2D(points[ok[:, 0] == 1], moved[ok[:, 0] == 1], ransacReprojThreshold=1.5)
    size = float(np.hypot(m[0, 0], m[1, 0]))
    shift = m[:, :2] @ (np.array(a.shape[::-1]) / 2) + m[:, 2] - np.array(a.shape[::-1]) / 2
    went = np.linalg.norm(corners[last].mean(0) - corners[0].mean(0))
    assert inside.mean() > 0.5 and went > 20
    assert abs(size - 1) < 0.02 and np.hypot(*shift) < max(2.0, 0.08 * went), (size, shift, went)


def test_a_still_is_brought_alive_by_keyed_light_in_soft_shapes(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "quay", range(12)))
    at, _ = on_screen(page, SIZE)
    still = np.dstack([texture(*SIZE, seed=5).astype(np.float32) / 255 * 0.5, np.ones(SIZE[::-1], np.float32)])
    write_picture(tmp_path / "still.png", still, "png")
    lay_in(page, tmp_path / "still.png")
    steady = shown(page)
    # its copy, cut to a lit area, flickers by temperature and exposure
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("listitem").filter(has_text="still").first.hover()
    page.get_by_role("button", name="Lay in still", exact=True).first.click()
    page.keyboard.press("Escape")
    expect(page.locator("[data-pane]")).to_have_count(3)
    page.get_by_role("button", name="cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(300, 180), at(520, 360))
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts")
    page.locator("[data-pane]").first.click()
    expect(page.get_by_test_id("sentence")).to_contain_text("still, from the shelf")
    effect(page, "Grade")
    page.get_by_role("button", name="Key Temperature").click()
    page.get_by_role("button", name="Key Exposure").click()
    for frame, warm, light in ((3, "3", "0.6"), (6, "-3", "-0.3"), (9, "2", "0.8")):
        go_to(page, frame)
        typed(page, "Temperature", warm)
        typed(page, "Exposure", light)
    page.keyboard.press("Escape")
    page.mouse.move(640, 5)
    inside, outside = (slice(240, 300), slice(380, 440)), (slice(40, 120), slice(700, 900))
    levels, warmth = [], []
    for frame in (0, 3, 6, 9):
        go_to(page, frame)
        picture = shown(page)
        assert np.abs(picture[outside] - steady[outside]).mean() < 2
        levels.append(picture[inside].mean() / steady[inside].mean())
        warmth.append((picture[inside][..., 0] / (picture[inside][..., 2] + 1)).mean())
    assert abs(levels[0] - 1) < 0.05 and levels[1] > 1.15 > 0.95 > levels[2] and levels[3] > levels[1]
    assert warmth[1] > warmth[0] > warmth[2] and warmth[3] > warmth[0]
