"""What a frame costs: from nothing, after one layer changed, and of proxies in order and at random. CPU time, one process.

The shot: an H.264 plate, a still in perspective, a still riding on a track, a clip with alpha added, glow, blur, curves and a
graded veil over all. Run: ./tropein python -m bench.engine
"""

from __future__ import annotations

import copy
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from demo.stock import brass_dial, ember_sparks, lamp_flare

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.media.encode import MovieWriter, Target
from tropein.core.media.library import Library
from tropein.core.media.proxy import ProxyReader
from tropein.core.media.source import Sources

PLATE = Path(__file__).parent.parent / "demo/plates/quay.mp4"
ROUNDS = 12


def cpu(work: Callable[[], object]) -> float:
    began = time.process_time()
    work()
    return (time.process_time() - began) * 1e3


def plate_at(folder: Path, width: int, height: int) -> Path:
    """The demo plate enlarged and encoded again."""
    from fractions import Fraction

    from tropein.core.media.adhoc import borrow
    from tropein.core.media.record import MediaStore

    store = MediaStore(folder / "plate-source")
    media, record = borrow(store, [PLATE])
    source = Sources(store, final=True)
    path = folder / f"plate-{width}.mp4"
    writer = MovieWriter(path, Target("h264", Fraction(24), (width, height)))
    for i in range(24):
        writer.add(cv2.resize(source.picture(media, i, 0)[0].pixels, (width, height), interpolation=cv2.INTER_CUBIC))
    writer.close()
    return path


def described(library: Library, name: str, paths: list[Path]) -> dict[str, Any]:
    """Files taken into the library, as footage of a document."""
    media, r = library.add([(p, p.name) for p in paths])
    return {
        "id": name, "name": name, "kind": r.kind, "media": media, "size": r.size, "rate": r.rate, "frames": r.frames,
        "alpha": r.alpha, "space": r.space,
    }  # fmt: skip


def build(library: Library, folder: Path, width: int, height: int) -> Shot:
    folder.mkdir(exist_ok=True)
    footage = [
        described(library, "plate", [plate_at(folder, width, height)]),
        described(library, "flare", lamp_flare(folder)),
        described(library, "dial", brass_dial(folder)),
        described(library, "embers", ember_sparks(folder, 24)),
    ]
    k = width / 960
    centre = {"value": [width / 2, height / 2]}

    def value(v: Any) -> dict[str, Any]:
        return {"value": v}

    layers = [
        {"kind": "footage", "id": "flare", "name": "flare", "footage": "flare", "blend": "screen",
         "place": {"position": value([400 * k, 140 * k]), "scale": value([0.6 * k] * 2), "rotation": value(7)},
         "effects": [{"kind": "glow", "id": "g", "radius": value(40 * k)}]},
        {"kind": "footage", "id": "embers", "name": "embers", "footage": "embers", "blend": "add",
         "place": {"position": value([480 * k, 300 * k]), "scale": value([1.1 * k] * 2)}},
        {"kind": "footage", "id": "dial", "name": "dial", "footage": "dial",
         "place": {"corners": [[600 * k, 80 * k], [840 * k, 100 * k], [820 * k, 330 * k], [610 * k, 300 * k]]},
         "effects": [{"kind": "blur", "id": "b", "radius": value(2)}]},
        {"kind": "veil", "id": "veil", "name": "veil",
         "effects": [{"kind": "grade", "id": "gr", "exposure": value(-0.6), "saturation": value(0.8)},
                     {"kind": "curves", "id": "c", "luma": value({"points": [[0, 0], [0.4, 0.3], [1, 1]]})}]},
        {"kind": "footage", "id": "plate", "name": "plate", "footage": "plate", "place": {"position": centre}},
    ]  # fmt: skip
    return load_shot({
        "schema_version": 1, "name": "bench", "size": [width, height], "rate": "24/1", "frames": 24, "trim": [0, 23],
        "footage": {f["id"]: f for f in footage}, "layers": {i["id"]: i for i in layers}, "stack": [i["id"] for i in layers], "plate": "plate",
    })  # fmt: skip


def measure(width: int, height: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        library = Library(Path(folder) / "media")
        shot = build(library, Path(folder) / "work", width, height)
        sources = Sources(library.store, final=False)
        make = lambda rows: Renderer(sources, lambda name, spot: None, 1 << 30, by_rows=rows)  # noqa: E731
        window = make(True).planner(shot).frame_window
        draw = lambda renderer, document, frame: renderer.shown(renderer.planner(document).plan(frame), window)  # noqa: E731
        cold: dict[bool, list[float]] = {False: [], True: []}
        edited: dict[bool, list[float]] = {False: [], True: []}
        for rows in (False, True):
            draw(make(rows), shot, 0)
        for i in range(ROUNDS):
            for rows in (False, True):
                cold[rows].append(cpu(lambda r=rows, f=i: draw(make(r), shot, f)))  # type: ignore[misc]
                warm = make(rows)
                for k in range(4):  # once as it was, then the value is dragged: what stands still is found out by then
                    changed = copy.deepcopy(shot)
                    changed.layers["flare"].opacity.value = 0.9 - 0.1 * k - 0.001 * i
                    taken = cpu(lambda r=warm, c=changed: draw(r, c, 3))  # type: ignore[misc]
                edited[rows].append(taken)
        pixels = np.ones((height, width, 4), np.float32)
        target = np.empty_like(pixels)
        frame_copy = statistics.median(
            cpu(lambda: [np.copyto(target, pixels) for _ in range(10)]) / 10 for _ in range(ROUNDS)
        )
        media = shot.footage["plate"].media
        reader = ProxyReader(library.store.folder(media) / "proxy-2.zip", library.store.record(media))
        order = list(range(24)) * 3
        sequential = cpu(lambda: [reader.frame(i) for i in order]) / len(order)
        shuffled = list(np.random.default_rng(0).permutation(order))
        random = cpu(lambda: [reader.frame(int(i)) for i in shuffled]) / len(order)
    c, e = ({rows: statistics.median(times) for rows, times in what.items()} for what in (cold, edited))
    print(
        f"| {width}x{height} | {c[False]:.0f} | {c[True]:.0f} | {c[True] / frame_copy:.0f} | {e[False]:.1f} | {e[True]:.1f} "
        f"| {e[True] / c[True]:.3f} | {random / sequential:.2f} |"
    )


if __name__ == "__main__":
    print(
        "| size | frame from nothing: by steps, ms CPU | by rows | in frame copies | one value dragged: by steps, ms CPU | by rows | of from nothing | proxy random / in order |"
    )
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for size in ((960, 540), (1920, 1080)):
        measure(*size)
