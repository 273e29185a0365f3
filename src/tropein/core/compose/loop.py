"""The render loop: a range of frames into a movie part or picture files."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np

from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.files import whole
from tropein.core.media.encode import MOVIES, Format, MovieWriter, Target, write_coverage, write_picture
from tropein.core.media.record import MediaStore
from tropein.core.raster.colour import DISPLAY, WORKING, convert
from tropein.core.raster.coverage import Plane
from tropein.core.raster.picture import Pixels


def target_of(shot: Shot, scale: float, form: Format) -> Target:
    w, h = shot.size
    return Target(form, Fraction(shot.rate), (max(1, round(w * scale)), max(1, round(h * scale))))


def render_part(
    renderer: Renderer, shot: Shot, first: int, last: int, scale: float, form: Format, path: Path,
    tick: Callable[[int], None] = lambda frame: None, matte: str | None = None, again: bool = True,
) -> None:  # fmt: skip
    """Frames first..last (both included) into one movie file, which gets its name only when whole, or into picture files
    when `path` holds a %04d; with `again` false, pictures that are there are left as they are. `tick(frame)` is called after
    each and may raise to stop. With `matte` (its id) only that matte's coverage is written: as grey in films, as 16-bit grey PNG
    with its values as they are, as equal channels in EXR."""
    planner = renderer.planner(shot, scale, "final")
    window = planner.frame_window

    def pixels_of(frame: int) -> Pixels:
        if matte is None:
            return np.ascontiguousarray(renderer.run(planner.plan(frame)).fill(window))
        return _grey(renderer.run(planner.matte(matte, frame)).plane, as_codes=form != "exr")

    if form in MOVIES:
        with whole(path) as hidden, MovieWriter(hidden, target_of(shot, scale, form)) as writer:
            for frame in range(first, last + 1):
                if form == "h264" and matte is None:
                    writer.add_shown(renderer.shown(planner.plan(frame), window))
                else:
                    writer.add(pixels_of(frame))
                tick(frame)
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    for frame in range(first, last + 1):
        picture = Path(str(path) % frame)
        if again or not picture.exists():
            if matte is not None and form == "png":
                write_coverage(picture, renderer.run(planner.matte(matte, frame)).plane)
            else:
                write_picture(picture, pixels_of(frame), form)
        tick(frame)


def _grey(plane: Plane, as_codes: bool) -> Pixels:
    """Coverage as an opaque picture whose display codes, or linear values, are the coverage."""
    grey = np.repeat(plane[..., None], 3, 2).astype(np.float32)
    if as_codes:
        grey = convert(np.ascontiguousarray(grey), DISPLAY, WORKING)
    return np.ascontiguousarray(np.dstack([grey, np.ones_like(plane)]), np.float32)


def plate_sound(shot: Shot, store: MediaStore, first: int) -> tuple[Path | None, float]:
    """(WAV of the plate's sound or None, the second at which shot frame `first` lies in it)."""
    layer = shot.layers.get(shot.plate or "")
    if layer is None or layer.footage is None or not shot.footage[layer.footage].sound:
        return None, 0.0
    path = store.folder(shot.footage[layer.footage].media) / "sound.wav"
    return (path if path.exists() else None), float(Fraction(first - layer.time.start) / Fraction(shot.rate))
