"""Makes the plates again: ``python -m demo.plates.render quay --out folder``.

Needs more than set-up installs (see README.md beside this file). A frame takes 5 to 12 s on two cores. Frames already in
the folder are kept, so a render that was stopped goes on where it stopped; ``--frames 0-5`` renders a few at a time."""

from __future__ import annotations

import argparse
import json
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from demo.plates import film, puppet, roofs, swipe, workbench, yard
from demo.plates.tracing import Shot, Tracer

AXES = "OpenCV camera (x right, y down, z forward); world z up; pixel (0, 0) is the corner of the top left pixel"


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("plate", choices=("quay", "pilot", "caster", "spinner", "harbour", "swipe"))
    options.add_argument("--out", type=Path, required=True)
    options.add_argument("--size", default="960x540")
    options.add_argument("--frames", help="first-last; all by default")
    options.add_argument("--samples", type=int, default=3, help="rays a pixel for each part of the shutter")
    chosen = options.parse_args()
    width, height = (int(side) for side in chosen.size.split("x"))
    chosen.out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        if chosen.plate == "quay":
            _quay(chosen, workbench.shot(width, height), Path(folder))
        elif chosen.plate == "spinner":
            _spinner(chosen, yard.shot(width, height), Path(folder))
        elif chosen.plate == "swipe":
            _swipe(chosen, swipe.shot(width, height), Path(folder))
        elif chosen.plate == "harbour":
            _harbour(chosen, width, height, Path(folder))
        else:
            acting = puppet.CASTER if chosen.plate == "caster" else puppet.PILOT
            _puppet(chosen, acting, puppet.shot(acting, width, height), Path(folder))


def _quay(chosen: Any, shot: Shot, folder: Path) -> None:
    tracer, scene = Tracer(shot, chosen.samples, 4, 5), workbench.scene(folder)
    _frames(chosen, workbench.FRAMES, lambda frame: tracer.picture(frame, lambda _: scene))
    _finish(chosen, shot, workbench.FRAMES, workbench.truth(shot), seed=1000)


def _spinner(chosen: Any, shot: Shot, folder: Path) -> None:
    tracer, scenes = Tracer(shot, chosen.samples, 4, 5), yard.scenes(folder)
    _frames(chosen, yard.FRAMES, lambda frame: tracer.picture(frame, scenes))
    _finish(chosen, shot, yard.FRAMES, yard.truth(shot), seed=3000)


def _swipe(chosen: Any, shot: Shot, folder: Path) -> None:
    tracer, scenes = Tracer(shot, chosen.samples, 4, 5), swipe.scenes(folder)
    _frames(chosen, swipe.FRAMES, lambda frame: tracer.picture(frame, scenes))
    _finish(chosen, shot, swipe.FRAMES, swipe.truth(shot), seed=5000)


def _harbour(chosen: Any, width: int, height: int, folder: Path) -> None:
    shot = roofs.wide(width, height)
    tracer, town = Tracer(shot, chosen.samples * 4, 4, 5), roofs.scene(folder)
    picture = tracer.picture(0, lambda _: town)
    solid = tracer.coverage(0, lambda _: roofs.scene(folder, sky=False))
    sky = 1 - roofs.seen(solid, 0, shot, width, height)
    cv2.imwrite(str(chosen.out / "harbour.sky_0000.png"), (np.clip(sky, 0, 1) * 65535 + 0.5).astype(np.uint16))
    _frames(chosen, roofs.FRAMES, lambda frame: roofs.seen(picture, frame, shot, width, height))
    narrower = Shot(
        width, height, 2 * np.degrees(np.arctan(width / 2 / shot.focal)), 0, shot.world_to_camera, shot.focus
    )
    _finish(chosen, narrower, roofs.FRAMES, roofs.truth(shot, width, height), seed=4000)


def _puppet(chosen: Any, acting: puppet.Acting, shot: Shot, folder: Path) -> None:
    tracer, actor = Tracer(shot, chosen.samples, 6 if acting.screen else 4, 4), puppet.Puppet(acting, folder)

    def picture(frame: int) -> Any:
        if acting.screen:
            alpha = tracer.coverage(frame, lambda moment: actor.scene(moment, screen=False))
            cv2.imwrite(
                str(chosen.out / f"{chosen.plate}.alpha_{frame:04d}.png"), (alpha * 65535 + 0.5).astype(np.uint16)
            )
        return tracer.picture(frame, actor.scene)

    _frames(chosen, acting.frames, picture)
    _finish(chosen, shot, acting.frames, puppet.truth(acting, shot), seed=2000)


def _frames(chosen: Any, count: int, picture: Callable[[int], Any]) -> None:
    first, last = (int(f) for f in chosen.frames.split("-")) if chosen.frames else (0, count - 1)
    for frame in range(first, last + 1):
        path = chosen.out / f"{chosen.plate}_{frame:04d}.npy"
        if not path.exists():
            np.save(path, picture(frame).astype(np.float16))
            print(f"{chosen.plate} {frame}", flush=True)


def _finish(chosen: Any, shot: Shot, count: int, truth: dict[str, Any], seed: int) -> None:
    """The truth, and once all frames are there the film."""
    camera = {"units": "cm", "axes": AXES, "width": shot.width, "height": shot.height, "fps": 24, "shutter_deg": 180}
    optics = {"fx": shot.focal, "fy": shot.focal, "cx": shot.width / 2, "cy": shot.height / 2}
    (chosen.out / f"{chosen.plate}.truth.json").write_text(json.dumps(camera | optics | truth))
    paths = [chosen.out / f"{chosen.plate}_{frame:04d}.npy" for frame in range(count)]
    if all(path.exists() for path in paths):
        developed = (film.developed(np.load(path).astype(np.float32), seed + i, 1.0) for i, path in enumerate(paths))
        film.encode(developed, chosen.out / f"{chosen.plate}.mp4")


if __name__ == "__main__":
    main()
