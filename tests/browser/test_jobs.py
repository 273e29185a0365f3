"""Whole jobs on plates of our own, with the mouse: a wheel that whirls, pictures that turn about a finger, a face held in frame."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import canvas, drag, followed, lay_in, magenta_mask, new_shot, on_screen, settled, spot_still
from tests.browser.test_habits import go_to
from tests.browser.test_motion import SIZE, stretch, truth


def typed(page: Page, name: str, value: str) -> None:
    """A number typed into a field of the sheet."""
    page.get_by_role("slider", name=name, exact=True).dblclick()
    page.keyboard.type(value)
    page.keyboard.press("Enter")


def in_shot(page: Page, picture: np.ndarray) -> np.ndarray:
    """What the canvas shows of the shot, at the shot's own size."""
    box = page.get_by_test_id("viewer").bounding_box()
    at, scale = on_screen(page, SIZE)
    assert box
    x0, y0 = np.array(at(0, 0)) - (box["x"], box["y"])
    m = np.array([[1 / scale, 0, -x0 / scale], [0, 1 / scale, -y0 / scale]])
    return cv2.warpAffine(picture, m, SIZE, flags=cv2.INTER_LINEAR).astype(np.float32)


def shown(page: Page) -> np.ndarray:
    settled(page)
    return in_shot(page, canvas(page))


def test_a_wheel_whirls_about_a_hub_that_rolls_along(application: str, page: Page, tmp_path: Path) -> None:
    clip, last = stretch(tmp_path, "spinner", range(24)), 22
    new_shot(page, application, clip)
    at, scale = on_screen(page, SIZE)
    hubs = [np.array(f["hub_px"]) for f in truth("spinner")]
    go_to(page, last)
    plain = shown(page)
    go_to(page, 0)
    page.keyboard.press("Shift+T")
    drag(page, at(*(hubs[0] - 48)), at(*(hubs[0] + 48)))
    page.get_by_role("button", name="Both ways").click()
    followed(page, 24)
    # the plate once more, over itself: its pivot is taken to the hub and rides there
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("listitem").filter(has_text=clip.stem).first.hover()
    page.get_by_role("button", name=f"Lay in {clip.stem}").first.click()
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("sentence")).to_contain_text(f"{clip.stem}, from the shelf")
    drag(page, at(480, 270), at(*hubs[0]))
    expect(page.get_by_role("button", name="Undo: move the pivot of")).to_be_visible()
    page.get_by_role("button", name="Pivot rides on").click()
    page.get_by_role("button", name="rides on nothing yet").last.click()
    page.get_by_role("menuitem", name="Object 1").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Key Rotation").click()
    go_to(page, last)
    typed(page, "Rotation", "90")
    go_to(page, 0)
    page.get_by_role("button", name="cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(*(hubs[0] - 150)), at(*(hubs[0] + 150)))
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts")
    page.get_by_test_id("piece-0").get_by_role("button", name="rides on nothing").click()
    page.get_by_role("menuitem", name="Object 1").click()
    go_to(page, last)
    page.keyboard.press("Escape")
    page.locator("[data-pane]").last.click()
    whirled = shown(page)
    y, x = np.mgrid[0:540, 0:960] + 0.5
    away = np.hypot(x - hubs[last][0], y - hubs[last][1])
    turned = cv2.warpAffine(
        plain, cv2.getRotationMatrix2D((float(hubs[last][0] - 0.5), float(hubs[last][1] - 0.5)), -90, 1), SIZE
    )
    error = np.abs(whirled - turned).mean(-1)
    assert (
        np.median(error[away < 130]) < 20
        and np.abs(whirled - plain).mean(-1)[away < 130].mean() > 1.2 * error[away < 130].mean()
    )
    assert np.percentile(np.abs(whirled - plain).max(-1)[away > 165], 99) < 6


def test_a_ring_of_pictures_turns_about_a_fingertip(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "swipe", range(14)))
    page.get_by_role("button", name="Tracks", exact=True).click()
    page.get_by_role("button", name="Follow a part of a body").click()
    page.get_by_role("menuitem", name="right index fingertip").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("the right index fingertip of someone in")
    followed(page, 14, at_least=12)
    page.keyboard.press("Escape")
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="make a ring of it").click()
    page.get_by_role("button", name="Make the ring").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("a carrier")
    page.get_by_role("button", name="rides on nothing yet").click()
    page.get_by_role("menuitem", name="Right index fingertip").click()
    tips = np.array([f["fingertips_px"]["index"] for f in truth("swipe")])
    shot = page.request.get(f"{application}/api/shots/{page.url.rsplit('/', 1)[1]}").json()["document"]
    (track,) = shot["tracks"].values()
    file = page.request.get(f"{application}/api/artefacts/{track['samples']}/track").json()
    said = np.array([f["points"][0] for f in file["frames"]])
    middles = {}
    for frame in (0, 11):
        go_to(page, frame)
        rows, columns = np.nonzero(magenta_mask(shown(page)))
        assert len(rows) > 2000
        middles[frame] = np.array([columns.mean(), rows.mean()])
    # as the track says, to what blur adds; and the track as the finger, to what the model makes of a clay hand
    went, wanted = middles[11] - middles[0], tips[11] - tips[0]
    assert np.linalg.norm(went - (said[11] - said[0])) < 8, (went, said[11] - said[0])
    assert np.linalg.norm(wanted) > 80 and np.linalg.norm(went - wanted) < 20, (went, wanted)


def test_a_face_is_kept_where_it_is_and_as_large_as_it_is(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "pilot", range(56, 72)))
    at, _ = on_screen(page, SIZE)
    irises = [np.mean(f["iris_px_viewer_left_right"], 0) for f in truth("pilot")[56:72]]
    apart = np.linalg.norm(irises[15] - irises[0])
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*irises[0]))
    followed(page, 16, at_least=15)
    page.locator("[data-pane]").last.click()
    page.get_by_role("button", name="holds nothing still yet").click()
    page.get_by_role("menuitem", name="Face 1").click()
    page.get_by_role("button", name="zoom in until none shows").click()
    page.get_by_role("menuitem", name="show nothing").click()
    go_to(page, 0)
    first = cv2.cvtColor(shown(page), cv2.COLOR_RGB2GRAY)
    go_to(page, 15)
    last = cv2.cvtColor(shown(page), cv2.COLOR_RGB2GRAY)
    went = []
    for x, y in np.array(truth("pilot")[56]["iris_px_viewer_left_right"]).astype(int):
        eye, about = first[y - 14 : y + 15, x - 14 : x + 15], last[y - 64 : y + 65, x - 64 : x + 65]
        _, alike, _, (left, top) = cv2.minMaxLoc(cv2.matchTemplate(about, eye, cv2.TM_CCOEFF_NORMED))
        assert alike > 0.6
        went.append((left - 50, top - 50))
    off = np.hypot(*np.mean(went, 0))
    assert apart > 50 and off < 0.25 * apart, (apart, went)  # the face turns meanwhile
