"""What moves, done with the mouse: a plane that carries, the plate held still, a face, a solved camera."""

from __future__ import annotations

import json
import re
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.helpers import drag, followed, lay_in, magenta, new_shot, on_screen, settled, spot_still
from tests.browser.test_habits import go_to
from tests.conftest import moving_frames, write_clip
from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore

PLATES = Path(__file__).parents[2] / "demo/plates"
SIZE = (960, 540)


def plate_pictures(tmp_path: Path, name: str, frames: range) -> list[np.ndarray]:
    """Some frames of a demo plate, display codes."""
    store = MediaStore(tmp_path / "store")
    media, _ = borrow(store, [PLATES / f"{name}.mp4"])
    pictures = ColourFrames(store, media)
    return [pictures.rgb(i) for i in frames]


def stretch(tmp_path: Path, name: str, frames: range) -> Path:
    """Some frames of a demo plate as a clip of its own."""
    return write_clip(tmp_path / f"{tmp_path.name}.mp4", plate_pictures(tmp_path, name, frames))


def truth(name: str) -> list[dict]:
    return json.loads((PLATES / f"{name}.truth.json").read_text())["frames"]


def spot_in_shot(page: Page, size: tuple[int, int] = SIZE) -> np.ndarray:
    box = page.get_by_test_id("viewer").bounding_box()
    at, scale = on_screen(page, size)
    assert box
    x, y = magenta(settled(page))
    x0, y0 = at(0, 0)
    return np.array([x - (x0 - box["x"]), y - (y0 - box["y"])]) / scale


def test_a_plane_is_tracked_by_four_clicks_and_carries_what_is_fitted_to_it(
    application: str, page: Page, tmp_path: Path
) -> None:
    new_shot(page, application, stretch(tmp_path, "quay", range(16)))
    at, _ = on_screen(page, SIZE)
    corners = [f["sign_corners_px_tl_tr_br_bl"] for f in truth("quay")]
    page.keyboard.press("p")
    for name, corner in zip(("top left", "top right", "bottom right", "bottom left"), corners[0], strict=True):
        expect(page.get_by_text(f"Click the {name} corner")).to_be_visible()
        page.mouse.click(*at(*corner))
    expect(page.get_by_test_id("sentence")).to_contain_text("Plane 1, a plane in")
    page.get_by_role("button", name="Both ways").click()
    followed(page, 16)
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").click()
    page.get_by_role("menuitem", name="Plane 1").click()
    page.get_by_role("button", name="Fit to Plane 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("perspective")
    expect(page.get_by_test_id("pin-0")).to_be_visible()
    for frame in (0, 15):
        go_to(page, frame)
        expected = np.mean(corners[frame], 0)
        assert np.abs(spot_in_shot(page) - expected).max() < 4, (frame, expected)
    # one corner pulled outwards stays pulled, and undo brings it back
    pin = page.get_by_test_id("pin-1").bounding_box()
    assert pin
    start = (pin["x"] + pin["width"] / 2, pin["y"] + pin["height"] / 2)
    drag(page, start, (start[0] + 40, start[1] - 10))
    expect(page.get_by_role("button", name=re.compile("^Undo: move a corner of"))).to_be_visible()


def test_the_plate_is_held_still_on_a_track(application: str, page: Page, tmp_path: Path) -> None:
    clip = write_clip(tmp_path / f"{tmp_path.name}.mp4", moving_frames(24, 320, 180, step=(3, 1.5)))
    new_shot(page, application, clip)
    at, _ = on_screen(page, (320, 180))
    before = settled(page)
    page.keyboard.press("t")
    page.mouse.click(*at(150, 80))
    page.get_by_role("button", name="Both ways").click()
    followed(page, 24)
    page.locator(f"[data-pane={tmp_path.name}] button").first.click()
    page.get_by_role("button", name="holds nothing still yet").click()
    page.get_by_role("menuitem", name="Point 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("holding Point 1 still")
    page.get_by_role("button", name="zoom in until none shows").click()
    page.get_by_role("menuitem", name="show nothing").click()
    go_to(page, 20)
    h, w = before.shape[:2]
    middle = (slice(h // 2 - 20, h // 2 + 20), slice(w // 2 - 40, w // 2 + 40))
    held = np.abs(settled(page)[middle].astype(int) - before[middle]).mean()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_text("holds nothing still yet")).to_be_visible()
    moving = np.abs(settled(page)[middle].astype(int) - before[middle]).mean()
    assert held < 0.35 * moving, (held, moving)


def test_a_face_is_tracked_by_a_click_and_an_iris_carries(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "pilot", range(8)))
    at, _ = on_screen(page, SIZE)
    irises = [f["iris_px_viewer_left_right"] for f in truth("pilot")]
    page.keyboard.press("Shift+P")
    page.mouse.click(*at(*np.mean(irises[0], 0)))
    followed(page, 8)
    expect(page.get_by_text("Left eye open")).to_be_visible()
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").click()
    page.get_by_role("menuitem", name="Face 1").click()
    page.get_by_role("button", name="head", exact=True).click()
    page.get_by_role("menuitem", name="right iris").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("at its right iris")
    go_to(page, 0)
    start = spot_in_shot(page)
    go_to(page, 7)
    moved = spot_in_shot(page) - start
    assert np.abs(moved - np.subtract(irises[7][0], irises[0][0])).max() < 4, moved


def head_px(frame: int) -> np.ndarray:
    """The middle of the pilot's head as it is seen."""
    plate = json.loads((PLATES / "pilot.truth.json").read_text())
    f = plate["frames"][frame]
    x, y, z = (np.array(f["world_to_camera"]) @ np.array(f["head_to_world"]) @ [0, 0, 0, 1])[:3]
    return np.array([x, y]) / z * plate["fx"] + [SIZE[0] / 2, SIZE[1] / 2]


def test_a_head_is_followed_by_a_box_and_carries(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "pilot", range(24)))
    at, _ = on_screen(page, SIZE)
    heads = [head_px(frame) for frame in range(24)]
    x, y = heads[0] - [0, 25]
    page.keyboard.press("Shift+T")
    expect(page.get_by_text("Drag a box around the thing")).to_be_visible()
    drag(page, at(x - 150, y - 190), at(x + 150, y + 190))
    expect(page.get_by_test_id("sentence")).to_contain_text("Object 1, a thing in")
    page.get_by_role("button", name="Both ways").click()
    followed(page, 24)
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").click()
    page.get_by_role("menuitem", name="Object 1").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("position, rotation, scale")
    start = spot_in_shot(page)
    go_to(page, 20)
    moved = spot_in_shot(page) - start
    assert np.hypot(*(heads[20] - heads[0])) > 40
    assert np.hypot(*(moved - (heads[20] - heads[0]))) < 24, (moved, heads[20] - heads[0])  # 7 % of the box
    # put right by hand at this frame, the box keeps what was said, and it can be let go
    page.keyboard.press("2")
    page.get_by_role("region", name="Tracks").get_by_role("button", name="Object 1").click()
    box = page.get_by_test_id("object-box").bounding_box()
    assert box
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    drag(page, middle, (middle[0] + 12, middle[1]))
    expect(page.get_by_role("button", name="Undo: set Object 1 by hand at 20")).to_be_visible()
    page.get_by_role("button", name="No longer set by hand here").click()
    expect(page.get_by_role("button", name="No longer set by hand here")).to_have_count(0)


def test_a_camera_is_solved_and_a_layer_placed_in_its_scene(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "quay", range(30)))
    page.keyboard.press("2")
    page.get_by_role("button", name="Solve the camera").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("Camera 1, the camera of")
    followed(page, 30)
    expect(page.get_by_text("a free move")).to_be_visible()
    lay_in(page, spot_still(tmp_path))
    page.get_by_role("button", name="rides on nothing yet").click()
    page.get_by_role("menuitem", name="Camera 1").click()
    dots = page.get_by_test_id("scene-points").locator("g")
    expect(dots.first).to_be_visible()
    # a point on the sign: as the sign goes, so goes what is placed there
    quads = [np.array(f["sign_corners_px_tl_tr_br_bl"]) for f in truth("quay")]
    at, scale = on_screen(page, SIZE)
    x0, y0 = at(0, 0)
    boxes = dots.evaluate_all(
        "all => all.map(g => { const r = g.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })"
    )
    places = (np.array(boxes) - [x0, y0]) / scale
    low, high = quads[0].min(0) + 25, quads[0].max(0) - [60, 80]
    on_sign = [i for i, p in enumerate(places) if (p > low).all() and (p < high).all()]
    chosen = on_sign[len(on_sign) // 2]
    page.mouse.click(*boxes[chosen])
    expect(page.get_by_role("button", name=re.compile("^Undo: place spot in the scene"))).to_be_visible()
    go_to(page, 28)
    h = cv2.getPerspectiveTransform(np.float32(quads[0]), np.float32(quads[28]))
    expected = cv2.perspectiveTransform(np.float32(places[chosen])[None, None], h)[0, 0]
    assert np.abs(spot_in_shot(page) - expected).max() < 3, expected
    the_scene_gets_a_floor_and_units(page)


def the_scene_gets_a_floor_and_units(page: Page) -> None:
    """In the view of the scene: three clicks for the floor, two for the scale; the points that are clicked lie as far apart as was said."""
    page.keyboard.press("2")
    page.get_by_role("region", name="Tracks").get_by_role("button", name="Camera 1").click()
    expect(page.get_by_text("Halves agree within")).to_be_visible()
    page.keyboard.press("2")
    page.keyboard.press("s")
    scene = page.get_by_role("img", name="The solved scene")
    expect(scene).to_be_visible()
    page.wait_for_timeout(1500)
    dots = [tuple(p) for p in points_of_the_scene(page)]
    assert len(dots) > 30  # the cloud is drawn
    page.get_by_role("button", name="set the floor").click()
    box = scene.bounding_box()
    assert box
    for k, (x, y) in enumerate(far_apart(dots, 3), 1):
        page.mouse.click(box["x"] + x, box["y"] + y)
        if k < 3:
            expect(page.get_by_text(f"{k} clicked.")).to_be_visible()
    expect(page.get_by_role("button", name="Undo: set the floor of Camera 1")).to_be_visible()
    expect(page.get_by_role("button", name="as it was solved")).to_be_visible()
    page.wait_for_timeout(800)
    page.get_by_role("button", name="set the scale").click()
    for x, y in far_apart([tuple(p) for p in points_of_the_scene(page)], 2):
        page.mouse.click(box["x"] + x, box["y"] + y)
    distance = page.get_by_role("slider", name="Distance")
    distance.dblclick()
    page.keyboard.type("50")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Set the scale", exact=True).click()
    expect(page.get_by_role("button", name="Undo: set the units of Camera 1")).to_be_visible()
    page.get_by_role("button", name="through the camera").click()
    expect(page.get_by_text("Seen by the camera of this frame.")).to_be_visible()
    page.wait_for_timeout(800)
    assert len(points_of_the_scene(page)) > 30
    page.get_by_role("button", name="Back to the picture").first.click()
    expect(page.get_by_role("img", name="The picture")).to_be_visible()


def points_of_the_scene(page: Page) -> np.ndarray:
    """(n, 2) middles of the dots of the solved cloud on the view's canvas: blobs of their colour."""
    shot = page.get_by_role("img", name="The solved scene").screenshot()
    picture = cv2.imdecode(np.frombuffer(shot, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(int)
    near = (np.abs(picture - [95, 179, 161]).max(-1) < 30).astype(np.uint8)
    near[:110] = 0  # the buttons
    _, _, stats, middles = cv2.connectedComponentsWithStats(near)
    wide, high, area = stats[1:, cv2.CC_STAT_WIDTH], stats[1:, cv2.CC_STAT_HEIGHT], stats[1:, cv2.CC_STAT_AREA]
    return middles[1:][(area >= 9) & (wide <= 5) & (high <= 5)]


def far_apart(points: list[tuple[float, float]], count: int) -> list[tuple[float, float]]:
    """Some of the points, each as far as can be from those before."""
    all_ = np.array(points)
    chosen = [int(np.argmin(all_.sum(1)))]
    while len(chosen) < count:
        gaps = np.linalg.norm(all_[:, None] - all_[chosen][None], axis=2).min(1)
        chosen.append(int(np.argmax(gaps)))
    return [points[i] for i in chosen]


def test_only_the_loop_is_followed_if_that_is_wished(application: str, page: Page, tmp_path: Path) -> None:
    new_shot(page, application, stretch(tmp_path, "quay", range(16)))
    at, _ = on_screen(page, SIZE)
    corner = truth("quay")[0]["sign_corners_px_tl_tr_br_bl"][2]
    go_to(page, 3)
    page.keyboard.press("i")
    go_to(page, 8)
    page.keyboard.press("o")
    go_to(page, 0)
    page.keyboard.press("t")
    page.mouse.click(*at(*corner))
    page.get_by_role("button", name="the trim", exact=True).click()
    page.get_by_role("menuitem", name=re.compile("^the loop")).click()
    page.get_by_role("button", name="On ▸").click()
    # from the frame it was marked in to the end of the loop
    followed(page, 9)
    expect(page.get_by_role("button", name="the loop, 3 to 8")).to_be_visible()
    go_to(page, 12)
    page.keyboard.press("o")
    page.get_by_role("button", name="On ▸").click()
    followed(page, 13)
    page.keyboard.press("Shift+O")
    expect(page.get_by_role("button", name="the trim", exact=True)).to_be_visible()
    page.get_by_role("button", name="Both ways").click()
    followed(page, 16)
