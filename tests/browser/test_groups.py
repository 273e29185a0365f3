"""Groups, twins and time, done with the mouse: panes gathered after everything was keyed, a stack of stills, a reflection, a freeze."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.helpers import canvas, drag, lay_in, magenta_mask, new_shot, on_screen, settled, spot_still
from tests.browser.test_habits import go_to
from tests.conftest import moving_frames, write_clip

SIZE = (320, 180)


@pytest.fixture
def three(application: str, page: Page, tmp_path: Path) -> Page:
    """Three spots over a plate that stands still, apart from each other."""
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *SIZE, step=(0.0, 0.0)))
    )
    at, _ = on_screen(page, SIZE)
    for x in (80, 160, 240):
        lay_in(page, spot_still(tmp_path))
        if x != 160:
            drag(page, at(172, 100), at(x + 12, 100))
            expect(page.get_by_role("button", name="Undo: move spot")).to_be_visible()
    return page


def panes(page: Page) -> list[str]:
    return [p.get_attribute("data-pane") or "" for p in page.locator("[data-layer]").all()]


def bare(page: Page) -> np.ndarray:
    """The picture without handles over it: the plate is selected, which has none."""
    page.locator("[data-pane]").last.locator("button").first.click()
    page.mouse.move(640, 5)
    return settled(page)


def value(page: Page, name: str, typed: str) -> None:
    page.get_by_role("slider", name=name, exact=True).first.dblclick()
    page.keyboard.type(typed)
    page.keyboard.press("Enter")


def middle_x(page: Page) -> float:
    at, scale = on_screen(page, SIZE)
    box = page.get_by_role("img", name="The picture").bounding_box()
    assert box
    columns = np.nonzero(magenta_mask(settled(page)))[1]
    return float((columns.mean() - (at(0, 0)[0] - box["x"])) / scale)


def test_late_grouping_changes_nothing_and_the_group_carries_all(three: Page) -> None:
    page = three
    page.get_by_role("button", name="Key Position").click()
    go_to(page, 10)
    value(page, "Position y", "60")
    go_to(page, 4)
    before = bare(page)
    first = page.locator("[data-layer] button[aria-pressed]")
    first.nth(0).click()
    first.nth(2).click(modifiers=["Shift"])
    page.keyboard.press("Control+g")
    expect(page.get_by_test_id("sentence")).to_contain_text("Group 1, a group of 2 layers")
    page.mouse.move(640, 5)
    page.get_by_role("button", name="Fold Group 1", exact=True).click()
    assert len(panes(page)) == 3  # the group, the spot that is not in it, the plate
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Redo: group 2 layers as Group 1")).to_be_visible()
    first.nth(0).click()
    first.nth(1).click(modifiers=["Shift"])
    first.nth(2).click(modifiers=["Control"])
    page.keyboard.press("Control+g")
    expect(page.get_by_test_id("sentence")).to_contain_text("a group of 3 layers")
    page.get_by_role("button", name="Fold Group 1", exact=True).click()
    assert np.array_equal(bare(page), before)  # not by one code
    page.locator("[data-pane='Group 1'] button[aria-pressed]").click()
    spots = magenta_mask(before)
    x = middle_x(page)
    value(page, "Position x", "175")
    expect(page.get_by_role("button", name="Undo: set position of Group 1")).to_be_visible()
    assert middle_x(page) == pytest.approx(x + 15, abs=1.0)
    page.get_by_role("slider", name="Scale", exact=True).first.dblclick()
    page.keyboard.type("50")
    page.keyboard.press("Enter")
    small = magenta_mask(settled(page)).sum()
    assert small == pytest.approx(spots.sum() / 4, rel=0.12)
    page.keyboard.press("h")
    expect(
        page.get_by_role("button", name="Show Group 1").or_(page.get_by_role("button", name="Undo: hide Group 1")).first
    ).to_be_visible()
    assert magenta_mask(settled(page)).sum() == 0


def test_stills_in_groups_are_gone_into_dragged_out_and_taken_apart(three: Page) -> None:
    page = three
    first = page.locator("[data-layer] button[aria-pressed]")
    first.nth(0).click()
    first.nth(1).click(modifiers=["Shift"])
    page.keyboard.press("Control+g")
    expect(page.get_by_role("button", name="Fold Group 1", exact=True)).to_be_visible()
    page.keyboard.press("g")
    back = page.get_by_role("navigation", name="Way back")
    expect(back).to_contain_text("Group 1")
    assert len(panes(page)) == 2  # only what is in it
    page.keyboard.press("Control+d")
    expect(page.get_by_test_id("sentence")).to_contain_text("spot copy")
    assert len(panes(page)) == 3
    page.keyboard.press("Delete")
    expect(page.get_by_role("button", name="Undo: remove spot copy")).to_be_visible()
    page.keyboard.press("u")
    expect(back).to_have_count(0)
    expect(page.get_by_test_id("sentence")).to_contain_text("Group 1")
    opacity = page.get_by_role("slider", name="Opacity", exact=True).first
    whole = magenta_mask(settled(page)).sum()
    opacity.dblclick()
    page.keyboard.type("30")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo: set opacity of Group 1")).to_be_visible()
    third = magenta_mask(settled(page)).sum()
    assert third == pytest.approx(whole / 3, rel=0.1)  # only the spot that is not in the group is as bright as it was
    page.locator("[data-layer]").nth(0).drag_to(page.get_by_test_id("gap-0"))
    expect(page.get_by_role("button", name="Undo: move spot in the stack")).to_be_visible()
    assert magenta_mask(settled(page)).sum() == pytest.approx(2 * whole / 3, rel=0.1)  # dragged out it is whole again
    page.locator("[data-tray] [aria-pressed]").first.click()
    page.keyboard.press("Control+Shift+g")
    expect(page.get_by_role("button", name="Undo: ungroup Group 1")).to_be_visible()
    expect(page.locator("[data-tray]")).to_have_count(0)
    assert len(panes(page)) == 4


def test_a_reflection_is_a_twin_squashed_and_blurred_that_hangs_from_its_original(
    application: str, page: Page, tmp_path: Path
) -> None:
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *SIZE, step=(0.0, 0.0)))
    )
    at, scale = on_screen(page, SIZE)
    lay_in(page, spot_still(tmp_path))
    drag(page, at(172, 100), at(132, 70))
    page.keyboard.press("Shift+W")
    expect(page.get_by_test_id("sentence")).to_contain_text("the twin of spot")
    expect(page.get_by_test_id("sentence")).to_contain_text("hangs from spot")
    value(page, "Position y", "110")
    page.get_by_role("button", name="Put in depth").hover()
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name="Blur", exact=True).click()
    expect(page.get_by_role("button", name="Blur on")).to_be_visible()
    value(page, "Radius", "1.5")
    page.mouse.move(640, 5)
    mask = magenta_mask(settled(page))
    rows = np.nonzero(mask.any(1))[0] / scale
    assert rows.min() == pytest.approx(38, abs=2.5) and rows.max() == pytest.approx(
        132, abs=3
    )  # both discs, one under the other
    page.locator("[data-layer] button[aria-pressed]").nth(0).click()  # the original moves, and its reflection with it
    expect(page.get_by_test_id("sentence")).to_contain_text("spot, from the shelf")
    page.get_by_role("button", name="Key Position").click()
    x = middle_x(page)
    go_to(page, 10)
    value(page, "Position x", "200")
    expect(page.get_by_role("button", name="Undo: set position of spot")).to_be_visible()
    assert middle_x(page) == pytest.approx(x + 80, abs=1.5)
    page.get_by_role("slider", name="Opacity", exact=True).first.dblclick()
    page.keyboard.type("0")
    page.keyboard.press("Enter")
    rows = np.nonzero(magenta_mask(settled(page)).any(1))[0] / scale
    assert rows.min() > 84  # only the reflection is left


def test_a_clip_is_frozen_turned_round_and_shown_frame_by_frame(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *SIZE, step=(6.0, 0.0)))
    )
    page.mouse.move(640, 5)
    pictures = {}
    for f in (2, 9):
        go_to(page, f)
        pictures[f] = settled(page)
    run = page.get_by_title("Change how it runs")
    go_to(page, 2)
    run.click()
    page.get_by_role("menuitem", name="freeze here").click()
    go_to(page, 9)
    page.mouse.move(640, 5)
    assert np.abs(settled(page).astype(int) - pictures[2]).mean() < 0.5
    run.click()
    page.get_by_role("menuitem", name="run by its speed again").click()
    expect(page.get_by_role("button", name="Undo: let")).to_be_visible()
    run.click()
    page.get_by_role("menuitem", name="run backwards").click()
    expect(page.get_by_test_id("frame-shown")).to_have_text("2")  # of 12, from the last one back
    page.mouse.move(640, 5)
    assert np.abs(settled(page).astype(int) - pictures[2]).mean() < 0.5
    page.get_by_title("Between two frames").click()
    page.get_by_role("menuitem", name="both, mixed").click()
    expect(page.get_by_role("button", name="Undo: change what")).to_be_visible()


def test_the_picture_is_large_and_the_page_is_shared_out(three: Page) -> None:
    page = three
    at, scale = on_screen(page, SIZE)
    assert (SIZE[0] * scale) * (SIZE[1] * scale) > 0.45 * 1280 * 800
    line = page.get_by_role("separator")
    box = line.bounding_box()
    assert box
    lanes = page.get_by_test_id("lanes").bounding_box()
    drag(page, (box["x"] + 200, box["y"] + 2), (box["x"] + 200, box["y"] - 98))
    higher = page.get_by_test_id("lanes").bounding_box()
    assert lanes and higher and higher["height"] == pytest.approx(lanes["height"] + 100, abs=2)
    page.reload()
    expect(page.get_by_test_id("sentence")).to_be_visible()
    page.wait_for_timeout(300)
    again = page.get_by_test_id("lanes").bounding_box()
    assert again and again["height"] == pytest.approx(higher["height"], abs=1)
    page.keyboard.press("q")
    expect(page.get_by_test_id("lanes")).to_have_count(0)
    expect(page.locator("aside")).to_have_count(0)
    assert canvas(page).shape[1] > 1270
    page.keyboard.press("Shift+Q")
    expect(page.get_by_text("film", exact=True)).to_be_visible()
    page.keyboard.press("Shift+Q")
    expect(page.get_by_test_id("lanes")).to_be_visible()


def test_moments_are_named_moved_and_let_go(three: Page) -> None:
    page = three
    go_to(page, 5)
    page.keyboard.press("n")
    page.keyboard.type("the tap")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo: name the cue the tap")).to_be_visible()
    go_to(page, 8)
    cue = page.get_by_title("Cue the tap")
    cue.click()
    page.get_by_role("menuitem", name="move it here (8)").click()
    expect(page.get_by_role("button", name="Undo: move the cue the tap")).to_be_visible()
    go_to(page, 0)
    cue.click()
    page.get_by_role("menuitem", name="go there").click()
    expect(page.get_by_test_id("frame")).to_have_text("f 0008")
    cue.click()
    page.get_by_role("menuitem", name="remove it").click()
    expect(cue).to_have_count(0)
