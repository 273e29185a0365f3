"""Steps and measures that browser tests share."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tropein.core.media.encode import write_picture

At = Callable[[float, float], tuple[float, float]]  # a pixel of the shot -> where it is on the page


def spot_still(folder: Path) -> Path:
    """A magenta disc of radius 22 in a transparent 60x60 picture."""
    pixels = np.zeros((60, 60, 4), np.float32)
    y, x = np.mgrid[0:60, 0:60] - 29.5
    pixels[np.hypot(x, y) < 22] = [1.0, 0.0, 1.0, 1.0]
    write_picture(folder / "spot.png", pixels, "png")
    return folder / "spot.png"


def magenta_mask(picture: np.ndarray) -> np.ndarray:
    p = picture.astype(float)
    return (np.minimum(p[..., 0], p[..., 2]) > 150) & (p[..., 1] < 60)


def magenta(picture: np.ndarray) -> tuple[float, float]:
    """Centre of what is bright in red and blue and dark in green."""
    mask = magenta_mask(picture)
    assert mask.sum() > 300, "the spot is not in the picture"
    y, x = np.nonzero(mask)
    # the middle between the edges, robust against a few pixels of the wall that are as purple
    return tuple(float(np.percentile(v, 4) + np.percentile(v, 96)) / 2 + 0.5 for v in (x, y))  # type: ignore[return-value]


def canvas(page: Page) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(page.get_by_role("img", name="The picture").screenshot())).convert("RGB"))


def sent(page: Page) -> None:
    """Waits until the server has every edit made so far."""
    expect(page.get_by_role("main")).to_have_attribute("aria-busy", "false", timeout=30_000)


def settled(page: Page) -> np.ndarray:
    """The picture once no other is on its way and it no longer changes."""
    last, same = canvas(page), 0
    for _ in range(60):
        page.wait_for_timeout(200)
        expect(page.get_by_role("img", name="The picture")).to_have_attribute("aria-busy", "false", timeout=30_000)
        now = canvas(page)
        same = same + 1 if now.shape == last.shape and np.array_equal(now, last) else 0
        if same == 3:
            return now
        last = now
    raise AssertionError("the picture does not come to rest")


def on_screen(page: Page, size: tuple[int, int]) -> tuple[At, float]:
    """(shot pixel -> page coordinates, screen pixels per shot pixel) of the picture, of a shot of this size."""
    viewer = page.get_by_test_id("viewer")

    def seen() -> tuple[float, float, float]:
        """The scale, and where the frame's corner is on the page: a tool in hand may make room about the picture."""
        box = viewer.bounding_box()
        assert box
        ox, oy = (float(v) for v in (viewer.get_attribute("data-origin") or "").split())
        return float(viewer.get_attribute("data-scale") or 0), box["x"] + ox, box["y"] + oy

    def at(x: float, y: float) -> tuple[float, float]:
        scale, x0, y0 = seen()
        return x0 + x * scale, y0 + y * scale

    return at, seen()[0]


def new_shot(page: Page, application: str, clip: Path) -> None:
    """A shot from a clip, opened on the bench."""
    page.goto(application)
    page.get_by_test_id("new-shot-files").set_input_files(str(clip))
    page.get_by_role("link", name=f"Open {clip.stem}").click(timeout=60_000)
    expect(page.get_by_test_id("sentence")).to_contain_text("the plate")


def lay_in(page: Page, still: Path) -> None:
    """A still imported and laid in from the shelf, in the middle of the picture."""
    page.get_by_role("button", name="Shelf", exact=True).click()
    page.get_by_role("region", name="Shelf").locator("input[type=file]").set_input_files(str(still))
    card = page.get_by_role("listitem").filter(has_text=still.stem)
    expect(card.first).to_be_visible(timeout=60_000)
    card.first.hover()
    page.get_by_role("region", name="Shelf").get_by_role("button", name=f"Lay in {still.stem}").first.click()
    expect(page.get_by_test_id("sentence")).to_contain_text(f"{still.stem}, from the shelf")
    page.keyboard.press("Escape")


def drag(page: Page, start: tuple[float, float], end: tuple[float, float], steps: int = 6) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=steps)
    page.mouse.up()


def followed(page: Page, frames: int, at_least: int | None = None) -> None:
    """Waits until the track before one has been followed to its end, through so many frames.

    Fewer may do where a model that is not ours looks at every frame afresh: what it sees differs a little from one kind of
    processor to another.
    """
    enough = "|".join(str(n) for n in range(at_least or frames, frames + 1))
    told = re.compile(rf"followed through ({enough}) frames")
    expect(page.get_by_test_id("sentence")).to_contain_text(told, timeout=200_000)
    expect(page.get_by_label("Tracking")).to_have_count(0, timeout=200_000)  # until then it tells what has come so far
    expect(page.get_by_test_id("sentence")).to_contain_text(told)
