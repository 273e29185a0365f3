"""Mattes, done with the mouse: a screen keyed, an area hidden that rides, an outline drawn, bent and keyed."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import At, canvas, drag, followed, lay_in, magenta_mask, new_shot, on_screen, settled
from tests.browser.test_habits import go_to
from tests.browser.test_jobs import typed
from tests.browser.test_motion import PLATES, SIZE, stretch, truth
from tests.conftest import moving_frames, write_clip
from tropein.core.media.encode import write_picture


def shown(page: Page, size: tuple[int, int], picture: np.ndarray | None = None) -> np.ndarray:
    """The picture on the canvas, at the size of the shot."""
    picture = settled(page) if picture is None else picture
    box = page.get_by_test_id("viewer").bounding_box()
    at, scale = on_screen(page, size)
    assert box
    x, y = (round(a - b) for a, b in zip(at(0, 0), (box["x"], box["y"]), strict=True))
    part = picture[y : y + round(size[1] * scale), x : x + round(size[0] * scale)]
    return cv2.resize(part, size, interpolation=cv2.INTER_AREA).astype(float)


def test_a_screen_is_keyed_over_another_plate(application: str, page: Page, tmp_path: Path) -> None:
    (tmp_path / "caster").mkdir()
    new_shot(page, application, stretch(tmp_path, "quay", range(6)))
    plate = shown(page, SIZE)
    caster = stretch(tmp_path / "caster", "caster", range(6)).rename(tmp_path / f"c{tmp_path.name}.mp4")
    lay_in(page, caster)
    blue = shown(page, SIZE)
    assert (blue[20:60, 20:60, 2] > blue[20:60, 20:60, 0] + 80).all()
    page.get_by_role("button", name="is cut by nothing yet").click()
    page.get_by_role("menuitem", name="the screen behind it").click()
    expect(page.get_by_test_id("sentence")).to_contain_text(f"cuts {caster.stem}")
    expect(page.get_by_label("The colour that was found")).to_be_visible()
    keyed = shown(page, SIZE)
    truth = cv2.imread(str(PLATES / "caster.alpha_0000.png"), cv2.IMREAD_UNCHANGED) / 65535
    clear = cv2.erode((truth < 0.01).astype(np.uint8), np.ones((15, 15))).astype(bool)
    assert np.abs(keyed - plate)[clear].mean() < 4  # the quay, and nothing of the screen
    assert (keyed[..., 2] - keyed[..., :2].max(-1))[truth > 0.05].max() < 60  # no blue left on the subject
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="the matte ▾")).to_be_visible()
    matte = shown(page, SIZE)[..., 0] > 127
    overlap = (matte & (truth > 0.5)).sum() / (matte | (truth > 0.5)).sum()
    assert overlap > 0.96, overlap  # a canvas of three quarters of the size
    # picked by hand: as good
    page.get_by_role("button", name="pick", exact=True).click()
    expect(page.get_by_text("Click the screen")).to_be_visible()
    at, _ = on_screen(page, SIZE)
    page.mouse.click(*at(150, 200))
    expect(page.get_by_label("The picked colour")).to_be_visible()
    page.mouse.move(640, 5)  # the values under the pointer lie over the picture
    matte = shown(page, SIZE)[..., 0] > 127
    assert (matte & (truth > 0.5)).sum() / (matte | (truth > 0.5)).sum() > 0.96
    page.get_by_role("button", name="fitted to each frame").click()
    page.get_by_role("menuitem", name="seen through the shot").click()
    expect(page.get_by_role("button", name="Undo: put the screen together from the shot for Screen")).to_be_visible()
    expect(page.get_by_role("button", name="seen through the shot")).to_be_visible()
    page.mouse.move(640, 5)
    through = shown(page, SIZE)[..., 0]
    assert ((through > 127) & (truth > 0.5)).sum() / ((through > 127) | (truth > 0.5)).sum() > 0.96
    page.keyboard.press("v")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="found by itself")).to_be_visible()


def test_an_area_is_hidden_that_follows_a_track(application: str, page: Page, tmp_path: Path) -> None:
    """A veil that blurs, only within an ellipse that rides: nothing else is touched, at no frame."""
    size, step = (320, 180), np.array([3, 1.5])
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(24, *size, step=tuple(step)))
    )
    at, _ = on_screen(page, size)
    go_to(page, 16)
    plain = {16: shown(page, size)}
    go_to(page, 0)
    plain[0] = shown(page, size)
    page.keyboard.press("t")
    page.mouse.click(*at(150, 80))
    page.get_by_role("button", name="Both ways").click()
    followed(page, 24)
    page.keyboard.press("Shift+V")
    expect(page.get_by_test_id("sentence")).to_contain_text("Veil shows nothing of its own")
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name="Blur", exact=True).click()
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(120, 60), at(180, 100))
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts Veil")
    page.get_by_role("button", name="rides on nothing").click()
    page.get_by_role("menuitem", name="Point 1").click()
    for frame in (0, 16):
        go_to(page, frame)
        page.keyboard.press("Escape")
        changed = np.abs(shown(page, size) - plain[frame]).max(-1)
        x, y = np.array([150, 80]) + step * frame
        rows, columns = np.mgrid[0:180, 0:320]
        away = np.hypot((columns + 0.5 - x) / 30, (rows + 0.5 - y) / 20)
        # the outline is drawn on top of the picture, so its own line is left out
        assert np.median(changed[away < 0.8]) > 6, frame
        assert np.percentile(changed[away > 1.25], 99) < 8, frame


def sheet_behind_the_cutout(page: Page, tmp_path: Path) -> None:
    """A magenta sheet over everything but what the cut-out keeps."""
    page.keyboard.press("Escape")
    page.keyboard.press("v")
    sheet = np.zeros((540, 960, 4), np.float32)
    sheet[:] = [1, 0, 1, 1]
    write_picture(tmp_path / "sheet.png", sheet, "png")
    lay_in(page, tmp_path / "sheet.png")
    page.get_by_role("button", name="is cut by nothing yet").click()
    page.get_by_role("menuitem", name="cut-out", exact=False).first.click()
    page.get_by_role("button", name="inside", exact=True).click()
    page.get_by_role("menuitem", name="keep what is outside").click()


def only_the_pilot_shows(page: Page, frame: int) -> None:
    covered = magenta_mask(shown(page, SIZE))
    irises = np.array(truth("pilot")[frame]["iris_px_viewer_left_right"]).astype(int)
    assert not any(covered[y - 12 : y + 12, x - 12 : x + 12].any() for x, y in irises), frame
    assert not covered[500:530, 400:560].any(), frame  # the jumper
    assert covered[20:520, 20:150].mean() > 0.97 and covered[20:400, 800:940].mean() > 0.97, frame
    assert 0.5 < covered.mean() < 0.8, (frame, covered.mean())


def strokes_on_the_pilot(page: Page, at: At) -> None:
    """With the pen that keeps in hand: two lines over the pilot, three beside him."""
    kept = [[(470, 40), (385, 190), (390, 330), (450, 420), (430, 480)], [(300, 525), (580, 510)]]
    gone = [[(60, 60), (200, 300), (150, 500)], [(900, 60), (780, 300), (900, 500)], [(720, 400), (700, 100)]]
    expect(page.get_by_text("Draw over what is to be kept.")).to_be_visible()
    for i, line in enumerate(kept + gone):
        if i == len(kept):
            page.keyboard.press("Shift+D")
            expect(page.get_by_text("Draw over what is not.")).to_be_visible()
        page.mouse.move(*at(*line[0]))
        page.mouse.down()
        for point in line[1:]:
            page.mouse.move(*at(*point), steps=5)
        page.mouse.up()
        expect(page.get_by_test_id("strokes").locator("polyline")).to_have_count(i + 1)


def test_a_subject_is_cut_out_by_strokes_and_carried(application: str, page: Page, tmp_path: Path) -> None:
    """Strokes on one frame; a magenta sheet is laid over everything but the subject, in every frame."""
    new_shot(page, application, stretch(tmp_path, "pilot", range(10)))
    at, _ = on_screen(page, SIZE)
    page.keyboard.press("d")
    strokes_on_the_pilot(page, at)
    expect(page.get_by_text("not carried yet")).to_be_visible()
    page.get_by_role("button", name="Carry through the shot").click()
    expect(page.get_by_text("carried through the shot")).to_be_visible(timeout=90_000)
    # hairs that stand out of the outline are told by colour
    page.keyboard.press("Escape")
    go_to(page, 6)
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="the matte ▾")).to_be_visible()
    plain = shown(page, SIZE)[..., 0]
    typed(page, "Hair reach", "25")
    expect(page.get_by_role("button", name=re.compile("^Undo: set hair reach"))).to_be_visible()
    hairy = shown(page, SIZE)[..., 0]
    beyond = plain < 5
    found = beyond & (hairy > 60)
    assert found[:260].sum() > 250 and found[:260].sum() > 2 * found[260:].sum()  # on the head, not at the shoulders
    far = cv2.distanceTransform(np.uint8(plain < 128), cv2.DIST_L2, 5)
    assert (
        hairy[far > 30].max() < 5
        and abs(hairy - plain)[cv2.erode(np.uint8(plain > 250), np.ones((25, 25))) > 0].max() < 5
    )
    # and only within what is drawn about the head
    page.get_by_role("button", name="hair reaches only within nothing yet").click()
    page.get_by_role("menuitem", name="a new ellipse").click()
    drag(page, at(250, 20), at(650, 200))
    page.get_by_role("button", name=re.compile("^the hair of")).click()  # back from the ellipse
    expect(page.get_by_text("hair reaches only within")).to_be_visible()
    within = shown(page, SIZE)[..., 0]
    assert np.abs(within - plain)[260:].max() < 5 and (within[:200] > plain[:200] + 50).sum() > 100
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("^Undo: set hair reach"))).to_have_count(0)
    page.keyboard.press("v")
    sheet_behind_the_cutout(page, tmp_path)
    for frame in (0, 9):
        go_to(page, frame)
        page.keyboard.press("Escape")
        only_the_pilot_shows(page, frame)


def test_a_person_is_cut_out_without_a_stroke_of_ones_own(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "pilot", range(3)))
    page.keyboard.press("d")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Guess a person in this frame").click()
    expect(page.get_by_text("not carried yet")).to_be_visible(timeout=60_000)
    sheet_behind_the_cutout(page, tmp_path)
    only_the_pilot_shows(page, 0)
    page.keyboard.press("Control+z")  # the cut's side, the cut, the sheet: then the guess
    expect(page.get_by_role("button", name="Undo: cut")).to_be_visible()


def test_an_outline_is_drawn_bent_softened_and_keyed(application: str, page: Page, tmp_path: Path) -> None:
    size = (320, 180)
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(12, *size, step=(0.0, 0.0)))
    )
    at, scale = on_screen(page, size)
    page.keyboard.press("m")
    for point in ((100, 50), (200, 50), (200, 130), (100, 130)):
        page.mouse.click(*at(*point))
    page.mouse.click(*at(100, 50))  # closes it
    expect(page.get_by_test_id("sentence")).to_contain_text("Matte 1, a matte of one piece")
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="the matte ▾")).to_be_visible()

    def covered() -> np.ndarray:
        page.wait_for_timeout(300)
        return shown(page, size)[..., 0]

    matte = covered()
    assert matte[90, 150] > 250 and matte[90, 80] < 5 and matte[40, 150] < 5
    # a key here, then the top right corner pulled out at a later frame
    page.get_by_role("button", name="Key Outline").click()
    go_to(page, 10)
    drag(page, at(200, 50), at(260, 20))
    expect(page.get_by_role("button", name=re.compile("^Undo: move points of"))).to_be_visible()
    assert covered()[30, 240] > 250
    go_to(page, 5)
    half = covered()
    assert half[60, 205] > 250 and half[30, 240] < 5  # half way there
    # the soft edge of the chosen point, pulled outwards
    go_to(page, 10)
    grip = page.get_by_test_id("soft-outer-1").bounding_box()
    assert grip
    start = (grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    drag(page, start, (start[0] + 20 * scale, start[1] - 20 * scale))
    expect(page.get_by_role("button", name=re.compile("^Undo: soften the edge of"))).to_be_visible()
    soft = covered()
    assert 10 < soft[12, 262] < 250
    # a point more, and one less
    page.mouse.dblclick(*at(150, 130))
    expect(page.get_by_text("of 5 points")).to_be_visible()
    page.keyboard.press("Delete")
    expect(page.get_by_text("of 4 points")).to_be_visible()
    page.get_by_role("button", name="Remove this matte").click()
    assert canvas(page).std() > 10  # the picture is back


def test_a_shape_says_where_it_fits_worst(application: str, page: Page, tmp_path: Path) -> None:
    size = (320, 180)
    frames = []
    for i in range(12):  # a dark window in the wall stands still, then slides away from frame 4 on
        picture = moving_frames(1, *size, step=(0.0, 0.0))[0].copy()
        x = 100 + 2 * max(0, i - 3)
        picture[50:130, x : x + 90] = 20
        frames.append(picture)
    new_shot(page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", frames))
    at, _ = on_screen(page, size)
    page.keyboard.press("m")
    for point in ((100, 50), (190, 50), (190, 130), (100, 130), (100, 50)):
        page.mouse.click(*at(*point))
    expect(page.get_by_test_id("sentence")).to_contain_text("Matte 1, a matte of one piece")
    page.get_by_role("button", name="Key Outline").click()
    expect(page.get_by_role("button", name=re.compile("^Undo: key"))).to_be_visible()
    page.get_by_role("button", name="look where it fits worst").click()
    expect(page.get_by_role("img", name=re.compile("^How far .* is off"))).to_have_attribute(
        "data-frames", "12", timeout=60_000
    )
    worst = page.get_by_role("button", name=re.compile("^worst at"))
    expect(worst).to_be_visible()
    told = re.search(r"worst at (\d+), about (\d+)", worst.inner_text())
    assert told and int(told[1]) >= 9 and 5 <= int(told[2]) <= 18, worst.inner_text()
    worst.click()
    drag(
        page, at(100, 50), at(100 + 2 * (int(told[1]) - 3), 50)
    )  # one corner set right there keys the outline: the hint is of before
    expect(page.get_by_role("button", name=re.compile("^was worst at"))).to_be_visible()


def test_the_matte_bench_has_no_serious_accessibility_fault(
    application: str, page: Page, tmp_path: Path, axe: str
) -> None:
    new_shot(
        page, application, write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(4, 320, 180, step=(0.0, 0.0)))
    )
    at, _ = on_screen(page, (320, 180))
    page.keyboard.press("e")
    drag(page, at(100, 50), at(200, 120))
    expect(page.get_by_test_id("sentence")).to_contain_text("Matte 1")
    page.keyboard.press("3")
    page.evaluate(axe)
    found = page.evaluate(
        "async () => (await axe.run()).violations.filter(v => ['serious', 'critical'].includes(v.impact)).map(v => v.id + ': ' + v.nodes.map(n => n.html).slice(0, 3).join(' '))"
    )
    assert not found, found


def test_holes_and_crumbs_are_shown_counted_and_mended(application: str, page: Page, tmp_path: Path) -> None:
    """A luma key of bright squares: one has a dark spot, specks lie about; the squares stay, spot and specks go."""
    picture = np.full((180, 320, 3), 40, np.uint8)
    picture[40:140, 60:160] = 230
    picture[80:86, 100:106] = 40
    rng = np.random.default_rng(3)
    specks = [(int(x), int(y)) for x, y in rng.integers((190, 10), (310, 170), (12, 2))]
    for x, y in specks:
        picture[y : y + 3, x : x + 3] = 230
    size = (320, 180)
    clip = write_clip(tmp_path / f"{tmp_path.name}.mp4", [picture] * 6)
    new_shot(page, application, clip)
    page.keyboard.press("Shift+V")
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="what is bright in the plate").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("cuts Veil")
    page.get_by_role("button", name="Show them").click()
    seen = shown(page, size)
    yellow = (seen[..., 0] > 180) & (seen[..., 2] < 120)
    blue = (seen[..., 2] > 150) & (seen[..., 0] < 130)
    assert yellow[81:85, 101:105].all() and not yellow[:70].any() and not yellow[:, 170:].any()
    assert all(blue[y + 1, x + 1] for x, y in specks) and not blue[:, :170].any()
    page.get_by_role("button", name="Count in every frame").click()
    expect(page.get_by_text("Most holes at 0: 1, up to 6 px across")).to_be_visible()
    expect(page.get_by_text(re.compile("Most crumbs at 0: ([89]|1[0-2]),"))).to_be_visible()  # some lie on each other
    typed(page, "Close holes", "10")
    expect(page.get_by_text("The shot has changed since")).to_be_visible()
    typed(page, "Drop crumbs", "10")
    page.get_by_role("button", name="Count again").click()
    expect(page.get_by_text("No holes.")).to_be_visible()
    expect(page.get_by_text("No crumbs.")).to_be_visible()
    page.get_by_role("button", name="Hide them").click()
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="the matte ▾")).to_be_visible()
    matte = shown(page, size)[..., 0]
    assert matte[44:136, 64:156].min() > 250 and matte[:, 170:].max() < 5
    page.get_by_role("button", name=re.compile("^Undo: ")).click()
    expect(page.get_by_role("button", name=re.compile("^Undo: .*holes"))).to_be_visible()
    assert shown(page, size)[:, 170:, 0].max() > 200


def test_a_face_is_hidden_and_every_frame_is_checked(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "pilot", range(6)))
    at, _ = on_screen(page, SIZE)
    plain = shown(page, SIZE)
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(470, 250))
    followed(page, 6)
    page.keyboard.press("Shift+V")
    expect(page.get_by_test_id("sentence")).to_contain_text("Veil shows nothing of its own")
    page.get_by_role("button", name="Add an effect").click()
    page.get_by_role("menuitem", name="Mosaic").click()
    page.get_by_role("button", name="only within nothing yet").first.click()
    page.get_by_role("menuitem", name="the face of Face 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("Face 1: oval, a matte of one piece, cuts Veil")
    page.mouse.move(640, 5)
    hidden = np.abs(shown(page, SIZE) - plain).max(-1)
    assert np.median(hidden[200:300, 430:520]) > 4  # nose and mouth
    assert np.percentile(hidden[:, 850:], 99) < 12  # nothing at the edge of the picture, JPEG apart
    page.get_by_role("button", name="Check every frame").click()
    expect(page.get_by_text("in all 6 frames")).to_be_visible(timeout=60_000)
    # shrunk, it leaks, and says where
    grow = page.get_by_role("slider", name="Grow")
    grow.dblclick()
    page.keyboard.type("-30")
    page.keyboard.press("Enter")
    expect(page.get_by_text("The shot has changed since")).to_be_visible()
    page.get_by_role("button", name="Check every frame").click()
    expect(page.get_by_role("list", name="Frames that leak").get_by_role("button", name="0–5")).to_be_visible(
        timeout=60_000
    )
