"""The page itself, in a headless browser, against a running server with the demo: how long from moving a dial to the new
picture, in a demo shot and in one of 200 layers with 2000 keys, and whether cached playback holds the shot's rate.

Run: ./tropein start --demo   and beside it   ./tropein python -m bench.page
"""

from __future__ import annotations

import json
import statistics
import sys
import urllib.request
from typing import Any

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


def asked(address: str, method: str, path: str, body: object = None) -> Any:
    data = None if body is None else json.dumps(body).encode()
    headers = {"content-type": "application/json", "origin": address}
    request = urllib.request.Request(f"{address}/api{path}", data, headers, method=method)
    with urllib.request.urlopen(request) as answer:
        return json.loads(answer.read() or b"null")


def large(address: str) -> str:
    """A shot on the quay with 199 small flares over it, ten keys each, and a graded veil on top."""
    shelf = {i["name"]: i for i in asked(address, "GET", "/shelf")}
    shot = asked(address, "POST", "/shots", {"shelf": shelf["Quay"]["id"], "name": "Large"})["id"]
    flare = shelf["Lamp flare"]["footage"]
    ops: list[dict[str, Any]] = [{"op": "add", "path": f"/footage/{flare['id']}", "value": flare}]
    for i in range(199):
        keys = [{"frame": 7 * k, "value": [60 + 4 * i + 5 * k, 80 + (37 * i) % 400]} for k in range(10)]
        place = {"position": {"value": keys[0]["value"], "keys": keys}, "scale": {"value": [0.03, 0.03]}}
        content = {"kind": "footage", "footage": flare["id"]}
        layer = {"id": f"l{i}", "name": f"Flare {i}", "content": content, "place": place, "blend": "add"}
        ops += [{"op": "add", "path": f"/layers/l{i}", "value": layer}, {"op": "add", "path": "/stack/0", "value": f"l{i}"}]  # fmt: skip
    grade = {"kind": "grade", "id": "g"}
    veil = {"id": "veil", "name": "Evening", "content": {"kind": "beneath"}, "effects": {"g": grade}, "chain": ["g"]}
    ops += [{"op": "add", "path": "/layers/veil", "value": veil}, {"op": "add", "path": "/stack/0", "value": "veil"}]
    asked(address, "POST", f"/shots/{shot}/edits", {"base": 0, "label": "lay in 200 layers", "ops": ops})
    return str(shot)


def main(address: str) -> None:
    shot = next(s["id"] for s in asked(address, "GET", "/shots") if s["name"] == SHOT)
    many = large(address)
    print("| shot | drag to new picture: median / 90th percentile ms | cached playback, frames a second (shot: 24) |")
    print("| --- | --- | --- |")
    try:
        with sync_playwright() as p:
            browser = p.chromium.launch(
                executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-dev-shm-usage"]
            )
            for name, which in ((SHOT, shot), ("200 layers, 2000 keys", many)):
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(f"{address}/shot/{which}")
                page.wait_for_timeout(6000)
                page.evaluate(WATCH)
                times = sorted(drag_ms(page))
                rate = f"{playback_rate(page):.1f}" if which == shot else "-"
                print(f"| {name} | {statistics.median(times):.0f} / {times[int(len(times) * 0.9)]:.0f} | {rate} |")
                page.close()
            browser.close()
    finally:
        asked(address, "DELETE", f"/shots/{many}")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8420")
