"""What a file is: kind, size, rate, frames, colour tags, sound. Reads headers and packets, decodes one picture."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from tropein.core.errors import MediaError
from tropein.core.media import still
from tropein.core.media.clip import planes_of
from tropein.core.media.order import COVER, Order, opened, order_of, pictures_of
from tropein.core.media.record import MediaRecord
from tropein.core.media.siting import seen_in_the_middle, siting_of
from tropein.core.media.turning import turning_of
from tropein.core.raster.colour import DISPLAY, WORKING
from tropein.core.raster.video_spaces import HIGH_RANGE, PQ, TRANSFER_NAMES, space_of

MAX_SIDE = 16_384
_MATRIX = {1: "bt709", 4: "bt601", 5: "bt601", 6: "bt601", 7: "smpte240m", 9: "bt2020", 10: "bt2020", 0: "rgb"}


def probe(
    paths: list[Path], rate: str = "24/1", gaps: str = "hold", tick: Callable[[int], None] = lambda done: None
) -> MediaRecord:
    """The record of one file, or of several pictures as a sequence at `rate`; `gaps` and `tick` as in order.order_of. MediaError says
    what is wrong."""
    if not paths:
        raise MediaError("There is no file to read.")
    for path in paths:
        if not path.is_file() or path.stat().st_size == 0:
            raise MediaError(f"{path.name} is empty." if path.is_file() else f"There is no file {path.name}.")
    if len(paths) > 1 or paths[0].suffix.lower() in still.SUFFIXES:
        return _pictures(paths, rate)
    return _container(paths[0], gaps, tick)


def natural(path: Path) -> list[object]:
    """A sort key that puts frame 2 before frame 10."""
    return [int(part) if part.isdigit() else part for part in re.split(r"(\d+)", path.name)]


def _pictures(paths: list[Path], rate: str) -> MediaRecord:
    if len({p.suffix.lower() for p in paths}) > 1 or paths[0].suffix.lower() not in still.SUFFIXES:
        raise MediaError("Several files at once must be pictures of one kind (PNG, JPEG, TIFF, WebP or EXR).")
    paths = sorted(paths, key=natural)
    values, space, _ = still.read(paths[0])
    size = (values.shape[1], values.shape[0])
    for path in paths[1:]:
        if still.measure(path) != size:
            raise MediaError(f"{path.name} is of another size than the first picture of the sequence.")
    return MediaRecord(
        kind="still" if len(paths) == 1 else "sequence", files=[p.name for p in paths], size=size, stored=size, rate=rate,
        frames=len(paths), alpha=values.shape[2] == 4, space=space, codec=paths[0].suffix.lower().lstrip("."),
        pixel_format=str(values.dtype), matrix="rgb", full_range=True,
        proxy_space=PQ if values.dtype == np.float32 and len(paths) > 1 else DISPLAY,
    )  # fmt: skip


def _container(path: Path, gaps: str, tick: Callable[[int], None]) -> MediaRecord:
    with opened(path) as container:
        sound = bool(container.streams.audio)
        length = float(container.duration or 0) / 1e6
        if all(s.disposition & COVER for s in container.streams.video):
            if not sound:
                raise MediaError(f"{path.name} holds neither pictures nor sound.")
            codec = container.streams.audio[0].codec_context.name
            return MediaRecord("sound", [path.name], sound=True, sound_seconds=length, codec=codec)
        context = pictures_of(container).codec_context
        w, h = context.width, context.height
        if w < 1 or h < 1 or max(w, h) > MAX_SIDE:
            raise MediaError(f"{path.name} says it is {w}x{h} pixels; 1 to {MAX_SIDE} a side can be opened.")
    order = order_of(path, gaps, tick)
    with opened(path) as container:
        stream = pictures_of(container)
        try:
            first = next(container.decode(stream))
        except (av.FFmpegError, StopIteration) as error:
            raise MediaError(f"{path.name} has no picture that can be decoded.") from error
        return _record(path, container, stream, first, order, (w, h), length if sound else 0.0, sound)


def _record(
    path: Path, container: InputContainer, stream: VideoStream, first: VideoFrame, order: Order, stored: tuple[int, int],
    sound_s: float, sound: bool,
) -> MediaRecord:  # fmt: skip
    """What is known of a clip from its headers and its first picture, and what was made of it, in words."""
    notes = list(order.notes)
    (w, h), turning = stored, turning_of(first)
    if turning.mirrored:
        notes.append("mirrored, as the file says")
    if turning.degrees:
        by = turning.degrees if turning.degrees <= 180 else turning.degrees - 360
        notes.append(f"turned upright by {by} degrees, as the file says")
    aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
    size = (max(1, round(w * aspect)), h)
    if aspect != 1:
        notes.append(f"pixels of {aspect.numerator}:{aspect.denominator} made square")
    if turning.degrees in (90, 270):
        size = (size[1], size[0])
    tag = {"matrix": int(first.colorspace or 2), "range": int(first.color_range or 0),
           "transfer": int(first.color_trc or 2), "primaries": int(first.color_primaries or 2)}  # fmt: skip
    matrix = _MATRIX.get(tag["matrix"], "bt709" if h >= 720 or w >= 1280 else "bt601")
    if tag["matrix"] == 2 and not first.format.is_rgb:
        notes.append(f"no colour tag in the file: read as {matrix}")
    space = space_of(tag["transfer"], tag["primaries"])
    if space is not None:
        name = TRANSFER_NAMES.get(tag["transfer"], "wide colour")
        notes.append(f"its {name} is brought to linear light" if space != WORKING else "its values are linear light")
    elif tag["transfer"] in TRANSFER_NAMES:
        notes.append(f"its {TRANSFER_NAMES[tag['transfer']]} transfer is read as Rec.709's")
    if first.interlaced_frame:
        notes.append("interlaced: each two fields are made one picture")
    if order.counted:
        notes.append("its pictures have no times that can be trusted: they are counted")
    record = MediaRecord(
        kind="clip", files=[path.name], size=size, stored=stored, rate=f"{order.rate.numerator}/{order.rate.denominator}",
        frames=len(order.marks), alpha=_has_alpha(first.format.name), sound=sound, sound_seconds=sound_s, space=space or DISPLAY,
        codec=stream.codec_context.name, pixel_format=first.format.name, matrix=matrix,
        siting=siting_of(container, stream.index), full_range=tag["range"] == 2, rotation=turning.degrees,
        mirrored=turning.mirrored, interlaced=bool(first.interlaced_frame), counted=order.counted, keys=list(order.keys),
        proxy_space=PQ if space in HIGH_RANGE else DISPLAY,
        tags={**{k: str(v) for k, v in tag.items()}, "bits": str(max(c.bits for c in first.format.components)),
              "start": f"{order.start_s:.6f}"},
        notes=notes, pts=order.marks, time_base=f"{order.time_base.numerator}/{order.time_base.denominator}",
    )  # fmt: skip
    planes = planes_of(first, record)
    if record.siting == "left" and planes is not None and seen_in_the_middle(planes):
        seen = "its colour lies in the middle of the pixels it is shared by: read so"
        return replace(record, siting="center", notes=[*notes, seen])
    return record


def _has_alpha(name: str) -> bool:
    return name.startswith(("yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya"))
