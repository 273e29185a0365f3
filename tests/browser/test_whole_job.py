"""A whole job as a person does it: from a clip of their own to a finished film, and pixels that prove it."""

from __future__ import annotations

import json
import re
import urllib.request
from pathlib import Path
from typing import Any

import av
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import canvas, followed, magenta, on_screen, spot_still
from tests.conftest import moving_frames, write_clip

STEP = np.array([1.5, 0.75])


def check_accessible(page: Page, axe: str) -> None:
    page.evaluate(axe)
    found: list[dict[str, Any]] = page.evaluate("axe.run().then(r => r.violations)")
    serious = [
        (v["id"], [n["html"][:120] for n in v["nodes"]][:4]) for v in found if v["impact"] in ("serious", "critical")
    ]
    assert not serious, serious


def no_words(page: Page) -> list[str]:
    problems: list[str] = []
    page.on("pageerror", lambda e: problems.append(str(e)))
    page.on("console", lambda m: problems.append(m.text) if m.type == "error" and "409" not in m.text else None)
    return problems


def test_from_a_clip_to_a_finished_film(application: str, page: Page, tmp_path: Path, axe: str) -> None:
    problems = no_words(page)
    plate = write_clip(tmp_path / "My wall é.mp4", moving_frames(48, 640, 360), sound=True)
    page.goto(application)
    expect(page.get_by_text("Drop a clip here for a new shot")).to_be_visible()
    check_accessible(page, axe)

    # a shot from a clip
    page.get_by_test_id("new-shot-files").set_input_files(str(plate))
    page.get_by_role("link", name="Open My wall é").click(timeout=60_000)
    expect(page.get_by_test_id("sentence")).to_contain_text("the plate, of 640 × 360 at 24 frames a second")
    expect(page.get_by_test_id("frame")).to_have_text("f 0000")

    # time: stepping, typing a frame into the palette, playing
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_test_id("frame")).to_have_text("f 0011")
    page.keyboard.press("Control+k")
    page.keyboard.type("20")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("frame")).to_have_text("f 0020")

    # a track, started in the picture
    viewer = page.get_by_test_id("viewer")
    box = viewer.bounding_box()
    assert box
    at, scale = on_screen(page, (640, 360))
    page.keyboard.press("t")
    expect(page.get_by_text("Click a corner or a spot to follow")).to_be_visible()
    page.mouse.click(*at(300, 170))
    expect(page.get_by_test_id("sentence")).to_contain_text("Point 1, a point of My wall é, seen at frame 20")
    page.get_by_role("button", name="Both ways").click()
    followed(page, 48)
    expect(page.get_by_test_id("health")).to_have_attribute("data-samples", "48")
    check_accessible(page, axe)

    # footage onto the shelf, and from there between the panes
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("region", name="Shelf").locator("input[type=file]").set_input_files(str(spot_still(tmp_path)))
    card = page.get_by_role("listitem").filter(has_text="spot")
    expect(card).to_be_visible(timeout=60_000)
    card.drag_to(page.get_by_test_id("gap-0"))
    expect(page.get_by_test_id("sentence")).to_contain_text(
        "spot, from the shelf, rides on nothing yet, is cut by nothing yet, is laid in with normal at 100 %"
    )
    page.keyboard.press("Escape")

    # moved by its handles, tied to the track by dropping it on the pane
    handles = page.get_by_test_id("handles")
    expect(handles).to_be_visible()
    page.mouse.move(*at(332, 195))
    page.mouse.down()
    page.mouse.move(*at(352, 215), steps=4)
    page.mouse.up()
    expect(page.get_by_role("button", name="Undo: move spot")).to_be_visible()
    page.get_by_role("button", name="Tracks", exact=True).click()
    page.get_by_role("region", name="Tracks").get_by_role("button", name=re.compile("^Point 1")).drag_to(
        page.locator("[data-pane=spot]")
    )
    expect(page.get_by_test_id("sentence")).to_contain_text("rides on Point 1")
    page.keyboard.press("Escape")
    for frame, presses in ((20, 0), (30, 1)):
        for _ in range(presses):
            page.keyboard.press("Shift+ArrowRight")
        expect(page.get_by_test_id("frame")).to_have_text(f"f {frame:04d}")
        page.wait_for_timeout(900)
        expected = np.array([340, 200]) + STEP * (frame - 20)
        x, y = magenta(canvas(page))
        shown = np.array([320 + (x - box["width"] / 2) / scale, 180 + (y - box["height"] / 2) / scale])
        assert np.abs(shown - expected).max() < 1.5, (frame, shown, expected)

    # a key, an effect with a typed value, undo and redo by name
    page.get_by_role("button", name="Key Opacity").click()
    key = page.get_by_role("button", name=re.compile("^Key of opacity at 30"))
    held, strip = key.bounding_box(), page.get_by_test_id("filmstrip").bounding_box()
    assert held and strip
    x, y = held["x"] + held["width"] / 2, held["y"] + 9
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 3 * strip["width"] / 48, y, steps=6)
    page.mouse.up()
    expect(page.get_by_role("button", name=re.compile("^Key of opacity at 33"))).to_be_visible()
    page.keyboard.press("Control+z")
    expect(key).to_be_visible()
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name="Grade").click()
    page.get_by_role("slider", name="Exposure").focus()
    page.keyboard.type("-1/2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("slider", name="Exposure")).to_have_attribute("aria-valuenow", "-0.5")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("slider", name="Exposure")).to_have_attribute("aria-valuenow", "0")
    page.get_by_role("button", name=re.compile("^Redo: set exposure")).click()
    expect(page.get_by_role("slider", name="Exposure")).to_have_attribute("aria-valuenow", "-0.5")
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^Undo: set exposure"))).to_be_visible()

    # the render, from the bench, looked at under Renders
    page.get_by_role("button", name="Render", exact=True).click()
    page.get_by_role("textbox", name="From", exact=True).fill("10")
    page.get_by_label("to", exact=True).fill("40")
    page.get_by_role("button", name="Start the render").click()
    page.goto(f"{application}/renders")
    with page.expect_download(timeout=90_000) as download:
        page.get_by_role("article").filter(has_text="My wall").get_by_role("link", name="Download").click(
            timeout=90_000
        )
    check_accessible(page, axe)
    with av.open(str(download.value.path())) as film:
        assert len(film.streams.audio) == 1
        frames = [f.to_ndarray(format="rgb24") for f in film.decode(video=0)]
    assert len(frames) == 31
    places = {i: np.array(magenta(frames[i])) for i in (0, 10, 30)}
    for i, place in places.items():
        assert np.abs(place - ([340, 200] + STEP * (i + 10 - 20))).max() < 1.5, (i, place)
    assert np.abs(places[30] - places[0] - STEP * 30).max() <= 1.0
    assert page.locator("video").evaluate("v => new Promise(r => { v.oncanplay = () => r(v.duration); v.load(); })") > 1
    assert not problems, problems


def test_two_tabs_do_not_overwrite_each_other(application: str, page: Page, tmp_path: Path) -> None:
    plate = write_clip(tmp_path / "Tabs.mp4", moving_frames(6, 160, 90))
    page.goto(application)
    page.get_by_test_id("new-shot-files").set_input_files(str(plate))
    page.get_by_role("link", name="Open Tabs").click(timeout=60_000)
    expect(page.get_by_test_id("sentence")).to_contain_text("the plate")
    other = page.context.new_page()
    other.goto(page.url)
    expect(other.get_by_test_id("sentence")).to_contain_text("the plate")
    other.keyboard.press("Shift+V")
    expect(other.locator("[data-pane=Veil]")).to_be_visible()
    expect(page.locator("[data-pane=Veil]")).to_be_visible()
    expect(page.get_by_text("changed elsewhere: add a veil")).to_be_visible()
    other.close()


def test_a_bad_file_is_refused_in_words(application: str, page: Page, tmp_path: Path, axe: str) -> None:
    (tmp_path / "broken.mp4").write_bytes(b"not a film" * 50)
    page.goto(application)
    page.get_by_test_id("new-shot-files").set_input_files(str(tmp_path / "broken.mp4"))
    alert = page.get_by_role("alert").filter(has_text="Import broken.mp4 failed")
    expect(alert).to_be_visible(timeout=60_000)
    alert.get_by_role("button", name="Put away").click()
    expect(alert).to_be_hidden()
    page.goto(f"{application}/shot/nosuchshot")
    expect(page.get_by_role("alert")).to_contain_text("does not exist")


def test_a_page_lives_through_a_lost_connection(application: str, page: Page, tmp_path: Path) -> None:
    plate = write_clip(tmp_path / "Storm.mp4", moving_frames(6, 160, 90))
    page.add_init_script(
        "window.sockets = []; const W = WebSocket;"
        "window.WebSocket = class extends W { constructor(...a) { super(...a); window.sockets.push(this); } };"
    )
    page.goto(application)
    page.get_by_test_id("new-shot-files").set_input_files(str(plate))
    page.get_by_role("link", name="Open Storm").click(timeout=60_000)
    expect(page.get_by_test_id("sentence")).to_contain_text("the plate")
    shot = page.url.rsplit("/", 1)[-1]
    page.evaluate(
        "() => new Promise(r => { const s = window.sockets.at(-1); s.addEventListener('close', r); s.close(); })"
    )
    ops = [{"op": "replace", "path": "/name", "value": "Renamed meanwhile"}]
    body = json.dumps({"base": 0, "label": "rename", "ops": ops}).encode()
    request = urllib.request.Request(
        f"{application}/api/shots/{shot}/edits", body, {"content-type": "application/json"}
    )
    urllib.request.urlopen(request).close()
    expect(page.get_by_role("heading", name="Renamed meanwhile")).to_be_visible(timeout=15_000)
