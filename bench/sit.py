"""Whether the sit check finds planted faults, and is silent about pieces of a plate laid back on themselves:
`./tropein python -m bench.sit [MEASURE...] [FILM...]`.

Twelve placements on six plates: an ellipse of the plate's own footage, laid where it was taken from. Each fault is planted at about twice the limit of what
shows. Of films of one's own two places each. Nothing here was used for setting limits but what docs/performance.md says.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.match.sit import in_order, sit
from tropein.core.media.adhoc import borrow
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources

PLATES = Path(__file__).parents[1] / "demo/plates"
# name of a plate, where (x, y), how large (radii), from which frame on; in a frame of 960x540
PLACES: list[tuple[str, tuple[float, float], tuple[float, float], int]] = [
    ("quay", (300, 300), (110, 80), 10), ("quay", (640, 260), (90, 110), 30), ("pilot", (420, 250), (100, 120), 10), ("pilot", (700, 380), (110, 80), 40),
    ("harbour", (250, 380), (120, 70), 10), ("harbour", (620, 330), (110, 90), 30), ("swipe", (350, 300), (110, 90), 10), ("swipe", (640, 240), (100, 90), 30),
    ("spinner", (480, 300), (110, 90), 10), ("spinner", (260, 260), (90, 80), 30), ("caster", (480, 280), (100, 120), 5), ("caster", (500, 380), (110, 80), 12),
]  # fmt: skip
ANYWHERE: list[tuple[tuple[float, float], tuple[float, float], int]] = [
    ((300, 300), (110, 80), 10),
    ((640, 260), (100, 90), 30),
]
FRAMES = 12
LOOKS = 5


def piece(media: str, size: tuple[int, int], frames: int, at: tuple[float, float], radii: tuple[float, float], first: int) -> dict[str, Any]:  # fmt: skip
    k = size[0] / 960
    points = [
        {"at": [k * (at[0] + radii[0] * np.cos(a)), k * (at[1] + radii[1] * np.sin(a))]}
        for a in np.linspace(0, 2 * np.pi, 24, endpoint=False)
    ]
    shape = {
        "kind": "shape",
        "id": "s",
        "name": "S",
        "outline": {"value": {"points": points}},
        "soften": {"value": 0.8},
    }
    middle = [size[0] / 2, size[1] / 2]

    def layer(name: str, **more: Any) -> dict[str, Any]:
        return {
            "id": name,
            "name": name,
            "content": {"kind": "footage", "footage": "clip"},
            "place": {"position": {"value": middle}},
            **more,
        }

    clip = {
        "id": "clip",
        "name": "Clip",
        "kind": "clip",
        "media": media,
        "size": list(size),
        "rate": "24/1",
        "frames": frames,
    }
    return {
        "schema_version": 4, "name": "Piece", "size": list(size), "rate": "24/1", "frames": frames, "trim": [first, min(first + FRAMES, frames - 1)],
        "footage": {"clip": clip}, "layers": {"over": layer("over", cuts={"c": {"id": "c", "matte": "m"}}), "plate": layer("plate")},
        "stack": ["over", "plate"], "plate": "plate", "mattes": {"m": {"id": "m", "name": "M", "pieces": {"s": shape}, "order": ["s"]}},
    }  # fmt: skip


def with_effect(document: dict[str, Any], kind: str, **values: Any) -> None:
    over = document["layers"]["over"]
    over.setdefault("effects", {})[kind] = {"kind": kind, "id": kind, **{n: v if isinstance(v, dict) else {"value": v} for n, v in values.items()}}  # fmt: skip
    over.setdefault("chain", []).append(kind)


def keyed(frames: range, value: Any) -> dict[str, Any]:
    keys = [{"frame": f, "value": value(f), "ease": "linear"} for f in frames]
    return {"value": keys[0]["value"], "keys": keys}


def plant(fault: str, document: dict[str, Any]) -> None:
    """One fault of a kind."""
    first, last = document["trim"]
    frames, over = range(max(0, first - 4), last + 5), document["layers"]["over"]
    rng = np.random.default_rng(5)
    if fault == "grain":
        with_effect(document, "grain", amount=0.02, size=0.7, tones=0.0, seed=3.0)
    elif fault == "sharpness":
        with_effect(document, "blur", radius=2.0)
    elif fault == "levels":
        with_effect(document, "levels", black_out=0.0, black=0.3, white=0.8, white_out=1.0)
    elif fault == "follows":
        with_effect(document, "grade", exposure=keyed(frames, lambda f: 0.8 * (f - first) / (last - first)))
    elif fault == "edge":
        with_effect(document, "grade", exposure=0.7)
        with_effect(document, "blur", radius=1.8)
        plate = document["layers"]["plate"]
        plate["effects"], plate["chain"] = {"b": {"kind": "blur", "id": "b", "radius": {"value": 1.8}}}, ["b"]
        document["mattes"]["m"]["pieces"]["s"]["soften"] = {"value": 0.2}
    elif fault == "jitter":
        x, y = over["place"]["position"]["value"]
        off = rng.normal(0, 0.8, (len(frames), 2))
        over["place"]["position"] = keyed(frames, lambda f: [x + off[f - frames[0], 0], y + off[f - frames[0], 1]])
    elif fault == "flicker":
        shape = document["mattes"]["m"]["pieces"]["s"]
        off = rng.normal(0, 1.0, len(frames))
        shape["grow"] = keyed(frames, lambda f: float(off[f - frames[0]]))
    elif fault == "rim":
        edge = {"kind": "edge", "id": "edge", "width": {"value": 4.0}, "exposure": {"value": 1.2}}
        over["meets"], over["meeting"] = {"edge": edge}, ["edge"]
    elif fault == "motion-blur":
        x, y = over["place"]["position"]["value"]
        over["place"]["position"] = keyed(frames, lambda f: [x + 6 * (f - first), y])


FAULTS = ["grain", "sharpness", "levels", "follows", "edge", "jitter", "flicker", "rim", "motion-blur"]


def main() -> None:
    out: dict[str, list[tuple[str, float]]] = {m: [] for m in in_order()}
    found: dict[str, list[tuple[str, float]]] = {m: [] for m in FAULTS}
    spent: list[float] = []
    films = [Path(a) for a in sys.argv[1:] if Path(a).is_file()]
    only = [a for a in sys.argv[1:] if Path(a) not in films]
    places = [(PLATES / f"{name}.mp4", at, radii, first) for name, at, radii, first in PLACES]
    places = [(film, *where) for film in films for where in ANYWHERE] or places
    for film, at, radii, first in places:
        with tempfile.TemporaryDirectory() as folder:
            store = MediaStore(Path(folder))
            media, record = borrow(store, [film])
            renderer = Renderer(Sources(store, final=True), lambda samples, spot: None, 1 << 30)

            def shot_with(fault: str | None) -> Shot:
                document = piece(media, record.size, record.frames, at, radii, first)  # noqa: B023
                if fault is not None:
                    plant(fault, document)
                return load_shot(document)

            plain = shot_with(None)
            for measure in [m for m in in_order() if not only or m in only]:
                began = time.process_time()
                sat = sit(renderer, plain, "over", measure, LOOKS)
                spent.append(time.process_time() - began)
                state = "alarm" if sat.visible else "quiet" if sat.judged else "cannot"
                out[measure].append((state, sat.times * sat.limit))
            for fault in [f for f in FAULTS if not only or f in only]:
                sat = sit(renderer, shot_with(fault), "over", fault, LOOKS)
                found[fault].append(
                    ("found" if sat.visible else "missed" if sat.judged else "cannot", sat.times * sat.limit)
                )
            sys.stderr.write(f"{film.stem} {at}\n")
    sys.stdout.write("| measure | false alarms | cannot judge | planted: found | missed | cannot | quiet values | planted values |\n| --- | --- | --- | --- | --- | --- | --- | --- |\n")  # fmt: skip
    for measure in in_order():
        quiet, planted = out[measure], found.get(measure, [])
        count = [sum(s == k for s, _ in quiet) for k in ("alarm", "cannot")] + [sum(s == k for s, _ in planted) for k in ("found", "missed", "cannot")]  # fmt: skip
        values = [" ".join(f"{v:.2f}" if s != "cannot" else "-" for s, v in some) for some in (quiet, planted)]
        sys.stdout.write(f"| {measure} | {' | '.join(map(str, count))} | {values[0]} | {values[1]} |\n")
    sys.stdout.write(
        f"\nA measure over {LOOKS} frames: {np.median(spent):.2f} s CPU in the middle, {max(spent):.2f} s at most.\n"
    )


if __name__ == "__main__":
    main()
