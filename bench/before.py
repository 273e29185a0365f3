"""The demo's shots as an earlier checkout draws them, and as this one does: `python -m bench.before FOLDER [SHOT ...]`.

Frames in order from the originals at full size, to bytes, as in renders; CPU and wall time of a process each, interleaved. What the earlier one does
not know of a document is left out of it, so give shots that it can draw. FOLDER: a checkout (git worktree); its kernels are compiled into it.
"""

from __future__ import annotations

import gc
import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median
from typing import Any

import numpy as np

FIRST, LAST, ROUNDS, CACHE_BYTES = 24, 35, 2, 512 << 20
KNOWN = ["Compass in the air", "Lamp on the sign", "Embers and mist", "Harbour by night", "Lamp eyes", "Mist behind the pilot", "Ring of charts",
         "Rope in from the blue", "Sea-glass eyes", "Sign repainted", "Wheel at speed"]  # fmt: skip


def understood(document: dict[str, Any]) -> Any:
    """The shot of a document, without what is not known here."""
    from pydantic import ValidationError

    from tropein.core.document.upgrade import load_shot

    while True:
        try:
            return load_shot(json.loads(json.dumps(document)))
        except Exception as error:
            cause: BaseException | None = error
            while cause is not None and not isinstance(cause, ValidationError):
                cause = cause.__cause__ or cause.__context__
            strange = [] if cause is None else [e["loc"] for e in cause.errors() if e["type"] == "extra_forbidden"]
            left_out = 0
            for *way, last in strange:
                there: Any = document
                for name in way:
                    there = there.get(name, there)
                left_out += there.pop(last, None) is not None
            if not left_out:
                raise


def draw(home: Path, documents: Path, name: str, out: Path) -> None:
    """In a process of either checkout: writes some frames, says CPU and wall ms a frame."""
    from tropein.core.compose.artefacts import Artefacts
    from tropein.core.compose.render import Renderer
    from tropein.core.media.record import MediaStore
    from tropein.core.media.source import Sources
    from tropein.core.raster.colour import to_display

    shot = understood(json.loads(documents.read_text())[name])
    sources, beside = Sources(MediaStore(home / "media"), final=True), Artefacts(home / "artefacts")
    try:
        from tropein.core.compose.render import of_artefacts

        renderer = of_artefacts(sources, beside, CACHE_BYTES, in_order=True)
    except ImportError:
        renderer = Renderer(sources, beside.path, CACHE_BYTES, beside.cutout)
    planner = renderer.planner(shot)
    window = planner.frame_window

    def drawn(frame: int) -> Any:
        if hasattr(renderer, "shown"):
            return renderer.shown(planner.plan(frame), window)
        picture = renderer.run(planner.plan(frame))
        return to_display(picture.pixels if picture.window == window else picture.fill(window))

    drawn(FIRST - 1)
    gc.collect()
    gc.freeze()
    cpu, wall = time.process_time(), time.perf_counter()
    frames = [drawn(frame) for frame in range(FIRST, LAST + 1)]
    count = len(frames)
    print(json.dumps([(time.process_time() - cpu) * 1e3 / count, (time.perf_counter() - wall) * 1e3 / count]))
    np.save(out, np.stack(frames[::5]))


def main(before: Path, names: list[str]) -> None:
    from demo.place import demo_place

    from tropein.app.store import shots
    from tropein.app.store.database import transaction

    here = Path(__file__).parents[1]
    print(
        "| shot | before, ms CPU / wall a frame | now | CPU ratio | wall ratio | difference in codes: mean / p99 / most |"
    )
    print("| --- | --- | --- | --- | --- | --- |")
    ratios = []
    with demo_place() as context, tempfile.TemporaryDirectory() as folder:
        with transaction(context.engine) as session:
            known = {row.name: shots.document_of(session, row) for row in shots.all_shots(session)}
        documents = Path(folder, "documents.json")
        documents.write_text(json.dumps(known))
        for name in names:
            times: dict[Path, list[list[float]]] = {before: [], here: []}
            for _ in range(ROUNDS):
                for checkout in times:
                    env = {**os.environ, "PYTHONPATH": f"{checkout}/src:{checkout}"}
                    if checkout == before:
                        env["NUMBA_CACHE_DIR"] = str(before / "numba")
                    out = Path(folder, f"{int(checkout == here)}.npy")
                    command = [
                        sys.executable,
                        __file__,
                        "--draw",
                        str(context.settings.home),
                        str(documents),
                        name,
                        str(out),
                    ]
                    made = subprocess.run(command, env=env, cwd=checkout, capture_output=True, text=True, check=True)
                    times[checkout].append(json.loads(made.stdout.splitlines()[-1]))
            then, now = ([median(values) for values in zip(*times[c], strict=True)] for c in (before, here))
            gap = np.abs(np.load(Path(folder, "0.npy")).astype(np.int16) - np.load(Path(folder, "1.npy")))
            ratios.append(then[0] / now[0])
            print(
                f"| {name} | {then[0]:.0f} / {then[1]:.0f} | {now[0]:.0f} / {now[1]:.0f} | {ratios[-1]:.2f} | {then[1] / now[1]:.2f} "
                f"| {gap.mean():.3f} / {np.percentile(gap, 99):.0f} / {gap.max()} |",
                flush=True,
            )
    print(f"Median ratio {median(ratios):.2f}, least {min(ratios):.2f}.")


if __name__ == "__main__":
    if sys.argv[1] == "--draw":
        draw(Path(sys.argv[2]), Path(sys.argv[3]), sys.argv[4], Path(sys.argv[5]))
    else:
        main(Path(sys.argv[1]).resolve(), sys.argv[2:] or KNOWN)
