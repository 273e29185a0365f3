"""Pictures that are made here, and a set-up that is given from one layer to another."""

from __future__ import annotations

import io
import re
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, followed, new_shot, on_screen, sent
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import shown
from tests.browser.test_motion import SIZE, stretch, truth
from tests.core.test_fonts import squares
from tests.core.test_loudness import spoken


def made(page: Page, name: str) -> None:
    page.keyboard.press("4")
    page.get_by_role("button", name=f"Make: {name}", exact=True).click()
    expect(page.get_by_test_id("sentence")).to_contain_text("made here")
    page.keyboard.press("4")


def test_fill_and_gradient_are_made_and_one_gets_the_looks_of_the_other(
    application: str, page: Page, tmp_path: Path
) -> None:
    new_shot(page, application, stretch(tmp_path, "spinner", range(3)))
    made(page, "Fill")
    grey = shown(page)[60:200, 60:300]
    assert np.abs(grey - 188).max() <= 4  # half of the light, as the display shows it
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name="Vignette").click()
    expect(page.get_by_role("button", name="Undo: add vignette to Fill")).to_be_visible()
    assert shown(page)[6:16, 6:16].mean() < 150
    page.keyboard.press("Control+Shift+c")
    made(page, "Gradient")
    top, bottom = (shown(page)[rows, 400:560].mean((0, 1)) for rows in (slice(20, 60), slice(480, 520)))
    assert top[2] > top[0] + 20 and bottom[0] > bottom[2] + 60  # from night blue down to a warm light
    page.keyboard.press("Control+Shift+v")
    expect(page.get_by_role("button", name="Undo: give Gradient the set-up of Fill")).to_be_visible()
    assert shown(page)[500:530, 10:30].mean() < bottom.mean() - 30
    page.keyboard.press("Control+z")
    expect(page.get_by_text("1 in the chain")).to_have_count(0)
    assert np.abs(shown(page)[480:520, 400:560].mean((0, 1)) - bottom).max() < 2
    # scopes in place of the lanes: the gradient covers all, and none of it is clipped; far brighter, it is
    page.keyboard.press("Shift+Y")
    scopes = page.get_by_role("region", name="Scopes")
    expect(scopes.get_by_role("img", name="Colours")).to_be_visible()
    expect(scopes.get_by_role("status")).to_have_text("Gradient: nothing is clipped.")
    page.get_by_role("slider", name="Last colour red", exact=True).dblclick()
    page.keyboard.type("4")
    page.keyboard.press("Enter")
    expect(scopes.get_by_role("status")).to_contain_text("clipped to white")
    # of a part of the picture, drawn: above, the gradient is dark
    page.get_by_role("combobox", name="Whose values").click()
    page.get_by_role("option", name="a part of it, drawn").click()
    at, _ = on_screen(page, SIZE)
    drag(page, at(300, 20), at(500, 90))
    expect(scopes.get_by_role("status")).to_have_text("This part: nothing is clipped.")
    page.get_by_role("combobox", name="Whose values").click()
    page.get_by_role("option", name="the whole picture").click()
    expect(scopes.get_by_role("status")).to_contain_text("The picture: ")
    page.keyboard.press("Shift+Y")
    expect(scopes).to_have_count(0)


def picture(page: Page, frame: int) -> np.ndarray:
    """A frame of the shot that is open as it stands now, without handles: as large as the shot is."""
    sent(page)
    base, shot = page.url.split("/shot/")
    data = page.request.get(f"{base}/api/shots/{shot}/frame/{frame}.jpg?width={SIZE[0]}").body()
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(float)


def handle(page: Page, name: str) -> tuple[float, float]:
    box = page.get_by_test_id(f"point-{name}").bounding_box()
    assert box
    return box["x"] + 11, box["y"] + box["height"] / 2


def test_breath_is_dropped_on_a_mouth_rides_on_it_and_stays_behind_in_the_air(
    application: str, page: Page, tmp_path: Path
) -> None:
    last = 17
    new_shot(page, application, stretch(tmp_path, "pilot", range(26, 44)))  # the head turns from left to right
    at, scale = on_screen(page, SIZE)
    eyes = [np.mean(f["iris_px_viewer_left_right"], 0) for f in truth("pilot")[26:44]]
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*eyes[0]))
    followed(page, 18, at_least=17)
    go_to(page, 0)
    plain = picture(page, last)
    # searched for, and let go over the mouth
    page.keyboard.press("4")
    page.get_by_label("Search what can be made").fill("breath")
    card, mouth = page.get_by_role("button", name="Make: Breath", exact=True), eyes[0] + [0, 128]
    expect(page.get_by_role("button", name="Make: Fill")).to_have_count(0)
    assert card.locator("img").evaluate("i => i.decode().then(() => i.naturalWidth)") == 160
    card.hover()
    page.mouse.down()
    page.mouse.move(*at(*(mouth - [3, 3])))
    page.mouse.move(*at(*mouth))
    page.mouse.up()
    expect(page.get_by_role("button", name="Undo: add Breath")).to_be_visible()
    page.keyboard.press("4")
    page.get_by_role("button", name="Source rides on").click()
    page.get_by_role("button", name="rides on nothing yet").last.click()
    page.get_by_role("menuitem", name="Face 1").click()
    page.get_by_role("button", name="head", exact=True).click()
    page.get_by_role("menuitem", name="mouth").click()
    page.keyboard.press("Escape")
    at_first = np.array(handle(page, "source"))
    go_to(page, last)
    moved = np.zeros(2)
    for _ in range(40):  # where rides have taken things is asked for by itself
        moved = (np.array(handle(page, "source")) - at_first) / scale
        if moved[0] > 40:
            break
        page.wait_for_timeout(250)
    assert moved[0] > 40  # the source has gone with the face
    x, y = (mouth + moved).astype(int)

    def breath() -> np.ndarray:
        return np.abs(picture(page, last) - plain).mean(-1)

    here, behind = (
        (slice(y - 60, y + 30), slice(x - 10, x + 90)),
        (slice(y - 140, y + 10), slice(x - int(moved[0]) - 20, x - 20)),
    )
    assert (
        breath()[here].max() > 12 and breath()[behind].max() > 5
    )  # it comes out here, and what came out before hangs where it was
    # the source is pulled away in the picture, and undo brings it back
    start = handle(page, "source")
    drag(page, start, (start[0] - 200, start[1] - 150))
    expect(page.get_by_role("button", name="Undo: move source of Breath")).to_be_visible()
    assert breath()[y - 10 : y + 20, x + 20 : x + 60].max() < 6
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Undo: move source of Breath")).to_have_count(0)
    assert breath()[here].max() > 12


def test_an_arc_is_pulled_between_two_places_in_the_picture(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "spinner", range(3)))
    plain = picture(page, 0)
    made(page, "Lightning")
    at, _ = on_screen(page, SIZE)
    for name, x, y in (("start", 120, 90), ("end", 820, 110)):
        drag(page, handle(page, name), at(x, y))
    expect(page.get_by_role("button", name="Undo: move to of Lightning")).to_be_visible()
    lit = (picture(page, 0) - plain).mean(-1)
    for x in (160, 470, 780):
        assert lit[:, x].max() > 40 and 0 < np.argmax(lit[:, x]) < 260, (x, np.argmax(lit[:, x]))
    assert lit[420:].max() < 25  # nothing where it lay before


def test_a_voice_lets_breath_out_and_a_title_is_set_in_a_font_that_was_brought(
    application: str, page: Page, tmp_path: Path
) -> None:
    new_shot(page, application, stretch(tmp_path, "spinner", range(16)))
    plain = [picture(page, f) for f in (5, 14)]
    made(page, "Breath")
    assert np.abs(picture(page, 5) - plain[0]).mean() > 0.02  # it comes all the time
    page.get_by_role("button", name="Shelf", exact=True).click()
    voice = spoken(tmp_path, (0.3, 0.55, 0.5), seconds=1.0)
    page.get_by_role("region", name="Shelf").locator("input[type=file]").set_input_files(str(voice))
    expect(page.get_by_role("listitem").filter(has_text="voice").first).to_be_visible(timeout=60_000)
    page.keyboard.press("Escape")
    page.get_by_role("slider", name="Rate", exact=True).hover()
    page.get_by_role("button", name="Let something move rate of Breath").click()
    page.get_by_role("menuitem", name="How loud voice is").click()
    expect(page.get_by_role("button", name="Undo: key rate by the loudness of voice")).to_be_visible()
    silent, said = (np.abs(picture(page, f) - p).mean(-1) for f, p in zip((5, 14), plain, strict=True))
    assert silent.max() < 3 and said.max() > 8

    made(page, "Title")
    page.get_by_label("Words", exact=True).fill("AA")
    page.get_by_label("Words", exact=True).blur()
    (tmp_path / "squares.ttf").write_bytes(squares())
    (tmp_path / "none.ttf").write_bytes(b"no font" * 40)
    brought = page.get_by_label("A font file")
    brought.set_input_files(str(tmp_path / "none.ttf"))
    expect(page.get_by_text("none.ttf is damaged, or no font.")).to_be_visible()
    brought.set_input_files(str(tmp_path / "squares.ttf"))
    expect(page.get_by_role("button", name=re.compile("^Undo: lay Squares of ours on"))).to_be_visible()
    bright = picture(page, 5).min(-1) > 215
    y, x = np.nonzero(bright)
    across, down = np.percentile(x, 99) - np.percentile(x, 1), np.percentile(y, 99) - np.percentile(y, 1)
    assert (
        abs(down - 72) < 4 and abs(across - 2.22 * 72) < 6
    )  # two squares as high as the letters are, and the space between them
    page.get_by_role("button", name="Take it off").click()
    expect(page.get_by_role("button", name=re.compile("^Undo: take Squares of ours off"))).to_be_visible()
    assert (picture(page, 5).min(-1) > 215).sum() < bright.sum() / 3
