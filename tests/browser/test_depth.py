"""Depth, done with the mouse: a layer put in depth and turned, and a ring of cards made and spun."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, lay_in, magenta_mask, new_shot, on_screen, settled, spot_still
from tests.browser.test_habits import go_to
from tests.conftest import moving_frames, write_clip

SIZE = (320, 180)


def test_a_layer_in_depth_is_turned_and_moved(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *SIZE, step=(0.0, 0.0)))
    )
    at, scale = on_screen(page, SIZE)
    lay_in(page, spot_still(tmp_path))
    flat = magenta_mask(settled(page)).sum()
    page.get_by_role("button", name="Put in depth").click()
    expect(page.get_by_text("seen by a still camera")).to_be_visible()
    page.mouse.move(640, 5)
    assert abs(magenta_mask(settled(page)).sum() / flat - 1) < 0.03  # nothing jumps
    turn = page.get_by_role("slider", name="Turn y")
    turn.dblclick()
    page.keyboard.type("60")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo: set turn of spot")).to_be_visible()
    turned = magenta_mask(settled(page)).sum()
    assert 0.4 < turned / flat < 0.6  # half as wide
    drag(page, at(160, 90), at(200, 100))
    y, x = np.nonzero(magenta_mask(settled(page)))
    box = page.get_by_test_id("viewer").bounding_box()
    assert box
    x0, y0 = at(0, 0)
    middle = (np.array([x.mean(), y.mean()]) - [x0 - box["x"], y0 - box["y"]]) / scale
    assert np.abs(middle - [200, 100]).max() < 3, middle


def test_a_ring_of_cards_is_made_and_spun(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *SIZE, step=(0.0, 0.0)))
    )
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="make a ring of it").click()
    page.get_by_role("button", name="Make the ring").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("Ring of spot, a carrier")
    expect(page.get_by_test_id("sentence")).to_contain_text("spot 7")
    page.get_by_role("button", name="Key Turn").click()
    before = magenta_mask(settled(page))
    assert before.sum() > 2000
    go_to(page, 10)
    turn = page.get_by_role("slider", name="Turn y")
    turn.dblclick()
    page.keyboard.type("25.7")
    page.keyboard.press("Enter")
    spun = magenta_mask(settled(page))
    assert (before ^ spun).sum() > 0.2 * before.sum()  # half a card's step on
    go_to(page, 0)
    assert (before ^ magenta_mask(settled(page))).sum() < 0.02 * before.sum()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.locator("[data-pane=spot]")).to_be_visible()
