"""Hairs of a cut-out against known coverage: the rendered caster (its true coverage ships), laid over photographs that slide, and cut out
again by strokes on the first frame; with the outline's own edge, with its hairs told by colour, and by the library's closed form alone on
the same band.

The reach is 40 pixels for all. Fresh photographs are those nothing was set on. Run: ./tropein python -m bench.fine_edges
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from pymatting import estimate_alpha_cf
from skimage import data

from bench.cutouts import strokes_for
from bench.objects import ObjectScene
from tropein.core.matte import fine
from tropein.core.matte.chroma import Keying, unmixed
from tropein.core.matte.screen import find
from tropein.core.media.clip import ClipReader
from tropein.core.media.probe import probe
from tropein.core.pieces.carry import Carry, carry
from tropein.core.raster.colour import DISPLAY, WORKING, convert, to_display

PLATES = Path(__file__).parents[1] / "demo/plates"
COUNT, REACH = 10, 40.0
SET_ON = {"coffee": data.coffee, "cat": data.chelsea, "rocket": data.rocket, "astronaut": data.astronaut}
FRESH = {
    "retina": data.retina,
    "colour wheel": data.colorwheel,
    "tissue": data.immunohistochemistry,
    "motorcycle": lambda: data.stereo_motorcycle()[0],
}


@dataclass(frozen=True)
class Before(ObjectScene):
    """The caster before a photograph."""

    @property
    def size(self) -> tuple[int, int]:
        return self.pictures[0].shape[1], self.pictures[0].shape[0]


def subject() -> tuple[list[NDArray[np.float32]], list[NDArray[np.float32]]]:
    """Premultiplied light and true coverage of the caster's frames."""
    path = PLATES / "caster.mp4"
    reader = ClipReader(path, probe([path]))
    lights, alphas = [], []
    for i in range(COUNT):
        alpha = cv2.imread(str(PLATES / f"caster.alpha_{i:04d}.png"), cv2.IMREAD_UNCHANGED) / np.float32(65535)
        picture = np.ascontiguousarray(reader.frame(i)[..., :3])
        screen = find(picture, None, 1.0)
        assert screen is not None
        lights.append(unmixed(picture, screen, alpha, Keying())[..., :3] * alpha[..., None])
        alphas.append(alpha)
    reader.close()
    return lights, alphas


def before(photo: NDArray[np.uint8], lights: list[NDArray[np.float32]], alphas: list[NDArray[np.float32]]) -> Before:
    h, w = alphas[0].shape
    k = max((w + 4 * COUNT) / photo.shape[1], h / photo.shape[0])
    wall = cv2.resize(photo, None, fx=k, fy=k, interpolation=cv2.INTER_AREA if k < 1 else cv2.INTER_CUBIC)
    rng, pictures = np.random.default_rng(7), []
    for i, (light, alpha) in enumerate(zip(lights, alphas, strict=True)):
        part = np.ascontiguousarray(wall[:h, 3 * i : 3 * i + w, :3].astype(np.float32) / 255)
        both = light + (1 - alpha[..., None]) * convert(part, DISPLAY, WORKING)
        shown = to_display(np.dstack([both, np.ones_like(alpha)])).astype(np.float32)
        pictures.append(np.clip(shown + rng.normal(0, 1.5, shown.shape), 0, 255).astype(np.uint8))
    return Before(pictures, np.zeros((COUNT, 5)), np.zeros(COUNT), alphas)


def by_library(picture: NDArray[np.uint8], edge: NDArray[np.float32]) -> NDArray[np.float32]:
    """The library's own closed form on the same band."""
    solid = edge > 0.5
    trimap = np.where(fine.band(solid, REACH), 0.5, np.where(solid, 1.0, 0.0))
    return np.float32(estimate_alpha_cf(picture.astype(np.float64) / 255, trimap))


def main() -> None:
    lights, alphas = subject()
    print("| before | outline alone: error x1000 | flicker x1000 | ours: error | flicker | closed form alone: error | flicker | ours ms a frame | closed form |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    for name, photo in {**SET_ON, **{f"{n}, fresh": p for n, p in FRESH.items()}}.items():
        scene = before(photo(), lights, alphas)
        got = carry(Carry(scene.rgb, scene.size, (0, COUNT - 1), {0: strokes_for(scene)}))
        edges = [got[i].astype(np.float32) / 255 for i in range(COUNT)]
        bands = [cv2.dilate(np.uint8((a > 0.01) & (a < 0.99)), np.ones((9, 9), np.uint8)).astype(bool) for a in alphas]
        rows = []
        for method in (lambda p, e: e, lambda p, e: fine.fine(p, e, REACH), by_library):
            began = time.perf_counter()
            made = [method(scene.rgb(i), edges[i]) for i in range(COUNT)]
            ms = (time.perf_counter() - began) / COUNT * 1e3
            off = [m - a for m, a in zip(made, alphas, strict=True)]
            error = np.mean([(o[b] ** 2).mean() for o, b in zip(off, bands, strict=True)])
            flicker = np.mean(
                [np.abs(n - o)[b | c].mean() for o, n, b, c in zip(off, off[1:], bands, bands[1:], strict=False)]
            )
            rows.append((error * 1e3, flicker * 1e3, ms))
        plain, ours, library = rows
        print(f"| {name} | {plain[0]:.1f} | {plain[1]:.0f} | {ours[0]:.1f} | {ours[1]:.0f} | {library[0]:.1f} | {library[1]:.0f} | {ours[2]:.0f} | {library[2]:.0f} |", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
