"""A signal that breaks in bursts; eyes that go black; a current in hazy air."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, new_shot, on_screen
from tests.browser.test_edges import away, blend, piece_menu
from tests.browser.test_following import effect, veil
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import typed
from tests.browser.test_looks import catch_light, face, keys_set
from tests.browser.test_make import handle, made, picture
from tests.browser.test_motion import SIZE, stretch


def keyed(page: Page, name: str, part: str, levels: dict[int, str]) -> None:
    """A value keyed at some frames in order."""
    for number, (frame, value) in enumerate(levels.items()):
        go_to(page, frame)
        if not number:
            page.get_by_role("button", name=f"Key {name}", exact=True).click()
        typed(page, f"{name} {part}".strip(), value)


def test_a_signal_breaks_in_bursts(application: str, page: Page, tmp_path: Path) -> None:
    """A rough cut-out that rides on the face is pushed about in wide flat cells and its channels come apart, there and back within frames, twice. Keys by hand: 16."""
    clip = stretch(tmp_path, "pilot", range(16))
    new_shot(page, application, clip)
    at, _ = on_screen(page, SIZE)
    irises = face(page, range(16))
    rest, burst = (1, 6, 14), (3, 4, 10, 11)
    plain = {f: picture(page, f) for f in (*rest, *burst)}
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("listitem").filter(has_text=clip.stem).first.hover()
    page.get_by_role("region", name="Shelf").get_by_role("button", name=f"Lay in {clip.stem}").first.click()
    expect(page.get_by_test_id("sentence")).to_contain_text("from the shelf")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="is cut by nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    eyes = irises[0].mean(0)
    drag(page, at(*(eyes + [-170, -200])), at(*(eyes + [170, 240])))
    piece_menu(page, 0, "rides on nothing", "Face 1")
    away(page)
    page.locator("[data-pane]").first.click()
    moments = {2: "0", 3: "150", 4: "-90", 5: "0", 9: "0", 10: "-130", 11: "70", 12: "0"}
    effect(page, "Displace")
    for name, value in (("Cell height", "20"), ("Contrast", "3"), ("Softness", "0")):
        typed(page, name, value)
    keyed(page, "How far", "x", moments)
    effect(page, "Channel split")
    typed(page, "Blue x", "0")
    keyed(page, "Red", "x", {f: str(int(v) // 8) for f, v in moments.items()})
    assert keys_set(page) == 16
    rough = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    cv2.ellipse(rough, [int(v) for v in eyes + [0, 20]], (175, 225), 0, 0, 360, 1, -1)
    beyond = cv2.dilate(rough, np.ones((70, 70))) == 0  # it rides: a little to each side
    seen = {f: picture(page, f) for f in plain}
    for frame in rest:
        assert np.abs(seen[frame] - plain[frame]).mean() < 2.0, frame
    for frame in burst:
        off = np.abs(seen[frame] - plain[frame]).mean(-1)
        assert off[rough > 0].mean() > 8 and off[beyond].mean() < 2.0, frame
        # what red shows is not where green is
        inside = cv2.erode(rough, np.ones((40, 40))) > 0
        fringes = [
            np.abs(np.diff(p[..., 0] - p[..., 1], axis=1))[inside[:, 1:]].mean() for p in (plain[frame], seen[frame])
        ]
        assert fringes[1] > 1.5 * fringes[0], (frame, fringes)


def test_eyes_go_black_with_their_lights_put_back(application: str, page: Page, tmp_path: Path) -> None:
    """The eyes are filled between the lids, small lights ride on them, and a blink hides it all. Keys by hand: 2."""
    frames = range(12, 26)
    shut = 22 - 12
    new_shot(page, application, stretch(tmp_path, "pilot", frames))
    at, _ = on_screen(page, SIZE)
    irises = face(page, frames)
    plain = {f: picture(page, f) for f in (0, 5, shut)}
    veil(page)
    effect(page, "Fill")
    for part in ("red", "green", "blue"):
        typed(page, f"Colour {part}", "0.002")
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="the face of Face 1").click()
    page.get_by_role("button", name=re.compile("^Face 1: oval")).first.click()
    page.get_by_role("button", name="Which part of the face").or_(
        page.get_by_role("button", name="oval", exact=True)
    ).first.click()
    page.get_by_role("menuitem", name="eyes", exact=True).click()
    expect(page.get_by_role("button", name=re.compile("^Undo: take the eyes"))).to_be_visible()
    away(page)
    page.locator("[data-pane]").filter(has_text="Veil").first.click()
    # it comes over the eyes
    typed(page, "Mix", "0")
    page.get_by_role("button", name="Key Mix", exact=True).click()
    go_to(page, 5)
    typed(page, "Mix", "100")
    # a light on it
    go_to(page, 0)
    catch_light(page, at, irises[0][0] + [4, -4], "0.8")
    seen = {f: picture(page, f) for f in plain}

    def eye(p: np.ndarray, frame: int, of: int) -> np.ndarray:
        x, y = irises[frame][of].astype(int)
        return p[y - 14 : y + 15, x - 24 : x + 25].mean(-1)

    for of in (0, 1):
        dark = [float((eye(p[5], 5, of) < 30).mean()) for p in (plain, seen)]
        assert dark[1] > 0.3 and dark[1] > 2 * dark[0], dark  # not the pupil alone
        assert abs(float((eye(seen[0], 0, of) < 30).mean()) - float((eye(plain[0], 0, of) < 30).mean())) < 0.05
    gx, gy = (irises[5][0] + [4, -4]).astype(int)
    assert seen[5][gy - 2 : gy + 3, gx - 2 : gx + 3].max() > 200  # the light on it
    lids = [eye(p[shut], shut, 1) for p in (plain, seen)]
    assert np.abs(lids[1] - lids[0]).mean() < 8 and (lids[1] < 30).mean() < 0.12  # the blink hides it
    assert keys_set(page) == 2


def test_a_current_runs_from_a_light_through_hazy_air(application: str, page: Page, tmp_path: Path) -> None:
    """Arcs between two places in the picture, with a flare where they begin, in bursts of brightness; the far end of the harbour fades into haze,
    and the air about the light shimmers. Keys by hand: 3."""
    new_shot(page, application, stretch(tmp_path, "harbour", range(12)))
    at, _ = on_screen(page, SIZE)
    plain = {f: picture(page, f) for f in (1, 5, 10)}
    begin, end = np.array([300.0, 160.0]), np.array([620.0, 420.0])
    made(page, "Current")
    for name, place in (("start", begin), ("end", end)):
        drag(page, handle(page, name), at(*place))
    typed(page, "Opacity", "0")
    page.get_by_role("button", name="Key Opacity", exact=True).click()
    go_to(page, 4)
    typed(page, "Opacity", "100")
    go_to(page, 8)
    typed(page, "Opacity", "0")
    go_to(page, 0)
    made(page, "Cold beacon")
    drag(page, handle(page, "centre"), at(*begin))
    typed(page, "Power", "1.5")
    blend(page, "add")
    lit = {f: (picture(page, f) - plain[f]).mean(-1) for f in plain}
    along = np.linspace(0, 1, 40)[8:-2, None]
    way = begin + along * (end - begin)

    def beside(p: np.ndarray) -> float:
        """How bright it is at most across the way from one to the other, by the middle of the places on it."""
        across = np.array([end[1] - begin[1], begin[0] - end[0]]) / np.linalg.norm(end - begin)
        rows = [max(p[int(y + s * across[1]), int(x + s * across[0])] for s in range(-50, 51)) for x, y in way]
        return float(np.median(rows))

    assert beside(lit[5]) > 60 and beside(lit[5]) > 2.5 * max(beside(lit[1]), beside(lit[10])), [
        beside(p) for p in lit.values()
    ]
    bx, by = begin.astype(int)
    assert min(p[by - 6 : by + 7, bx - 6 : bx + 7].mean() for p in lit.values()) > 25  # its light is there all the time
    page.locator("[data-pane]").last.click()
    veil(page)
    effect(page, "Haze")
    effect(page, "Shimmer")
    typed(page, "Amount", "6")
    hazed = picture(page, 10)
    spread = [float(p[60:480, 60:900].std()) for p in (plain[10], hazed)]
    assert spread[1] < 0.97 * spread[0] and np.abs(hazed - plain[10]).mean() > 3
    assert np.abs(picture(page, 9)[200:400] - hazed[200:400]).mean() > 0.5  # the air moves
    assert keys_set(page) == 3
