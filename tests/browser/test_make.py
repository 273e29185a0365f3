"""Pictures that are made here, and a set-up that is given from one layer to another."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import new_shot
from tests.browser.test_jobs import shown
from tests.browser.test_motion import stretch


def made(page: Page, name: str) -> None:
    page.keyboard.press("1")
    page.get_by_role("button", name=f"Make: {name}", exact=True).click()
    expect(page.get_by_test_id("sentence")).to_contain_text("made here")
    page.keyboard.press("1")


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
