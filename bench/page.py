"""The page itself, in a headless browser, against a running server with the demo: how long from moving a dial to the new
picture, and whether cached playback holds the shot's rate.

Run: ./tropein start --demo   and beside it   ./tropein python -m bench.page
"""

from __future__ import annotations

import json
import statistics
import sys
import urllib.request

from playwright.sync_api import Page, sync_playwright

SHOT, STEPS, SECONDS = "Lamp on the sign", 40, 4
WATCH = """() => {
  const seen = new WeakSet(); window.drawn = []; window.movedAt = 0;
  window.addEventListener('pointermove', () => { window.movedAt = performance.now(); }, true);
  const draw = CanvasRenderingContext2D.prototype.drawImage;
  CanvasRenderingContext2D.prototype.drawImage = function (image, ...rest) {
    if (window.everyDraw || !seen.has(image)) { seen.add(image); window.drawn.push([performance.now(), window.movedAt]); }
    return draw.call(this, image, ...rest);
  };
}"""


def drag_ms(page: Page) -> list[float]:
    """From the pointer's move to the picture drawn, over the steps of a drag of Exposure, one at a time."""
    page.locator("[data-pane=Evening] button").first.click()
    box = page.get_by_role("slider", name="Exposure").first.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    times = []
    for i in range(STEPS):
        before = page.evaluate("window.drawn.length")
        page.mouse.move(x + (1 + i % 12) * 2 * (1 if i % 24 < 12 else -1), y)
        while page.evaluate("window.drawn.length") == before:
            page.wait_for_timeout(10)
        drawn, moved = page.evaluate("window.drawn.at(-1)")
        times.append(drawn - moved)
    page.mouse.up()
    page.keyboard.press("Control+z")
    return times[5:]


def playback_rate(page: Page) -> float:
    """New frames a second once a loop of the range is cached."""
    page.keyboard.press("Space")
    page.wait_for_timeout(14_000)
    begun = page.evaluate("performance.now()")
    changes = page.evaluate(
        """async (ms) => { const node = document.querySelector('[data-testid=frame]'); let n = 0;
        const o = new MutationObserver(() => { n += 1; }); o.observe(node, { characterData: true, childList: true, subtree: true });
        await new Promise((r) => setTimeout(r, ms)); o.disconnect(); return n; }""",
        SECONDS * 1000,
    )
    seconds = (page.evaluate("performance.now()") - begun) / 1000
    page.keyboard.press("Space")
    return changes / seconds


def main(address: str) -> None:
    shots = json.load(urllib.request.urlopen(f"{address}/api/shots"))
    shot = next(s["id"] for s in shots if s["name"] == SHOT)
    with sync_playwright() as p:
        browser = p.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-dev-shm-usage"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/shot/{shot}")
        page.wait_for_timeout(4000)
        page.evaluate(WATCH)
        times = sorted(drag_ms(page))
        rate = playback_rate(page)
        browser.close()
    print("| drag to new picture: median / 90th percentile ms | cached playback, frames a second (shot: 24) |")
    print("| --- | --- |")
    print(f"| {statistics.median(times):.0f} / {times[int(len(times) * 0.9)]:.0f} | {rate:.1f} |")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8420")
