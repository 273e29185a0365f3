"""Taking media in: probe, proxies, poster, film strip, sound. Runs in a limited child process (see sandbox)."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from tropein.core.errors import MediaError
from tropein.core.media import sound
from tropein.core.media.clip import ClipReader
from tropein.core.media.probe import natural, probe
from tropein.core.media.proxy import FULL_SIZE_PIXELS, ProxyWriter, reduced
from tropein.core.media.record import MediaRecord, write_record
from tropein.core.media.source import read_still
from tropein.core.raster.colour import to_display
from tropein.core.raster.picture import Pixels, over_checker

THUMBS = 60
THUMB_HEIGHT = 54
Progress = Callable[[int, int, str], None]


def ingest(folder: Path, rate: str, progress: Progress, gaps: str = "ask") -> MediaRecord:
    """Make everything beside `folder/original/*`: media.json, proxy-1.zip, proxy-2.zip, poster.jpg, strip.jpg,
    strip.json, sound.wav, peaks.json. `progress(done, total, what)` may raise to stop. `gaps` as in order.order_of. Sound that is
    damaged is left out, or ends where it is, and a note says so."""
    paths = sorted((folder / "original").iterdir(), key=natural)
    progress(0, 0, "reading")
    record = probe(paths, rate, gaps, lambda done: progress(done, 0, "reading"))
    if record.sound:
        record = _sound(folder, paths[0], record, progress)
    if record.kind != "sound":
        record = _pictures(folder, paths, record, progress)
    write_record(record, folder / "media.json")
    return record


def _sound(folder: Path, path: Path, record: MediaRecord, progress: Progress) -> MediaRecord:
    start = float(record.tags["start"]) if "start" in record.tags else None
    wav, peaks = folder / "sound.wav", folder / "peaks.json"
    try:
        found = sound.extract(path, wav, peaks, lambda: progress(0, 0, "reading the sound"), start)
    except MediaError:
        if record.kind == "sound":
            raise
        for file in (wav, peaks):
            file.unlink(missing_ok=True)
        notes = [*record.notes, "its sound is damaged, and was left out"]
        return replace(record, sound=False, sound_seconds=0.0, notes=notes)
    notes = [*record.notes, f"its sound is damaged after {found.seconds:.1f} s"] if found.damaged else record.notes
    return replace(record, sound_seconds=found.seconds, notes=notes)


def _pictures(folder: Path, paths: list[Path], record: MediaRecord, progress: Progress) -> MediaRecord:
    w, h = record.size
    moving = record.kind != "still"
    levels = [2] + ([1] if w * h <= FULL_SIZE_PIXELS else []) if moving else []
    writers = {n: ProxyWriter(folder / f"proxy-{n}.zip", record.alpha, record.proxy_space) for n in levels}
    reader = ClipReader(paths[0], record) if record.kind == "clip" else None
    wanted = {round(f) for f in np.linspace(0, record.frames - 1, min(THUMBS, record.frames))}
    thumbs: list[np.ndarray[Any, Any]] = []
    count = 0
    try:
        for i in range(record.frames):
            if i and record.first_of(i) != i and i not in wanted:
                count += 1
                for writer in writers.values():
                    writer.skip()
                progress(count, record.frames, "making proxies")
                continue
            try:
                pixels = reader.frame(i) if reader else read_still(paths[i], record.space)
            except MediaError:
                if count == 0:
                    raise
                record.notes.append(
                    f"the file is damaged after frame {count - 1}: {record.frames - count} frames left out"
                )
                break
            count += 1
            for n, writer in writers.items():
                writer.add(reduced(pixels, n)) if record.first_of(i) == i else writer.skip()
            if i == 0 and not moving:
                _poster(folder, pixels)
            if i in wanted:
                thumbs.append(_thumb(pixels))
                if moving and i >= record.frames // 3 and not (folder / "poster.jpg").exists():
                    _poster(folder, pixels)
            progress(count, record.frames, "making proxies")
    finally:
        for writer in writers.values():
            writer.close()
        if reader:
            reader.close()
    if not (folder / "poster.jpg").exists():
        cv2.imwrite(str(folder / "poster.jpg"), thumbs[0])
    cv2.imwrite(str(folder / "strip.jpg"), np.concatenate(thumbs, 1), [cv2.IMWRITE_JPEG_QUALITY, 85])
    (folder / "strip.json").write_text(
        json.dumps({"count": len(thumbs), "width": thumbs[0].shape[1], "height": THUMB_HEIGHT})
    )
    return replace(record, frames=count, pts=record.pts[:count])


def _shown(pixels: Pixels) -> np.ndarray[Any, Any]:
    """Display-encoded (h, w, 3) BGR over the checker."""
    return to_display(over_checker(pixels))[..., ::-1]


def _fit(pixels: Pixels, width: int, height: int) -> Pixels:
    return cv2.resize(pixels, (max(1, width), max(1, height)), interpolation=cv2.INTER_AREA)


def _poster(folder: Path, pixels: Pixels) -> None:
    h, w = pixels.shape[:2]
    scale = min(1.0, 480 / w)
    picture = _shown(_fit(pixels, round(w * scale), round(h * scale)))
    cv2.imwrite(str(folder / "poster.jpg"), picture, [cv2.IMWRITE_JPEG_QUALITY, 88])


def _thumb(pixels: Pixels) -> np.ndarray[Any, Any]:
    h, w = pixels.shape[:2]
    return _shown(_fit(pixels, min(400, round(w * THUMB_HEIGHT / h)), THUMB_HEIGHT))
