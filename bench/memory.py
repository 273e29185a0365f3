"""Peak memory of import, preview and render on a 4K shot of 300 frames and six layers, with a 1 GiB cache.

Each runs in a child process of its own, as in the application; the peak is what the kernel counted as resident.
The preview plays every frame at half size and looks at some at full size; the render writes H.264 in parts.
Run: ./tropein python -m bench.memory [FRAMES]
"""

from __future__ import annotations

import json
import multiprocessing
import resource
import sys
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
from demo.stock import brass_dial, drifting_mist, ember_sparks, lamp_flare

from bench.engine import PLATE, described
from tropein.app.live.preview import Ask, Previewer
from tropein.core.compose.loop import render_part
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.media.adhoc import borrow
from tropein.core.media.encode import MovieWriter, Target
from tropein.core.media.library import Library
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources

SIZE = (3840, 2160)
CACHE_BYTES = 1 << 30
CHUNK_FRAMES = 24
WORKER_CACHE_BYTES = 512 << 20


def plate_4k(folder: Path, frames: int) -> Path:
    """The demo plate enlarged, to and fro, until it is long enough."""
    media, record = borrow(MediaStore(folder / "small"), [PLATE])
    source = Sources(MediaStore(folder / "small"), final=True)
    path = folder / "plate-4k.mp4"
    writer = MovieWriter(path, Target("h264", Fraction(24), SIZE))
    for i in range(frames):
        turn = i % (2 * record.frames - 2)
        pixels = source.picture(media, min(turn, 2 * record.frames - 2 - turn), 0)[0].pixels
        writer.add(cv2.resize(pixels, SIZE, interpolation=cv2.INTER_LINEAR))
    writer.close()
    return path


def document(library: Library, folder: Path, frames: int) -> dict[str, Any]:
    made = {
        "plate": [plate_4k(folder, frames)], "flare": lamp_flare(folder), "dial": brass_dial(folder),
        "embers": ember_sparks(folder, 24), "mist": drifting_mist(folder),
    }  # fmt: skip
    footage = {name: described(library, name, paths) for name, paths in made.items()}

    def value(v: Any) -> dict[str, Any]:
        return {"value": v}

    def layer(name: str, x: float, y: float, scale: float, **more: Any) -> dict[str, Any]:
        place = {"position": value([x, y]), "scale": value([scale, scale])}
        return {"kind": "footage", "id": name, "name": name, "footage": name, "place": place, **more}

    layers = [
        layer("flare", 1600, 560, 2.4, blend="screen", effects=[{"kind": "glow", "id": "g", "radius": value(160)}]),
        layer("embers", 1900, 1200, 4.4, blend="add", end="loop"),
        layer("mist", 1900, 1500, 2.2, blend="screen", effects=[{"kind": "blur", "id": "b", "radius": value(20)}]),
        layer("dial", 2800, 900, 1.4),
        {"kind": "veil", "id": "veil", "name": "veil",
         "effects": [{"kind": "grade", "id": "gr", "exposure": value(-0.6), "saturation": value(0.8)}]},
        layer("plate", SIZE[0] / 2, SIZE[1] / 2, 1),
    ]  # fmt: skip
    return {
        "schema_version": 1, "name": "4K", "size": SIZE, "rate": "24/1", "frames": frames, "trim": [0, frames - 1],
        "footage": footage, "layers": {i["id"]: i for i in layers}, "stack": [i["id"] for i in layers], "plate": "plate",
    }  # fmt: skip


def play(folder: Path, shot: dict[str, Any]) -> None:
    previewer = Previewer(folder / "media", folder / "artefacts", CACHE_BYTES)
    previewer.tell("1", json.dumps(shot))
    for frame in range(shot["frames"]):
        previewer.answer(Ask("1", frame, 0.5))
        if frame % 50 == 0:
            previewer.answer(Ask("1", frame, 1.0))


def render(folder: Path, shot: dict[str, Any]) -> None:
    document = load_shot(shot)
    for first in range(0, shot["frames"], CHUNK_FRAMES):
        sources = Sources(MediaStore(folder / "media"), final=True)
        renderer = Renderer(sources, lambda name, spot: None, WORKER_CACHE_BYTES, in_order=True)
        last = min(first + CHUNK_FRAMES, shot["frames"]) - 1
        render_part(renderer, document, first, last, 1.0, "h264", folder / f"part-{first}.mp4")
        sources.close()


def peak(work: Callable[..., Any], *arguments: Any) -> tuple[float, float]:
    """(peak resident GiB, seconds) of a fresh child process, its own children included."""

    def child(pipe: Any) -> None:
        began = time.perf_counter()
        work(*arguments)
        kib = max(resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
        pipe.send((kib / 2**20, time.perf_counter() - began))

    here, there = multiprocessing.Pipe()
    process = multiprocessing.get_context("fork").Process(target=child, args=(there,))
    process.start()
    process.join()
    if process.exitcode:
        sys.exit(f"{work.__name__} failed")
    return here.recv()


def import_and_save(folder: Path, frames: int) -> None:
    shot = document(Library(folder / "media"), folder, frames)
    (folder / "shot.json").write_text(json.dumps(shot))


def main() -> None:
    frames = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    print(f"| {SIZE[0]}x{SIZE[1]}, {frames} frames, 6 layers | peak resident, GiB | seconds |\n| --- | --- | --- |")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        gib, seconds = peak(import_and_save, folder, frames)
        print(f"| make the clip and import it | {gib:.2f} | {seconds:.0f} |", flush=True)
        shot = json.loads((folder / "shot.json").read_text())
        for title, work in (("preview (server's child)", play), ("render (worker)", render)):
            gib, seconds = peak(work, folder, shot)
            print(f"| {title} | {gib:.2f} | {seconds:.0f} |", flush=True)


if __name__ == "__main__":
    main()
