"""What scopes cost against numpy's counting in two dimensions: `./tropein python -m bench.scopes`. CPU time, medians; G as in bench.generated."""

from __future__ import annotations

import sys

import numpy as np

from bench.generated import in_gaussians
from tropein.core.match.scopes import HEIGHT, WIDTH, counted, drawn, luma_of

CODES = np.random.default_rng(1).integers(0, 256, (540, 960, 3), dtype=np.uint8)
ALL = np.ones((540, 960), bool)
COLUMNS = np.tile(np.arange(960), 540)


def by_column() -> np.ndarray:
    return np.histogram2d(luma_of(CODES).ravel(), COLUMNS, bins=(HEIGHT, WIDTH))[0]


def three_by_column() -> list[np.ndarray]:
    return [np.histogram2d(CODES[..., c].ravel(), COLUMNS, bins=(HEIGHT, WIDTH // 3))[0] for c in range(3)]


def on_plane() -> np.ndarray:
    light = np.where(CODES <= 10, CODES / 3294.6, ((CODES / 255 + 0.055) / 1.055) ** 2.4)
    cones = np.cbrt(light @ np.array([[0.4122, 0.2119, 0.0883], [0.5363, 0.6807, 0.2817], [0.0514, 0.1074, 0.63]]))
    lab = cones @ np.array([[1.978, 0.0259], [-2.4286, 0.7828], [0.4506, -0.8087]])
    return np.histogram2d(lab[..., 0].ravel(), lab[..., 1].ravel(), bins=HEIGHT)[0]


def main() -> None:
    sys.stdout.write(
        "| scope, 960x540 | counting, G | numpy.histogram2d, G | ratio | with its picture, G |\n| --- | --- | --- | --- | --- |\n"
    )
    for kind, plain in (("brightness", by_column), ("channels", three_by_column), ("colours", on_plane)):
        side = (HEIGHT, HEIGHT) if kind == "colours" else (WIDTH, HEIGHT)
        ours, other, all_of_it = in_gaussians(
            lambda kind=kind, side=side: counted(kind, CODES, ALL, side), plain, lambda kind=kind: drawn(kind, CODES)
        )
        sys.stdout.write(f"| {kind} | {ours:.2f} | {other:.2f} | {other / ours:.1f} | {all_of_it:.2f} |\n")


if __name__ == "__main__":
    main()
