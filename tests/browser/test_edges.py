"""Whole jobs of cutting and joining, with the mouse on plates of our own: a sky that blows out, a figure that jumps, eyes that change, a
screen shot laid into another world, one face hidden among two."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import followed, lay_in, new_shot, on_screen
from tests.browser.test_following import effect, veil
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import shown, typed
from tests.browser.test_mattes import strokes_on_the_pilot
from tests.browser.test_motion import PLATES, SIZE, plate_pictures, stretch, truth
from tests.conftest import write_clip


def rest(page: Page) -> np.ndarray:
    """The picture alone: only the plate selected, the pointer away from it."""
    away(page)
    page.keyboard.press("v")
    page.locator("[data-pane]").last.click()
    page.mouse.move(640, 5)
    return shown(page)


def away(page: Page) -> None:
    """Out of a menu or a field, and it is gone."""
    page.keyboard.press("Escape")
    expect(page.locator("[data-radix-popper-content-wrapper]")).to_have_count(0)


def blend(page: Page, name: str) -> None:
    page.get_by_role("button", name="normal", exact=True).click()
    page.get_by_role("menuitem", name=name, exact=True).click()
    expect(page.get_by_test_id("sentence")).to_contain_text(f"laid in with {name}")


def meet(page: Page, name: str) -> None:
    page.get_by_role("button", name="Add a way it meets what lies beneath").click()
    page.get_by_role("menuitem", name=name, exact=True).click()
    expect(page.get_by_role("button", name=f"{name} on")).to_be_visible()


def piece_menu(page: Page, index: int, now: str, then: str) -> None:
    page.get_by_test_id(f"piece-{index}").get_by_role("button", name=now, exact=True).click()
    page.get_by_role("menuitem", name=re.compile(f"^{then}")).click()


def test_a_sky_blows_out_behind_the_roofs(application: str, page: Page, tmp_path: Path) -> None:
    last = 14
    new_shot(page, application, stretch(tmp_path, "harbour", range(16)))
    at, _ = on_screen(page, SIZE)
    moves = [np.array(f["homography"]).reshape(3, 3) for f in truth("harbour")]
    page.keyboard.press("p")
    for corner in ((385, 290), (515, 290), (515, 500), (385, 500)):
        page.mouse.click(*at(*corner))
    expect(page.get_by_test_id("sentence")).to_contain_text("Plane 1, a plane in")
    page.get_by_role("button", name="Both ways").click()
    followed(page, 16)
    plain = {}
    for frame in (0, last):
        go_to(page, frame)
        plain[frame] = rest(page)
    go_to(page, 0)
    veil(page)
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="what is bright in the plate").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts Veil")
    typed(page, "From", "0.72")
    typed(page, "Softness", "0.08")
    # bright things below stay out: a soft shape of the sky keeps only that, and follows
    page.keyboard.press("m")
    for corner in ((-15, -15), (975, -15), (975, 268), (700, 216), (520, 226), (380, 226), (240, 264), (-15, 290)):
        page.mouse.click(*at(*corner))
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("sentence")).to_contain_text("two pieces")
    piece_menu(page, 1, "adds", "keeps only")
    piece_menu(page, 1, "rides on nothing", "Plane 1")
    typed(page, "Soften", "6")
    page.keyboard.press("Escape")
    page.locator("[data-pane]").first.click()
    effect(page, "Grade")
    typed(page, "Exposure", "1.5")
    effect(page, "Glow")
    blend(page, "screen")
    sky = cv2.imread(str(PLATES / "harbour.sky_0000.png"), cv2.IMREAD_UNCHANGED).astype(np.float32) / 65535
    for frame in (0, last):
        go_to(page, frame)
        gain = (rest(page) - plain[frame]).mean(-1)
        here = cv2.warpPerspective(sky, moves[frame], SIZE, borderMode=cv2.BORDER_REPLICATE)
        open_sky = cv2.erode((here > 0.99).astype(np.uint8), np.ones((9, 9))).astype(bool)
        open_sky[200:] = False
        assert gain[open_sky].min() > 6, (frame, gain[open_sky].min())
        assert np.abs(gain[320:]).max() < 8, frame  # houses, and the white of their windows
    assert np.abs(moves[last][:2, 2]).max() > 2  # the plate does move


def test_a_figure_jumps_aside_for_a_few_frames(application: str, page: Page, tmp_path: Path) -> None:
    """Cut out by strokes on one frame, from a second copy of the plate that jumps and comes back."""
    clip = stretch(tmp_path, "pilot", range(10))
    new_shot(page, application, clip)
    at, _ = on_screen(page, SIZE)
    plain = {}
    for frame in (2, 5, 8):
        go_to(page, frame)
        plain[frame] = rest(page)
    go_to(page, 0)
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("listitem").filter(has_text=clip.stem).first.hover()
    page.get_by_role("button", name=f"Lay in {clip.stem}", exact=True).first.click()
    expect(page.locator("[data-pane]")).to_have_count(2)
    page.keyboard.press("3")
    page.get_by_role("button", name=f"Cut out of {clip.stem}").click()
    strokes_on_the_pilot(page, at)
    page.get_by_role("button", name="Carry through the shot").click()
    expect(page.get_by_text("carried through the shot")).to_be_visible(timeout=90_000)
    page.keyboard.press("Escape")
    page.keyboard.press("v")
    page.locator("[data-pane]").first.click()
    page.get_by_role("button", name="is cut by nothing yet").click()
    page.get_by_role("menuitem", name="cut-out", exact=False).first.click()
    # three keys: at home, aside, at home again
    go_to(page, 3)
    page.get_by_role("button", name="Key Position").click()
    go_to(page, 5)
    typed(page, "Position x", "600")
    go_to(page, 7)
    typed(page, "Position x", "480")
    irises = np.array(truth("pilot")[5]["iris_px_viewer_left_right"]).astype(int)
    seen = {}
    for frame in (2, 5, 8):
        go_to(page, frame)
        seen[frame] = rest(page)
    for frame in (2, 8):
        assert np.abs(seen[frame] - plain[frame]).mean() < 1.5, frame  # at home nothing shows
    for x, y in irises:
        part = np.s_[y - 20 : y + 20, x - 20 : x + 20]
        aside = np.s_[y - 20 : y + 20, x + 100 : x + 140]
        assert np.abs(seen[5][aside] - plain[5][part]).mean() < 6  # the eyes, 120 px farther right
        assert np.abs(seen[5][aside] - plain[5][aside]).mean() > 15
    assert np.abs(seen[5][20:400, 820:] - plain[5][20:400, 820:]).max() < 10  # nothing of its old background came along


def test_eyes_change_and_a_blink_hides_it(application: str, page: Page, tmp_path: Path) -> None:
    """Reframed first; fills on iris and white that darken, grown in from nothing, on one face track."""
    first, count = 38, 18
    frames = truth("pilot")[first : first + count]
    new_shot(page, application, stretch(tmp_path, "pilot", range(first, first + count)))
    # reframed to the face before anything is tracked
    typed(page, "Scale", "150")
    at, _ = on_screen(page, SIZE)
    irises = [1.5 * (np.array(f["iris_px_viewer_left_right"]) - (480, 270)) + (480, 270) for f in frames]
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*irises[0].mean(0)))
    followed(page, count, at_least=15)
    shut = 11
    assert frames[shut]["eye_open"] == 0
    plain = {}
    for frame in (0, 8, shut, count - 1):
        go_to(page, frame)
        plain[frame] = rest(page)
    veil(page)
    effect(page, "Fill")
    for channel, value in (("red", "0.3"), ("green", "0"), ("blue", "0")):
        typed(page, f"Colour {channel}", value)
    blend(page, "darken")
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="the face of Face 1").click()
    piece_menu(page, 0, "oval", "eyes")
    typed(page, "Grow", "0")
    typed(page, "Soften", "1")
    page.keyboard.press("Escape")
    page.locator("[data-pane]").first.click()
    # it bleeds in by its edge: from nothing to all of the eye
    go_to(page, 2)
    page.get_by_role("button", name="Face 1: oval", exact=True).click()
    page.get_by_role("button", name="Key Grow").click()
    typed(page, "Grow", "-30")
    away(page)
    go_to(page, 7)
    page.get_by_role("button", name="Face 1: oval", exact=True).click()
    typed(page, "Grow", "1")
    away(page)
    page.locator("[data-pane]").first.click()
    expect(page.get_by_role("button", name=re.compile("^Key of cut: grow at 7,"))).to_be_visible()
    changed = {}
    for frame in plain:
        go_to(page, frame)
        darker = (plain[frame] - rest(page)).mean(-1)
        around = [darker[y - 5 : y + 5, x - 14 : x + 14] for x, y in irises[frame].astype(int)]
        changed[frame] = max(float(np.abs(here).mean()) for here in around)
        beside = max(np.abs(darker[420:]).max(), np.abs(darker[:, :150]).max())
        assert beside < 4, frame  # the skin below, and what is beside
    assert changed[0] < 3 and changed[8] > 15 and changed[count - 1] > 15, changed
    assert changed[shut] < 0.3 * changed[8], changed


def test_a_screen_shot_is_laid_into_another_world(application: str, page: Page, tmp_path: Path) -> None:
    """Key, spill and edges; each step put off and on again; travel keyed."""
    (tmp_path / "caster").mkdir()
    new_shot(page, application, stretch(tmp_path, "quay", range(6)))
    plate = {}
    for frame in (5, 0):
        go_to(page, frame)
        plate[frame] = rest(page)
    caster = stretch(tmp_path / "caster", "caster", range(6)).rename(tmp_path / f"d{tmp_path.name}.mp4")
    lay_in(page, caster)
    page.get_by_role("button", name="is cut by nothing yet").click()
    page.get_by_role("menuitem", name="the screen behind it").click()
    expect(page.get_by_test_id("sentence")).to_contain_text(f"cuts {caster.stem}")
    at, _ = on_screen(page, SIZE)
    page.get_by_role("button", name="pick", exact=True).click()
    expect(page.get_by_text("Click the screen")).to_be_visible()
    page.mouse.click(*at(150, 200))
    expect(page.get_by_label("The picked colour")).to_be_visible()
    keyed = rest(page)
    alpha = cv2.imread(str(PLATES / "caster.alpha_0000.png"), cv2.IMREAD_UNCHANGED) / 65535
    clear = cv2.erode((alpha < 0.01).astype(np.uint8), np.ones((15, 15))).astype(bool)
    edge = (alpha > 0.05) & (alpha < 0.95)
    assert np.abs(keyed - plate[0])[clear].mean() < 3
    # shrunk and softened where it cuts; off and on again is the same picture
    page.locator("[data-pane]").first.click()
    page.get_by_role("button", name=f"{caster.stem}: screen", exact=True).click()
    typed(page, "Grow", "-1")
    typed(page, "Soften", "0.5")
    shrunk = rest(page)
    blue = [(p[..., 2] - p[..., :2].max(-1))[edge].mean() for p in (keyed, shrunk, plate[0])]
    assert blue[0] < 12 and blue[1] < blue[0] + 1, blue  # no fringe of the screen
    # its edge as soft as the world's, its light let in; darks and lights as sampled there
    page.locator("[data-pane]").first.click()
    page.get_by_role("button", name="Match the edge").click()
    expect(page.get_by_text("px soft, edges within it or behind it")).to_be_visible()
    meet(page, "Light wrap")
    typed(page, "Light wrap", "40")
    effect(page, "Grade")
    typed(page, "Exposure", "-0.6")
    effect(page, "Blur")
    typed(page, "Radius", "1")
    sat = rest(page)
    inside = cv2.erode((alpha > 0.99).astype(np.uint8), np.ones((25, 25))).astype(bool)
    assert np.abs(sat - plate[0])[clear & (cv2.blur(alpha, (61, 61)) < 0.001)].mean() < 3
    assert 0.6 < sat[inside].mean() / keyed[inside].mean() < 0.95
    page.locator("[data-pane]").first.click()
    for name in ("Grade", "Blur"):
        page.get_by_role("button", name=f"{name} on", exact=True).click()
    off = rest(page)
    assert np.abs(off - sat)[inside].mean() > 8
    page.locator("[data-pane]").first.click()
    for name in ("Grade", "Blur"):
        page.get_by_role("button", name=f"{name} on", exact=True).click()
    assert np.abs(rest(page) - sat).mean() < 0.5
    # slow travel
    page.locator("[data-pane]").first.click()
    page.get_by_role("button", name="Key Position").click()
    go_to(page, 5)
    typed(page, "Position x", "540")
    page.keyboard.press("Escape")
    moved = rest(page)
    changed = np.abs(moved - plate[5]).mean(-1) > 12
    later = cv2.imread(str(PLATES / "caster.alpha_0005.png"), cv2.IMREAD_UNCHANGED) / 65535 > 0.5
    for shift, least in ((60, 0.8), (0, 0.0)):
        there = np.zeros_like(later)
        there[:, shift:] = later[:, : 960 - shift]
        overlap = (changed & there).sum() / (changed | there).sum()
        assert overlap > least, (shift, overlap)
        best = overlap if shift else best  # noqa: F821
    assert best > overlap + 0.03


def two_faces(tmp_path: Path, frames: range) -> Path:
    """The pilot twice in one shaky picture, the second one mirrored."""
    rng = np.random.default_rng(4)
    out = []
    for picture in plate_pictures(tmp_path, "pilot", frames):
        half = cv2.resize(picture[:, 210:690], (480, 540), interpolation=cv2.INTER_AREA)
        pair = np.hstack([half, half[:, ::-1]])
        dx, dy = rng.uniform(-5, 5, 2)
        out.append(cv2.warpAffine(pair, np.float32([[1, 0, dx], [0, 1, dy]]), SIZE, borderMode=cv2.BORDER_REFLECT))
    return write_clip(tmp_path / f"two{tmp_path.name}.mp4", out)


def test_one_face_among_two_is_hidden_in_every_frame(application: str, page: Page, tmp_path: Path) -> None:
    last = 9
    new_shot(page, application, two_faces(tmp_path, range(10)))
    at, _ = on_screen(page, SIZE)
    plain = {}
    for frame in range(last + 1):
        go_to(page, frame)
        plain[frame] = rest(page)
    go_to(page, 0)
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(260, 250))
    followed(page, 10)
    veil(page)
    effect(page, "Mosaic")
    typed(page, "Cell", "24")
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="the face of Face 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts Veil")
    page.get_by_role("button", name="Check every frame").click()
    expect(page.get_by_text("with a margin in all 10 frames")).to_be_visible(timeout=60_000)
    for frame in range(last + 1):
        go_to(page, frame)
        changed = np.abs(rest(page) - plain[frame]).max(-1)
        assert changed[:, 500:].max() < 8, frame  # the other face is not touched
        assert np.median(changed[190:310, 210:310]) > 3, frame
        # round: the corners of the box about what is hidden are not
        rows, columns = np.nonzero(changed[:, :480] > 10)
        y0, y1, x0, x1 = (
            np.percentile(rows, 1),
            np.percentile(rows, 99),
            np.percentile(columns, 1),
            np.percentile(columns, 99),
        )
        h, w = int((y1 - y0) * 0.1), int((x1 - x0) * 0.1)
        corner = changed[int(y0) : int(y0) + h, int(x0) : int(x0) + w]
        assert corner.mean() < 6, (frame, corner.mean())
