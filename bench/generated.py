"""What generated pictures and effects cost, in Gaussian blurs: `./tropein python -m bench.generated`.

G is one cv2.GaussianBlur of sigma 5 on float32 x 3 at 960x540, measured beside each; CPU time of one process, medians of rounds. Plain equivalents of
effects are timed in the same run.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.content import CONTENTS
from tropein.core.document.effect import EFFECTS
from tropein.core.effects import run, sampled
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.raster.aperture import shape
from tropein.core.raster.colour import to_display
from tropein.core.raster.picture import Picture, Window

SIZE, ROUNDS = (960, 540), 5
RNG = np.random.default_rng(1)
NOISE = RNG.random((540, 960, 4), dtype=np.float32)
MANY = {"source": (480.0, 270.0), "area": (900.0, 500.0), "deep": 600.0, "life": 2.0, "life_varies": 0.0, "speed": 200.0, "fan": 360.0, "drag": 1.0, "fall": 0.0, "breakup": 0.0, "opening": 0.0}  # fmt: skip


def cpu(work: Callable[[], object]) -> float:
    began = time.process_time()
    work()
    return time.process_time() - began


def in_gaussians(*works: Callable[[], object]) -> list[float]:
    """CPU of each by that of the blur beside it: medians."""
    rgb = np.ascontiguousarray(NOISE[..., :3])
    for work in works:
        work()
    rounds = []
    for _ in range(ROUNDS):
        g = cpu(lambda: cv2.GaussianBlur(rgb, (0, 0), 5))
        rounds.append([cpu(work) / g for work in works])
    return [median(column) for column in zip(*rounds, strict=True)]


def shot_of(kind: str, start: str = "", **values: Any) -> Shot:
    content = {"kind": kind, **CONTENTS.of(kind).begun(start, SIZE), **{k: {"value": v} for k, v in values.items()}}
    layer = {"id": "it", "name": "It", "content": content, "place": {"position": {"value": (SIZE[0] / 2, SIZE[1] / 2)}}}
    facts = {"name": "It", "size": SIZE, "rate": "24/1", "frames": 2000, "trim": (0, 1999)}
    return Shot.model_validate({**facts, "layers": {"it": layer}, "stack": ["it"]})


class Drawing:
    def __init__(self, folder: Path) -> None:
        self.store = MediaStore(folder)

    def __call__(self, shot: Shot, frame: int, scale: float = 1.0) -> np.ndarray:
        """Planned and made with nothing kept."""
        renderer = Renderer(Sources(self.store, final=True), lambda *_: None, 1 << 20)  # type: ignore[arg-type]
        planner = renderer.planner(shot, scale)
        return renderer.run(planner.plan(frame)).fill(planner.frame_window)


def contents(drawn: Drawing) -> None:
    print("| made | G, planning with it | half size: mean display error | light |")
    print("| --- | --- | --- | --- |")
    for kind in ("particles", "arcs", "flare", "instrument"):
        for start in CONTENTS.of(kind).starts:
            shot = shot_of(kind, start)
            cost = in_gaussians(lambda shot=shot: drawn(shot, 60))[0]
            whole, half = drawn(shot, 60), drawn(shot, 60, 0.5)
            small = cv2.resize(whole, (480, 270), interpolation=cv2.INTER_AREA)
            off = np.abs(to_display(half, np.uint16).astype(float) - to_display(small, np.uint16)).mean() / 65535
            light = half[..., :3].sum() * 4 / whole[..., :3].sum()
            print(f"| {kind}: {start} | {cost:.2f} | {off:.4f} | {light:.3f} |")
    print("\n| particles | frame 30, G | frame 900, G |\n| --- | --- | --- |")
    for name, more in (
        ("10,000 of radius 4", {"rate": 5000.0, "radius": 4.0, "turbulence": 0.0}),
        ("10,000 of radius 4, in turbulence", {"rate": 5000.0, "radius": 4.0, "turbulence": 80.0}),
        ("100,000 of radius 0.8", {"rate": 50000.0, "radius": 0.8, "turbulence": 0.0}),
    ):
        shot = shot_of("particles", **MANY | more)
        early, late = in_gaussians(lambda shot=shot: drawn(shot, 30), lambda shot=shot: drawn(shot, 900))
        print(f"| {name} | {early:.2f} | {late:.2f} |")


def effects() -> None:
    pixels = NOISE.copy()
    pixels[..., 3] = 1
    picture, rgba = Picture(pixels, Window(0, 0, *SIZE)), np.ascontiguousarray(pixels)

    def ours(kind: str, **values: Any) -> Callable[[], object]:
        effect = EFFECTS.of(kind).model_validate(
            {"kind": kind, "id": "e", **{k: {"value": v} for k, v in values.items()}}
        )
        given = sampled(effect, 30)
        return lambda: run(kind, picture, given, 1.0)

    def in_steps() -> np.ndarray:
        """Light drawn out in 64 warps."""
        total = np.zeros_like(rgba)
        for k in range(64):
            s = 2.5 ** (k / 63)
            total += cv2.warpAffine(rgba, np.array([[s, 0, 480 * (1 - s)], [0, s, 270 * (1 - s)]]), SIZE)
        return total / 64

    disc = shape(20.0, 6, 0.5, 0.0)
    pairs = {
        "defocus, radius 20": (ours("defocus", radius=20.0), "cv2.GaussianBlur of sigma 10", lambda: cv2.GaussianBlur(rgba, (0, 0), 10)),
        "defocus, again": (ours("defocus", radius=20.0, bloom=0.0), "cv2.filter2D", lambda: cv2.filter2D(rgba, -1, disc)),
        "draw out light": (ours("draw-out"), "64 cv2.warpAffine", in_steps),
        "sharpen": (ours("sharpen"), "scipy gaussian_filter", lambda: rgba + rgba - gaussian_filter(rgba, (1.5, 1.5, 0))),
        "halo": (ours("halo"), "4 cv2.GaussianBlur of a plane", lambda: [cv2.GaussianBlur(rgba[..., 3], (0, 0), s) for s in (26, 13, 6.5, 3.2)]),
    }  # fmt: skip
    print("\n| effect | G | against | ratio |\n| --- | --- | --- | --- |")
    for name, (mine, other, plain) in pairs.items():
        a, b = in_gaussians(mine, plain)
        print(f"| {name} | {a:.2f} | {other}: {b:.2f} | {a / b:.2f} |")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        contents(Drawing(Path(folder)))
    effects()
    sys.stdout.flush()


if __name__ == "__main__":
    main()
