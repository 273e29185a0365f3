"""The page itself, in a headless browser (bench.browser), against a running server with the demo: how long from moving a dial to the new picture, in
a demo shot and in one of 200 layers with 2000 keys; and pictures a second while a shot plays: the first time, when every frame is made on the
way, and once it is all there.

The speed of machines like this changes by the hour: how long Python takes to count to ten million says which hour it was.

A server that was just started has made no picture yet. Run: ./tropein start --demo   and beside it   ./tropein python -m bench.page
"""

from __future__ import annotations

import json
import statistics
import sys
import time
import urllib.request
from typing import Any

from bench.browser import Page, browser

DRAGGED = "Lamp on the sign"
PLAYED = ("Compass in the air", "Lamp on the sign", "Lamp eyes", "Sign repainted")
STEPS, FIRST_S, AGAIN_S = 40, 2.5, 4.0
WATCH = """(() => {
  const seen = new WeakSet(); window.drawn = []; window.movedAt = 0;
  window.addEventListener('pointermove', () => { window.movedAt = performance.now(); }, true);
  const draw = CanvasRenderingContext2D.prototype.drawImage;
  CanvasRenderingContext2D.prototype.drawImage = function (image, ...rest) {
    if (!seen.has(image)) { seen.add(image); window.drawn.push([performance.now(), window.movedAt]); }
    return draw.call(this, image, ...rest);
  };
})()"""
SHOWN = """(() => {
  const node = document.querySelector('[data-testid=frame]'); window.shown = [];
  new MutationObserver(() => window.shown.push(performance.now())).observe(node, { characterData: true, childList: true, subtree: true });
})()"""
DIAL = '[role=slider][aria-label="Exposure"]'


def drag_ms(page: Page) -> list[float]:
    """From the pointer's move to the picture drawn, over the steps of a drag of Exposure, one at a time."""
    page.evaluate(WATCH)
    page.click("[data-pane=Evening] button")
    x, y = page.middle(DIAL)
    page.mouse("Moved", x, y)
    page.mouse("Pressed", x, y)
    times = []
    for i in range(STEPS):
        before = page.evaluate("window.drawn.length")
        page.mouse("Moved", x + (1 + i % 12) * 2 * (1 if i % 24 < 12 else -1), y)
        page.wait(f"window.drawn.length > {before}")
        drawn, moved = page.evaluate("window.drawn.at(-1)")
        times.append(drawn - moved)
    page.mouse("Released", x, y)
    page.press("z", 90, control=True)
    return sorted(times[5:])


def playing(page: Page, seconds: float) -> float:
    """New pictures a second between the first and the last of the seconds that come."""
    page.evaluate("window.shown.length = 0")
    time.sleep(seconds)
    times = page.evaluate("window.shown")
    return (len(times) - 1) / (times[-1] - times[0]) * 1e3


def played(page: Page) -> tuple[float, float]:
    """Of a shot that was just opened: (the first time, once it is all there)."""
    page.evaluate(SHOWN)
    page.press(" ", 32)
    first = playing(page, FIRST_S)
    time.sleep(10)
    again = playing(page, AGAIN_S)
    page.press(" ", 32)
    return first, again


def counting_s() -> float:
    began, i = time.perf_counter(), 0
    while i < 10_000_000:
        i += 1
    return time.perf_counter() - began


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
    shots = {s["name"]: s["id"] for s in asked(address, "GET", "/shots")}
    print(f"counting to ten million takes Python {counting_s():.1f} s")
    with browser() as page:
        print("| shot | played for the first time, pictures a second | once it is all there | the shot's |")
        print("| --- | --- | --- | --- |")
        for name in PLAYED:
            page.goto(f"{address}/shot/{shots[name]}")
            time.sleep(4)
            first, again = played(page)
            print(f"| {name} | {first:.1f} | {again:.1f} | 24 |", flush=True)
        print("| shot | drag to new picture: median / 90th percentile ms |")
        print("| --- | --- |")
        many = large(address)
        try:
            for name, which in ((DRAGGED, shots[DRAGGED]), ("200 layers, 2000 keys", many)):
                page.goto(f"{address}/shot/{which}")
                time.sleep(4)
                times = drag_ms(page)
                print(f"| {name} | {statistics.median(times):.0f} / {times[int(len(times) * 0.9)]:.0f} |", flush=True)
        finally:
            page.call("Page.navigate", url="about:blank")  # nobody looks at it any more
            asked(address, "DELETE", f"/shots/{many}")
    print(f"counting to ten million takes Python {counting_s():.1f} s")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8420")
