"""What generated pictures and effects cost, in Gaussian blurs: `./tropein python -m bench.generated`.

G is one cv2.GaussianBlur of sigma 5 on float32 x 3 at 960x540, measured beside each; CPU time of one process, medians of rounds. Plain equivalents of
effects are timed in the same run.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.content import CONTENTS, starting
from tropein.core.document.effect import EFFECTS
from tropein.core.effects import by_points, run, sampled
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.raster.aperture import shape
from tropein.core.raster.bolts import lines
from tropein.core.raster.colour import to_display
from tropein.core.raster.grain_like import BANDS, grain_like, table_of, tile_like
from tropein.core.raster.growth import pieces, tree
from tropein.core.raster.picture import Picture, Window
from tropein.core.rows import grains, registers
from tropein.core.rows.interpret import perform
from tropein.core.rows.op import Op
from tropein.core.rows.points import Use

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
    content = {"kind": kind, **CONTENTS.of(kind).begun(start, SIZE), **starting(**values)}
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
    for kind in ("particles", "arcs", "flare", "instrument", "text", "beams"):
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


def growth() -> None:
    plane = np.ones((540, 960), np.float32)
    cost = in_gaussians(lambda: tree(plane, (480.0, 520.0), 13.0, 1))[0]
    grown = tree(plane, (480.0, 520.0), 13.0, 1)
    drawing = in_gaussians(lambda: lines(pieces(grown, grown.at, 1.5, 1.0, 0.5), 540, 960))[0]
    print(f"\nGrowth through a matte, {len(grown.at)} nodes: once {cost:.1f} G; its lines, each frame: {drawing:.2f} G")


def point_effects() -> None:
    """Effects on single pixels as rows, eight of one kind in a chain, by one: what each adds, beside the same in numpy."""
    pixels = NOISE.copy()
    pixels[..., 3] = 1
    plain = Picture(pixels, Window(0, 0, *SIZE))
    print("\n| point effect | G as a row, of one | in numpy, as whole pictures |\n| --- | --- | --- |")
    for kind in (
        "white-balance",
        "saturation",
        "channels",
        "haze",
        "threshold",
        "stepped",
        "levels",
        "two-tones",
        "hue-band",
        "bands",
        "hues",
        "picks",
        "curves",
        "grade",
        "vignette",
        "light",
        "scan-lines",
        "fill",
        "noise",
        "grain",
    ):
        given = sampled(EFFECTS.of(kind).model_validate({"kind": kind, "id": "e"}), 30)
        uses = (by_points(kind) or (lambda *_: []))(given, 1.0, plain.window)
        _row(kind, uses, plain.window, lambda given=given, kind=kind: run(kind, plain, given, 1.0))
    tile, gains = tile_like((1.0,) * BANDS, (1.0, 0.5, 0.8, 0.5, 0.2, 0.8), 1.0, 5), table_of((0.01, 0.03, 0.02))
    for name, apart in (("", False), (" of what is not opaque", True)):
        _row(
            "grain as measured" + name, [grains.alike(tile, gains, 5, 30.0)], plain.window,
            lambda: grain_like(pixels, 0, 0, tile, gains, 5, 30.0), apart,
        )  # fmt: skip


def _row(name: str, uses: Sequence[Use], window: Window, in_numpy: Callable[[], object], apart: bool = False) -> None:
    def chain(count: int) -> Callable[[], object]:
        ops = [Op(u.kernel, window, (0, int(apart), *u.ints), u.numbers, u.arrays) for u in uses] * count
        return lambda: perform([Op(registers.clear, window, (register,)) for register in (0, 1)] + ops, window)

    long, short, whole = in_gaussians(chain(9), chain(1), in_numpy)
    print(f"| {name} | {(long - short) / 8:.3f} | {whole:.2f} |")


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

    y, x = np.mgrid[0:540, 0:960].astype(np.float32)

    def noise() -> np.ndarray:
        """Noise of three octaves, from random numbers."""
        return sum(
            cv2.resize(RNG.random((540 // c, 960 // c), dtype=np.float32), SIZE, interpolation=cv2.INTER_CUBIC)
            for c in (17, 9, 4)
        )  # type: ignore[return-value]

    def shifted() -> np.ndarray:
        return cv2.remap(rgba, x + 4 * noise(), y + 2 * noise(), cv2.INTER_LINEAR)

    def bulged() -> np.ndarray:
        r = np.hypot(x - 480, y - 270) / 120
        k = np.where(r < 1, 1 - 0.35 * (1 - r * r) ** 2, 1).astype(np.float32)
        return cv2.remap(rgba, 480 + (x - 480) * k, 270 + (y - 270) * k, cv2.INTER_LINEAR)

    def torn() -> np.ndarray:
        cells = cv2.resize(RNG.random((23, 3), dtype=np.float32), SIZE, interpolation=cv2.INTER_NEAREST)
        return cv2.remap(rgba, x + 40 * cells, y, cv2.INTER_LINEAR)

    def worn() -> np.ndarray:
        return rgba * np.clip((noise() - 1.4) * 8, 0, 1)[..., None]

    def shadowed() -> np.ndarray:
        alpha = cv2.GaussianBlur(cv2.warpAffine(rgba[..., 3], np.array([[1, 0, 14.0], [0, 1, 18]]), SIZE), (0, 0), 14)
        return rgba + (alpha * (1 - rgba[..., 3]))[..., None]

    def zoomed(steps: int) -> np.ndarray:
        total = np.zeros_like(rgba)
        for k in range(steps):
            z = 1 + 0.08 * k / steps
            total += cv2.warpAffine(rgba, np.array([[z, 0, 480 * (1 - z)], [0, z, 270 * (1 - z)]]), SIZE)
        return total / steps

    def bent() -> np.ndarray:
        r2 = ((x - 480) ** 2 + (y - 270) ** 2) / np.float32(550.0**2)
        k = 1 + np.float32(0.1) * r2
        return cv2.remap(rgba, 480 + (x - 480) * k, 270 + (y - 270) * k, cv2.INTER_LINEAR)

    def rolled() -> np.ndarray:
        out = rgba.copy()
        for k in range(30):
            out[18 * k : 18 * k + 18] = np.roll(out[18 * k : 18 * k + 18], int(RNG.integers(-60, 60)), axis=1)
        return out

    disc = shape(20.0, 6, 0.5, 0.0)
    line = cv2.warpAffine(np.ones((1, 30), np.float32) / 30, np.array([[0.94, -0.34, 2], [0.34, 0.94, 3]]), (33, 17))
    pairs = {
        "defocus, radius 20": (ours("defocus", radius=20.0), "cv2.GaussianBlur of sigma 10", lambda: cv2.GaussianBlur(rgba, (0, 0), 10)),
        "defocus, again": (ours("defocus", radius=20.0, bloom=0.0), "cv2.filter2D", lambda: cv2.filter2D(rgba, -1, disc)),
        "draw out light": (ours("draw-out"), "64 cv2.warpAffine", in_steps),
        "sharpen": (ours("sharpen"), "scipy gaussian_filter", lambda: rgba + rgba - gaussian_filter(rgba, (1.5, 1.5, 0))),
        "halo": (ours("halo"), "4 cv2.GaussianBlur of a plane", lambda: [cv2.GaussianBlur(rgba[..., 3], (0, 0), s) for s in (26, 13, 6.5, 3.2)]),
        "shimmer": (ours("shimmer"), "cv2.remap by resized noise", shifted),
        "bulge": (ours("bulge", centre=(480.0, 270.0)), "numpy and cv2.remap", bulged),
        "displace": (ours("displace"), "cv2.remap by resized cells", torn),
        "wear": (ours("wear"), "numpy by resized noise", worn),
        "shadow behind": (ours("drop-shadow"), "cv2.warpAffine and GaussianBlur of a plane", shadowed),
        "blur, radius 12": (ours("blur", radius=12.0), "cv2.GaussianBlur", lambda: cv2.GaussianBlur(rgba, (0, 0), 12)),
        "smear": (ours("smear", length=30.0, angle=20.0), "cv2.filter2D with a line", lambda: cv2.filter2D(rgba, -1, line)),
        "zoom blur": (ours("zoom-blur", centre=(480.0, 270.0)), "32 cv2.warpAffine", lambda: zoomed(32)),
        "glow": (ours("glow", threshold=0.3, radius=20.0), "threshold and cv2.GaussianBlur of sigma 20", lambda: rgba + cv2.GaussianBlur(np.maximum(rgba - 0.3, 0), (0, 0), 20)),
        "turbulence": (ours("turbulence"), "cv2.remap by resized noise", shifted),
        "waves": (ours("waves"), "cv2.remap by sines", lambda: cv2.remap(rgba, x + 6 * np.sin(y / 20), y, cv2.INTER_LINEAR)),
        "lens bend": (ours("lens", bend=0.1), "cv2.remap by a radius", bent),
        "blocks": (ours("blocks", often=1.0), "numpy.roll of 30 strips", rolled),
        "channel split": (ours("split"), "3 cv2.warpAffine", lambda: cv2.merge([cv2.warpAffine(rgba[..., c], np.array([[1, 0, 4.0 * c - 4], [0, 1, 0]]), SIZE) for c in range(3)])),
        "dropouts": (ours("dropouts"), "numpy of random lines", lambda: np.where(RNG.random((540, 1, 1)) < 0.04, np.float32(1), rgba)),
        "mosaic": (ours("mosaic", size=16.0), "cv2.resize down and up", lambda: cv2.resize(cv2.resize(rgba, (60, 34), interpolation=cv2.INTER_AREA), SIZE, interpolation=cv2.INTER_NEAREST)),
        "flip": (ours("flip", across=1.0), "cv2.flip", lambda: cv2.flip(rgba, 1)),
        "crop with a soft edge": (ours("crop", left=0.1, soft=20.0), "numpy", lambda: rgba * np.clip((x - 96) / 20, 0, 1)[..., None]),
        "shake": (ours("shake", strength=8.0), "cv2.warpAffine", lambda: cv2.warpAffine(rgba, np.array([[1, 0.01, 4.0], [-0.01, 1, 3]]), SIZE, flags=cv2.INTER_CUBIC)),
        "mirror and tile": (ours("beyond"), "cv2.copyMakeBorder", lambda: cv2.copyMakeBorder(rgba, 120, 120, 120, 120, cv2.BORDER_REFLECT)),
    }  # fmt: skip
    print("\n| effect | G | against | ratio |\n| --- | --- | --- | --- |")
    for name, (mine, other, plain) in pairs.items():
        a, b = in_gaussians(mine, plain)
        print(f"| {name} | {a:.2f} | {other}: {b:.2f} | {a / b:.2f} |")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        contents(Drawing(Path(folder)))
    growth()
    effects()
    point_effects()
    sys.stdout.flush()


if __name__ == "__main__":
    main()
