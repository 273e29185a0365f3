"""What a frame of a render costs on its way into a file: `./tropein python -m bench.files`. CPU ms a picture, medians; 960x540, with grain
and soft edges, so that no encoder has it easy. Beside the codes the same by numpy, as whole pictures."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tropein.core.media.encode import MOVIES, SUFFIX, Format, MovieWriter, Target, write_picture
from tropein.core.raster.colour import to_display
from tropein.core.raster.picture import Pixels
from tropein.core.raster.written import codes16, halves

SIZE, PICTURES, ROUNDS = (960, 540), 8, 5


def picture(seed: int) -> Pixels:
    """Linear, premultiplied: soft light, grain, and coverage that falls off towards the sides."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    light = 0.2 + 0.15 * np.sin(x / 90 + seed) + 0.1 * np.cos(y / 70)
    colour = light[..., None] * np.array([1, 0.8, 0.6]) + np.random.default_rng(seed).normal(0, 0.01, (h, w, 3))
    cover = np.clip((w / 2 - np.abs(x - w / 2)) / 200, 0, 1)[..., None]
    return np.concatenate([np.clip(colour, 0, None) * cover, cover], 2).astype(np.float32)


def cpu_ms(work: Callable[[], object]) -> float:
    work()
    times = []
    for _ in range(ROUNDS):
        began = time.process_time()
        work()
        times.append((time.process_time() - began) * 1e3 / PICTURES)
    return statistics.median(times)


def numpy_codes(pixels: Pixels) -> NDArray[np.uint16]:
    straight = pixels[..., :3] / np.maximum(pixels[..., 3:], 1e-5)
    coded = np.where(straight <= 0.0031308, straight * 12.92, 1.055 * np.maximum(straight, 0) ** (1 / 2.4) - 0.055)
    return np.rint(np.clip(np.concatenate([coded, pixels[..., 3:]], 2), 0, 1) * 65535).astype(np.uint16)


def numpy_halves(pixels: Pixels) -> NDArray[np.float16]:
    return np.moveaxis(np.clip(pixels, 0, 65504).astype(np.float16), 2, 0).copy()


def written(form: Format, pictures: list[Pixels], folder: Path) -> None:
    if form not in MOVIES:
        for i, pixels in enumerate(pictures):
            write_picture(folder / f"{i}{SUFFIX[form]}", pixels, form)
        return
    writer = MovieWriter(folder / f"film{SUFFIX[form]}", Target(form, Fraction(24), SIZE))
    for pixels in pictures:
        writer.add(pixels)
    writer.close()


def main() -> None:
    pictures = [picture(i) for i in range(PICTURES)]
    codes: dict[Format, tuple[Callable[[Pixels], object], Callable[[Pixels], object]]] = {
        "h264": (to_display, lambda p: numpy_codes(p) >> 8),
        "prores4444": (codes16, numpy_codes),
        "png": (codes16, numpy_codes),
        "exr": (halves, numpy_halves),
    }
    sys.stdout.write("| file | codes, ms | the same by numpy, ms | the whole of it, ms |\n| --- | --- | --- | --- |\n")
    with tempfile.TemporaryDirectory() as folder:
        for form, (ours, plain) in codes.items():
            made, other = (cpu_ms(lambda f=f: [f(p) for p in pictures]) for f in (ours, plain))  # type: ignore[misc]
            whole = cpu_ms(lambda form=form: written(form, pictures, Path(folder)))  # type: ignore[misc]
            sys.stdout.write(f"| {form} | {made:.1f} | {other:.1f} | {whole:.0f} |\n")


if __name__ == "__main__":
    main()
