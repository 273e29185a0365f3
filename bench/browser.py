"""A headless Chromium that nobody listens to: it is told what to do over its debugging port, and reports nothing by itself.

What drives browsers for tests has every message of every socket reported to it, pictures included, which a person's browser does not: while a shot
plays that cost a fifth of its pictures on two cores.
"""

from __future__ import annotations

import json
import subprocess
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from websockets.sync.client import ClientConnection, connect

CHROMIUM = "/usr/bin/chromium"
SIZE = (1280, 800)
WAIT_S = 60.0


class Page:
    """The one page of it."""

    def __init__(self, socket: ClientConnection) -> None:
        self._socket, self._number = socket, 0

    def call(self, method: str, **arguments: Any) -> Any:
        self._number += 1
        self._socket.send(json.dumps({"id": self._number, "method": method, "params": arguments}))
        while True:
            answer = json.loads(self._socket.recv())
            if answer.get("id") == self._number:
                if "error" in answer:
                    raise RuntimeError(f"{method}: {answer['error']['message']}")
                return answer["result"]

    def evaluate(self, expression: str) -> Any:
        """The value of an expression; a promise is waited for."""
        answer = self.call("Runtime.evaluate", expression=expression, returnByValue=True, awaitPromise=True)
        if "exceptionDetails" in answer:
            raise RuntimeError(answer["exceptionDetails"]["exception"]["description"])
        return answer["result"].get("value")

    def wait(self, expression: str) -> Any:
        """The value of an expression once it is true."""
        end = time.monotonic() + WAIT_S
        while not (value := self.evaluate(expression)):
            if time.monotonic() > end:
                raise TimeoutError(expression)
            time.sleep(0.02)
        return value

    def goto(self, address: str) -> None:
        self.call("Page.navigate", url=address)
        self.wait(f"location.href === {json.dumps(address)} && !!document.querySelector('main[aria-busy=false]')")

    def middle(self, selector: str) -> tuple[float, float]:
        """Where an element lies, once it is there."""
        x, y = self.wait(
            f"(() => {{ const r = document.querySelector({json.dumps(selector)})?.getBoundingClientRect();"
            " return r && [r.x + r.width / 2, r.y + r.height / 2]; })()"
        )
        return x, y

    def mouse(self, kind: str, x: float, y: float) -> None:
        """`kind` is Pressed, Moved or Released."""
        self.call("Input.dispatchMouseEvent", type=f"mouse{kind}", x=x, y=y, button="left", clickCount=1)

    def click(self, selector: str) -> None:
        at = self.middle(selector)
        self.mouse("Pressed", *at)
        self.mouse("Released", *at)

    def press(self, key: str, code: int, control: bool = False) -> None:
        """A key by its name and its number as browsers have it."""
        for kind in ("rawKeyDown", "keyUp"):
            self.call(
                "Input.dispatchKeyEvent", type=kind, key=key, windowsVirtualKeyCode=code, modifiers=2 if control else 0
            )


@contextmanager
def browser() -> Iterator[Page]:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        arguments = ["--headless=new", "--no-sandbox", "--disable-dev-shm-usage", "--remote-debugging-port=0",
                     f"--user-data-dir={profile}", "about:blank"]  # fmt: skip
        chromium = subprocess.Popen([CHROMIUM, *arguments], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            with connect(_address(Path(profile) / "DevToolsActivePort"), max_size=None) as socket:
                page = Page(socket)
                metrics = {"width": SIZE[0], "height": SIZE[1], "deviceScaleFactor": 1, "mobile": False}
                page.call("Emulation.setDeviceMetricsOverride", **metrics)
                yield page
        finally:
            chromium.terminate()
            chromium.wait()


def _address(port: Path) -> str:
    end = time.monotonic() + WAIT_S
    while time.monotonic() < end:
        if port.exists() and (text := port.read_text()):
            with urllib.request.urlopen(f"http://127.0.0.1:{text.split()[0]}/json") as answer:
                for target in json.loads(answer.read()):
                    if target["type"] == "page":
                        return str(target["webSocketDebuggerUrl"])
        time.sleep(0.1)
    raise TimeoutError("Chromium did not start.")
