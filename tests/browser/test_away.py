"""A database that goes away while somebody works, and an import that asks something first."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from launch import postgres
from tests.browser.helpers import new_shot, settled
from tests.conftest import moving_frames, write_clip
from tests.faults import corpus
from tests.faults.test_requests import gone


def test_what_is_changed_while_the_database_is_away_is_stored_when_it_is_back(
    page: Page, application: str, running_database: postgres.Server, tmp_path: Path
) -> None:
    new_shot(page, application, write_clip(tmp_path / "away.mp4", moving_frames(8)))
    before = settled(page)
    with gone(running_database, "tropein"):
        expect(page.get_by_role("alert")).to_contain_text("cannot reach its database", timeout=20_000)
        page.get_by_role("button", name="hidden, or shown: away").or_(
            page.get_by_role("button", name="Hide away")
        ).first.click()
        expect(page.get_by_role("alert")).to_contain_text("is kept here")
    expect(page.get_by_role("alert")).to_have_count(0, timeout=30_000)
    expect(page.get_by_role("button", name="Undo: hide away")).to_be_visible(timeout=20_000)
    hidden = settled(page)
    assert hidden.astype(int).mean() < before.astype(int).mean() - 20
    page.reload()
    expect(page.get_by_role("button", name="Undo: hide away")).to_be_visible(timeout=20_000)


def test_an_import_with_a_long_gap_asks_and_goes_on(page: Page, application: str, tmp_path: Path) -> None:
    page.goto(application)
    page.get_by_test_id("new-shot-files").set_input_files(str(corpus.gap(tmp_path, hours=0.05)))
    asked = page.get_by_role("main").get_by_role("alert").filter(has_text="gaps between the pictures")
    expect(asked).to_be_visible(timeout=60_000)
    asked.get_by_role("button", name="Leave the gaps out").click()
    page.get_by_role("link", name="Open gap").click(timeout=60_000)
    expect(page.get_by_test_id("sentence")).to_contain_text("the plate")


def test_the_space_on_the_disk_is_told(page: Page, application: str) -> None:
    page.goto(f"{application}/renders")
    space = page.get_by_role("region", name="Space on the disk")
    space.get_by_role("button", name="Look through now").click()
    expect(space).to_contain_text("free", timeout=20_000)
    expect(space).to_contain_text("Looked through")
