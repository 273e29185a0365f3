"""A busy server: eight viewers, two editors, a render and a drag at once, for a while, and how long each waits.

Six viewers walk through shots frame by frame while editors change those; one asks for frames that are cached; one drags a value. The
shots are copies that the bench makes and removes.
Run: ./tropein start --demo   and beside it   ./tropein python -m bench.load [address] [seconds]
"""

from __future__ import annotations

import asyncio
import json
import random
import sys
import time
from collections import defaultdict
from typing import Any

import httpx
import websockets

SHOTS = ("Lamp on the sign", "Embers and mist", "Harbour by night")
WALKERS, EDIT_EVERY_S, CACHED = 6, 0.5, 24
Waits = dict[str, list[float]]


class Viewer:
    """One page's socket: asks, and waits for the answer."""

    def __init__(self, address: str) -> None:
        self.address, self.n = address.replace("http", "ws") + "/live", 0

    async def __aenter__(self) -> Viewer:
        self.socket = await websockets.connect(
            self.address, origin=self.address.replace("ws", "http")[:-5], max_size=None
        )  # type: ignore[arg-type]
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.socket.close()

    async def ask(self, **wanted: Any) -> float:
        """Seconds until the picture came; negative when the server said no."""
        self.n += 1
        began = time.perf_counter()
        await self.socket.send(json.dumps({"ask": self.n, "scale": 0.5, "overlay": [], **wanted}))
        while True:
            message = await self.socket.recv()
            if isinstance(message, bytes) and int.from_bytes(message[:4], "little") == self.n:
                return time.perf_counter() - began
            if isinstance(message, str) and json.loads(message).get("ask") == self.n:
                return -1.0


async def walk(address: str, shots: list[str], revisions: dict[str, int], end: float, waits: Waits, seed: int) -> None:
    rng = random.Random(seed)
    async with Viewer(address) as viewer:
        shot, frame = rng.choice(shots), 0
        while time.monotonic() < end:
            frame = (frame + 1) % 72 if rng.random() < 0.9 else rng.randrange(72)
            waits["a frame"].append(await viewer.ask(shot=shot, revision=revisions[shot], frame=frame, channel="view"))
            await asyncio.sleep(0.02)


async def look_again(address: str, shot: str, end: float, waits: Waits) -> None:
    async with Viewer(address) as viewer:
        for frame in range(CACHED):
            await viewer.ask(shot=shot, revision=0, frame=frame, channel="view")
        while time.monotonic() < end:
            frame = random.randrange(CACHED)
            waits["a cached frame"].append(await viewer.ask(shot=shot, revision=0, frame=frame, channel="view"))
            await asyncio.sleep(0.04)


async def drag(address: str, shot: str, layer: str, end: float, waits: Waits) -> None:
    async with Viewer(address) as viewer:
        step = 0
        while time.monotonic() < end:
            step += 1
            overlay = [{"op": "replace", "path": f"/layers/{layer}/opacity/value", "value": 0.5 + (step % 40) / 100}]
            wanted = {"shot": shot, "revision": 0, "frame": 30, "overlay": overlay, "draft": True, "scale": 0.45}
            waits["a drag"].append(await viewer.ask(**wanted, channel="view"))
            await asyncio.sleep(0.03)


async def edit(
    http: httpx.AsyncClient, shot: str, layer: str, revisions: dict[str, int], end: float, waits: Waits
) -> None:
    while time.monotonic() < end:
        op = {"op": "replace", "path": f"/layers/{layer}/opacity/value", "value": round(random.random(), 3)}
        began = time.perf_counter()
        answer = await http.post(
            f"/api/shots/{shot}/edits", json={"base": revisions[shot], "label": "load", "ops": [op]}, timeout=60
        )
        waits["an edit"].append(time.perf_counter() - began)
        revisions[shot] = answer.json()["revision"]
        await asyncio.sleep(EDIT_EVERY_S)


async def main(address: str, seconds: float) -> None:
    async with httpx.AsyncClient(base_url=address) as http:
        cards = {c["name"]: c["id"] for c in (await http.get("/api/shots")).json()}
        shots = [cards[name] for name in SHOTS]
        states = {s: (await http.get(f"/api/shots/{s}")).json() for s in shots}
        revisions = {s: state["revision"] for s, state in states.items()}
        tops = {s: state["document"]["stack"][0] for s, state in states.items()}
        body = {"first": 0, "last": 71, "format": "h264", "scale": 1.0}
        renders = [(await http.post(f"/api/shots/{cards['Compass in the air']}/renders", json=body)).json()["id"]]
        waits: Waits = defaultdict(list)
        end = time.monotonic() + seconds
        work = [walk(address, shots, revisions, end, waits, seed) for seed in range(WALKERS)]
        work += [look_again(address, cards["Sea-glass eyes"], end, waits)]
        still = (await http.get(f"/api/shots/{cards['Lamp eyes']}")).json()["document"]["stack"][0]
        work += [drag(address, cards["Lamp eyes"], still, end, waits)]
        work += [edit(http, s, tops[s], revisions, end, waits) for s in shots[:2]]
        await asyncio.gather(*work)
        done = (await http.get(f"/api/runs/{renders[0]}")).json()
        await http.post(f"/api/runs/{renders[0]}/cancel")
        for shot in shots[:2]:
            while (await http.post(f"/api/shots/{shot}/undo", json={})).status_code == 200:
                pass
    print(
        f"{WALKERS + 2} viewers, 2 editors, 1 render, {seconds:.0f} s; the render came to {done['done']} of {done['total']} frames\n"
    )
    print("| waiting for | times | median ms | 95th percentile ms | worst ms | refused |")
    print("| --- | --- | --- | --- | --- | --- |")
    for what, times in sorted(waits.items()):
        good = sorted(t * 1000 for t in times if t >= 0)
        row = [
            len(times),
            *(f"{good[min(len(good) - 1, int(len(good) * q))]:.0f}" for q in (0.5, 0.95, 1.0)),
            len(times) - len(good),
        ]
        print(f"| {what} | " + " | ".join(map(str, row)) + " |")


if __name__ == "__main__":
    asyncio.run(
        main(
            sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8420",
            float(sys.argv[2]) if len(sys.argv) > 2 else 120.0,
        )
    )
