"""The bench's habits, each done as a person does it and checked in the picture."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, lay_in, magenta, magenta_mask, new_shot, on_screen, settled, spot_still
from tests.conftest import moving_frames, write_clip

SIZE = (320, 180)


@pytest.fixture
def laid(application: str, page: Page, tmp_path: Path) -> Page:
    """A shot of 40 frames with the spot over it, selected."""
    clip = write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(40, *SIZE))
    new_shot(page, application, clip)
    lay_in(page, spot_still(tmp_path))
    return page


def spot_size(page: Page) -> int:
    return int(magenta_mask(settled(page)).sum())


def key(page: Page, frame: int) -> None:
    page.get_by_role("button", name=re.compile(f"^Key of opacity at {frame},")).wait_for()


def go_to(page: Page, frame: int) -> None:
    page.keyboard.press("Control+k")
    page.keyboard.type(str(frame))
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("frame")).to_have_text(f"f {frame:04d}")


def set_opacity(page: Page, percent: int) -> None:
    slider = page.get_by_role("slider", name="Opacity")
    slider.focus()
    page.keyboard.type(str(percent))
    page.keyboard.press("Enter")
    expect(slider).to_have_attribute("aria-valuenow", str(percent))


def test_keys_are_copied_eased_deleted_and_shaped(laid: Page) -> None:
    page = laid
    page.get_by_role("button", name="Key Opacity").click()
    go_to(page, 10)
    set_opacity(page, 0)
    key(page, 10)
    # hold: full until the second key; linear: half way in the middle
    first = page.get_by_role("button", name=re.compile("^Key of opacity at 0,"))
    for ease, shown in (("hold", 100), ("linear", 50)):
        first.click(button="right")
        page.get_by_role("menuitem", name=ease).click()
        go_to(page, 5)
        expect(page.get_by_role("slider", name="Opacity")).to_have_attribute("aria-valuenow", str(shown))
    # both keys copied to frame 20
    first.click()
    page.get_by_role("button", name=re.compile("^Key of opacity at 10,")).click(modifiers=["Shift"])
    page.keyboard.press("Control+c")
    go_to(page, 20)
    page.keyboard.press("Control+v")
    key(page, 20)
    key(page, 30)
    assert spot_size(page) > 1000
    go_to(page, 30)
    assert spot_size(page) < 100
    # one of them deleted
    page.get_by_role("button", name=re.compile("^Key of opacity at 30,")).click()
    page.keyboard.press("Delete")
    expect(page.get_by_role("button", name=re.compile("^Key of opacity at 30,"))).to_be_hidden()
    assert spot_size(page) > 1000
    # as curves: the first key's ease is shaped by pulling its handle to the far end, so the value stays up for longer
    page.keyboard.press("c")
    page.get_by_role("button", name="Key at 0: 1.00, linear").dblclick()
    go_to(page, 5)
    before = float(page.get_by_role("slider", name="Opacity").get_attribute("aria-valuenow") or 0)
    handle = page.get_by_label("Leaving handle of the key at 0").bounding_box()
    far = page.get_by_label("Arriving handle of the key at 0").bounding_box()
    assert handle and far
    centre = (handle["x"] + 5, handle["y"] + 5)
    drag(page, centre, (far["x"] + 40, centre[1]))
    expect(page.get_by_role("button", name="Undo: shape the ease of opacity")).to_be_visible()
    after = float(page.get_by_role("slider", name="Opacity").get_attribute("aria-valuenow") or 0)
    assert after > before + 10


def test_handles_scale_turn_and_move_the_pivot(laid: Page) -> None:
    page = laid
    at, scale = on_screen(page, SIZE)
    size = spot_size(page)
    drag(page, at(190, 120), at(220, 150))
    grown = spot_size(page)
    assert grown == pytest.approx(4 * size, rel=0.08)
    before = settled(page)
    drag(page, at(160, 90), at(130, 70))
    expect(page.get_by_role("button", name=re.compile("^Undo: .*pivot"))).to_be_visible()
    moved = np.abs(settled(page).astype(int) - before)
    inside = magenta_mask(before)
    inside = cv2.erode(inside.astype(np.uint8), np.ones((40, 40))) > 0
    assert moved[inside].mean() < 40, "moving the pivot moved the picture"  # the cross itself is drawn inside
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("^Redo: .*pivot"))).to_be_visible()
    top = (at(160, 90)[0], at(160, 30)[1] - 22)
    centre = at(160, 90)
    drag(page, top, (centre[0] + 200, centre[1]))
    expect(page.get_by_role("slider", name="Rotation")).to_have_attribute(
        "aria-valuenow", re.compile(r"^(8[5-9]|9[0-5])")
    )


def test_peek_views_trim_and_loop(laid: Page) -> None:
    page = laid
    with_it = spot_size(page)
    page.keyboard.down("`")
    expect(page.get_by_text("without the selection")).to_be_visible()
    assert spot_size(page) < 50 < with_it
    page.keyboard.up("`")
    assert spot_size(page) == pytest.approx(with_it, rel=0.02)
    page.keyboard.press("Shift+G")
    at, scale = on_screen(page, SIZE)
    box = page.get_by_test_id("viewer").bounding_box()
    assert box
    x, y = (int(v) for v in (at(160, 80)[0] - box["x"], at(160, 80)[1] - box["y"]))
    assert settled(page)[y, x].max() < 20  # no green in magenta
    page.keyboard.press("Shift+R")
    assert settled(page)[y, x].min() > 230
    page.keyboard.press("v")
    # trim by keys on its handles, loop between I and O, play stays inside
    page.get_by_role("slider", name="In: first frame of the trim").focus()
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_role("slider", name="In: first frame of the trim")).to_have_attribute("aria-valuenow", "5")
    go_to(page, 12)
    page.keyboard.press("i")
    go_to(page, 18)
    page.keyboard.press("o")
    page.get_by_role("button", name="Play", exact=True).click()
    seen = set()
    for _ in range(25):
        seen.add(int(page.get_by_test_id("frame").inner_text()[2:]))
        page.wait_for_timeout(80)
    page.keyboard.press("Space")
    assert seen <= set(range(12, 20)) and len(seen) >= 4, seen


def test_what_is_done_while_it_plays_is_done_at_the_frame_that_is_seen(laid: Page) -> None:
    page = laid
    shown = page.get_by_test_id("frame")
    page.keyboard.press("Space")
    expect(shown).not_to_have_text("f 0000")
    page.wait_for_timeout(700)
    before = int(shown.inner_text()[2:])
    page.keyboard.press("i")
    after = int(shown.inner_text()[2:])
    page.keyboard.press("Space")
    label = page.get_by_role("button", name=re.compile("^Looping ")).get_attribute("aria-label")
    assert label and before <= int(label.split()[1]) <= after, (before, label, after)


@pytest.mark.parametrize("form", ["ProRes", "EXR"])
def test_the_dialog_renders_other_formats(laid: Page, form: str, application: str, tmp_path: Path) -> None:
    page = laid
    page.get_by_role("button", name="Render", exact=True).click()
    page.get_by_label(re.compile(f"^{form}")).check()
    page.get_by_role("textbox", name="From", exact=True).fill("3")
    page.get_by_label("to", exact=True).fill("6")
    page.get_by_role("button", name="Start the render").click()
    page.goto(f"{application}/renders")
    with page.expect_download(timeout=90_000) as download:
        page.get_by_role("article").filter(has_text=tmp_path.name).get_by_role("link", name="Download").click(
            timeout=90_000
        )
    path = tmp_path / "result"
    download.value.save_as(path)
    if form == "ProRes":
        with av.open(str(path)) as film:
            stream = film.streams.video[0]
            assert stream.codec_context.name == "prores" and stream.codec_context.codec_tag == "ap4h"  # 4444
            frames = [f.to_ndarray(format="rgb24") for f in film.decode(stream)]
        assert len(frames) == 4 and np.abs(np.array(magenta(frames[0])) - [160, 90]).max() < 1
        return
    with zipfile.ZipFile(path) as archive:
        names = sorted(n for n in archive.namelist() if n.endswith(".exr"))
        assert len(names) == 4
        archive.extract(names[0], tmp_path)
    from tropein.core.media.still import read

    pixels, space, premultiplied = read(tmp_path / names[0])
    assert pixels.shape[:2] == (180, 320) and pixels.dtype == np.float32
    assert np.allclose(pixels[90, 160, :3], [1, 0, 1], atol=0.01)  # linear light, exactly what was laid in


def test_what_closes_takes_no_focus_from_what_has_opened_since(laid: Page) -> None:
    """Escape and Ctrl+K in one turn of the page, quicker than a focus is given back."""
    page = laid
    page.get_by_title("Opacity", exact=True).click()
    expect(page.locator("[data-radix-popper-content-wrapper]")).to_be_visible()
    page.wait_for_timeout(200)
    page.evaluate(
        """async () => {
            const press = (key, ctrlKey) => document.body.dispatchEvent(new KeyboardEvent("keydown", { key, ctrlKey, bubbles: true }));
            document.activeElement.blur();
            press("Escape", false);
            for (let i = 0; i < 20; i++) await Promise.resolve();
            press("k", true);
            await new Promise((done) => setTimeout(done, 100));
        }"""
    )
    expect(page.locator("[data-radix-popper-content-wrapper]")).to_have_count(0)
    expect(page.get_by_placeholder(re.compile("^An action, a layer"))).to_be_focused()


def test_pictures_stay_over_edits_that_do_not_change_them(application: str, page: Page, tmp_path: Path) -> None:
    sent: list[int] = []

    def count(data: bytes | str) -> None:
        if isinstance(data, bytes):
            sent.append(len(data))

    page.on("websocket", lambda socket: socket.on("framereceived", count))
    clip = write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(40, *SIZE))
    new_shot(page, application, clip)
    lay_in(page, spot_still(tmp_path))
    shown = settled(page)
    page.keyboard.press("Space")
    for _ in range(100):
        page.wait_for_timeout(200)
        if len(sent) > 40:
            break
    page.wait_for_timeout(1000)
    page.keyboard.press("Space")
    go_to(page, 0)
    settled(page)

    def through(frames: range) -> int:
        """How many pictures are sent for frames that are gone to."""
        before = len(sent)
        for frame in frames:
            page.keyboard.press("ArrowRight" if frame else "Home")
            expect(page.get_by_test_id("frame")).to_have_text(f"f {frame:04d}")
        settled(page)
        go_to(page, 0)
        assert np.array_equal(settled(page), shown)
        return len(sent) - before

    assert through(range(1, 40)) == 0
    page.get_by_title("Name of the layer").click()
    page.keyboard.type("Mark")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Undo: rename"))).to_be_visible()
    assert through(range(1, 40)) == 0
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Undo: hide Mark")).to_be_visible()
    assert magenta_mask(settled(page)).sum() == 0
    before = len(sent)
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Undo: show Mark")).to_be_visible()
    page.wait_for_timeout(500)
    assert through(range(1, 40)) == 0 and len(sent) == before
    set_opacity(page, 50)
    settled(page)
    assert len(sent) > before
    page.get_by_role("button", name=re.compile("^Undo: ")).click()
    before = len(sent)
    assert np.array_equal(settled(page), shown)
    assert through(range(1, 40)) == 0 and len(sent) == before


def test_what_was_done_is_listed_and_gone_back_to(laid: Page) -> None:
    page = laid
    set_opacity(page, 60)
    set_opacity(page, 30)
    page.keyboard.press("Shift+H")
    steps = page.get_by_role("list", name="Steps").get_by_role("button")
    expect(steps).to_have_count(4)  # two values, the spot laid in, and the shot as it came
    expect(steps.nth(0)).to_contain_text("you are here")
    steps.nth(2).click()
    expect(steps.nth(2)).to_contain_text("you are here")
    expect(page.get_by_text("2 steps are undone")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("slider", name="Opacity")).to_have_attribute("aria-valuenow", "100")
    assert spot_size(page) > 1000
    page.keyboard.press("Shift+H")
    steps.nth(1).click()
    expect(steps.nth(1)).to_contain_text("you are here")
    steps.nth(3).click()
    expect(steps.nth(3)).to_contain_text("you are here")
    page.keyboard.press("Escape")
    assert spot_size(page) == 0


def test_things_on_the_shelf_are_renamed_tagged_and_taken_off(laid: Page) -> None:
    page = laid
    page.get_by_role("button", name="Shelf", exact=True).click()
    card = page.get_by_role("listitem").filter(has_text="spot")
    card.first.hover()
    page.get_by_role("button", name="Change spot").first.click()
    page.get_by_label("Name", exact=True).fill("Ember")
    page.get_by_label("Tags, with commas between them").fill("glow, round,glow")
    page.get_by_role("button", name="Save").click()
    ember = page.get_by_role("listitem").filter(has_text="Ember")
    expect(ember).to_have_attribute("title", "glow, round")
    page.get_by_label("Search the shelf").fill("round")
    ember.hover()
    page.get_by_role("button", name="Change Ember").click()
    page.get_by_role("button", name="Take it off the shelf").click()
    expect(page.get_by_text("Ember is used in")).to_be_visible()  # refused in words, and still there
    expect(ember).to_be_visible()


def test_four_corners_are_keyed(laid: Page) -> None:
    page = laid
    page.get_by_role("button", name="Pin by four corners").click()
    page.get_by_role("button", name="Key Corners").click()
    start = magenta(settled(page))
    go_to(page, 20)
    at, _ = on_screen(page, SIZE)
    drag(page, at(160, 90), at(200, 90))
    page.get_by_role("button", name=re.compile("^Key of corners at 20,")).wait_for()
    moved = magenta(settled(page))
    go_to(page, 10)
    between = magenta(settled(page))
    assert start[0] < between[0] < moved[0] and between[0] == pytest.approx((start[0] + moved[0]) / 2, abs=6)
