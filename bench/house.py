"""Planning and editing: a shot of the demo's size, and one of 200 layers with 2000 keys.

    ./tropein python -m bench.house

Planning a frame is measured against G, one `cv2.GaussianBlur` of sigma 5 on float32x3 at 960x540 in the same run; an edit of one value against validating and comparing the whole document, as it was
done before. Times are medians of CPU time.
"""

from __future__ import annotations

import itertools
import statistics
import time
from collections.abc import Callable
from typing import Any

import cv2
import jsonpatch
import numpy as np

from tropein.core.compose.render import Renderer
from tropein.core.document.held import Held
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot

SIZE = (960, 540)
Plain = dict[str, Any]


class NoPixels:
    """Footage that is planned but never read."""

    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Any:
        raise AssertionError


def shot_of(layers: int, keys: int) -> Plain:
    """So many layers with a blur and a grade each, so many keys between them, every fifth layer cut by a shape, every tenth in a group."""
    each = max(1, keys // layers)

    def keyed(a: Any, b: Any) -> Plain:
        return {"value": a, "keys": [{"frame": 3 * i, "value": a if i % 2 else b} for i in range(each)]}

    points = [{"at": p} for p in ([200, 100], [600, 100], [600, 400], [200, 400])]
    mattes = {
        "m": {
            "id": "m",
            "name": "m",
            "pieces": {"s": {"kind": "shape", "id": "s", "name": "s", "outline": {"value": {"points": points}}}},
            "order": ["s"],
        }
    }
    made: Plain = {}
    for i in range(layers):
        made[f"l{i}"] = {
            "id": f"l{i}", "name": f"Layer {i}", "content": {"kind": "footage", "footage": "f"},
            "place": {"position": keyed([100 + i, 200], [500, 100 + i])},
            "cuts": {"c": {"id": "c", "matte": "m"}} if i % 5 == 0 else {},
            "effects": {"b": {"kind": "blur", "id": "b"}, "g": {"kind": "grade", "id": "g"}}, "chain": ["b", "g"],
        }  # fmt: skip
    stack = [f"l{i}" for i in range(layers)]
    for i in range(0, layers - 9, 10):
        made[f"g{i}"] = {
            "id": f"g{i}",
            "name": f"Group {i}",
            "content": {"kind": "group", "stack": stack[i : i + 3]},
            "place": {"position": {"value": [480, 270]}},
        }
    inside = {child for layer in made.values() for child in layer["content"].get("stack", [])}
    order = [*(i for i in made if i.startswith("g")), *(i for i in stack if i not in inside)]
    footage = {"f": {"id": "f", "name": "F", "kind": "still", "media": "0" * 32, "size": [400, 300], "alpha": True}}
    return {
        "schema_version": 3, "name": "Large", "size": list(SIZE), "rate": "24/1", "frames": 72, "trim": [0, 71], "footage": footage, "layers": made,
        "stack": order, "mattes": mattes,
    }  # fmt: skip


def median_ms(work: Callable[[], object], times: int = 15) -> float:
    work()
    taken = []
    for _ in range(times):
        begun = time.process_time()
        work()
        taken.append(1000 * (time.process_time() - begun))
    return statistics.median(taken)


def whole(plain: Plain, ops: list[Plain]) -> None:
    """An edit as it was: all of it validated, dumped and compared."""
    after = load_shot(apply_patch(load_shot(plain).model_dump(mode="json"), ops)).model_dump(mode="json")
    jsonpatch.make_patch(plain, after), jsonpatch.make_patch(after, plain)


def main() -> None:
    pixels = np.random.default_rng(0).random((540, 960, 3), np.float32)
    gaussian = median_ms(lambda: cv2.GaussianBlur(pixels, (0, 0), 5))
    print(
        f"G {gaussian:.1f} ms\n\n| shot | document | planning a frame | an edit of one value | the whole validated |\n| --- | --- | --- | --- | --- |"
    )
    for name, layers, keys in (
        ("8 layers, 40 keys", 8, 40),
        ("50 layers, 500 keys", 50, 500),
        ("200 layers, 2000 keys", 200, 2000),
    ):
        measured(name, Held.of(shot_of(layers, keys)), gaussian)


def measured(name: str, held: Held, gaussian: float) -> None:
    ops = [{"op": "replace", "path": "/layers/l1/opacity/value", "value": 0.5}]
    renderer, frames = Renderer(NoPixels(), lambda *_: None, 1 << 20), itertools.cycle(range(held.shot.frames))  # type: ignore[arg-type]
    plan = median_ms(lambda: renderer.planner(held.shot).plan(next(frames)))
    edit, old = median_ms(lambda: held.edit(ops)), median_ms(lambda: whole(held.plain, ops), 5)
    print(
        f"| {name} | {len(str(held.plain)) // 1000} KB | {plan:.1f} ms ({plan / gaussian:.2f} G) | {edit:.1f} ms | {old:.0f} ms |"
    )


if __name__ == "__main__":
    main()
