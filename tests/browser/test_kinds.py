"""Kinds are files: an effect, a content, a mover and a command dropped into a copy of the package are there in the page."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from launch import postgres
from tests.browser.conftest import serving
from tests.browser.helpers import new_shot
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import shown
from tests.browser.test_motion import stretch
from tests.core.test_kinds import with_kinds


def palette(page: Page, name: str) -> None:
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="Find an action").fill(name)
    page.get_by_role("option", name=name, exact=True).click()


def test_new_kinds_are_in_the_page(
    application: str, home: Path, running_database: postgres.Server, page: Page, tmp_path: Path
) -> None:
    clip = stretch(tmp_path, "spinner", range(4))
    new_shot(page, application, clip)
    plain = shown(page)
    with serving(home, running_database, **with_kinds(tmp_path)) as (address, _):
        page.goto(page.url.replace(application, address))
        expect(page.get_by_test_id("sentence")).to_be_visible()
        palette(page, "Add: dot")
        expect(page.get_by_test_id("sentence")).to_contain_text("Dot, dot made here")
        page.get_by_role("slider", name="Radius", exact=True).dblclick()
        page.keyboard.type("60")
        page.keyboard.press("Enter")
        away = np.hypot(*(np.mgrid[0:540, 0:960] - np.array([269.5, 479.5])[:, None, None]))
        inside, edge = (away > 30) & (away < 56), (away > 62) & (away < 66)  # its pivot is drawn in the middle
        dot = shown(page)
        assert dot[inside].min() > 240 and np.abs(dot - plain)[edge].max() < 25
        page.get_by_role("button", name="Add an effect").click()
        page.get_by_role("menuitem", name="Halve").click()
        assert 180 < shown(page)[inside].mean() < 195  # half the light, as the display shows it
        page.get_by_role("button", name="Let something move Radius").click()
        page.get_by_role("menuitem", name="Step").click()
        expect(page.get_by_test_id("mover-step")).to_be_visible()
        page.get_by_role("slider", name="by of step").dblclick()
        page.keyboard.type("8")
        page.keyboard.press("Enter")
        go_to(page, 1)
        assert 180 < shown(page)[edge].mean() < 195  # eight pixels more a frame
        palette(page, "Hide")
        expect(page.get_by_role("button", name="Undo: hide Dot")).to_be_visible()
        assert np.abs(shown(page) - plain)[inside].mean() < 40
