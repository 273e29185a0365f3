"""Taking media in: probe, proxies, poster, film strip, sound. Runs in a limited child process (see sandbox)."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

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


def ingest(folder: Path, rate: str, progress: Progress) -> MediaRecord:
    """Make everything beside `folder/original/*`: media.json, proxy-1.zip, proxy-2.zip, poster.jpg, strip.jpg,
    strip.json, sound.wav, peaks.json. `progress(done, total, what)` may raise to stop."""
    paths = sorted((folder / "original").iterdir(), key=natural)
    progress(0, 0, "reading")
    record = probe(paths, rate)
    if record.sound:
        seconds = sound.extract(
            paths[0], folder / "sound.wav", folder / "peaks.json", lambda: progress(0, 0, "reading the sound")
        )
        record = replace(record, sound_seconds=seconds)
    if record.kind != "sound":
        record = _pictures(folder, paths, record, progress)
    write_record(record, folder / "media.json")
    return record


def _pictures(folder: Path, paths: list[Path], record: MediaRecord, progress: Progress) -> MediaRecord:
    w, h = record.size
    moving = record.kind != "still"
    levels = [2] + ([1] if w * h <= FULL_SIZE_PIXELS else []) if moving else []
    writers = {n: ProxyWriter(folder / f"proxy-{n}.zip", record.alpha) for n in levels}
    reader = ClipReader(paths[0], record) if record.kind == "clip" else None
    wanted = np.unique(np.linspace(0, record.frames - 1, min(THUMBS, record.frames)).round().astype(int))
    thumbs: list[np.ndarray] = []
    count = 0
    try:
        for i in range(record.frames):
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
                writer.add(reduced(pixels, n))
            if i == 0 and not moving:
                _poster(folder, pixels)
            if i == record.frames // 3 and moving:
                _poster(folder, pixels)
            if i in wanted:
                thumbs.append(_thumb(pixels))
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


def _shown(pixels: Pixels) -> np.ndarray:
    """Display-encoded (h, w, 3) BGR over the checker."""
    return to_display(over_checker(pixels))[..., ::-1]


def _fit(pixels: Pixels, width: int, height: int) -> Pixels:
    return cv2.resize(pixels, (max(1, width), max(1, height)), interpolation=cv2.INTER_AREA)


def _poster(folder: Path, pixels: Pixels) -> None:
    h, w = pixels.shape[:2]
    scale = min(1.0, 480 / w)
    picture = _shown(_fit(pixels, round(w * scale), round(h * scale)))
    cv2.imwrite(str(folder / "poster.jpg"), picture, [cv2.IMWRITE_JPEG_QUALITY, 88])


def _thumb(pixels: Pixels) -> np.ndarray:
    h, w = pixels.shape[:2]
    return _shown(_fit(pixels, min(400, round(w * THUMB_HEIGHT / h)), THUMB_HEIGHT))
